<script setup lang="ts">
import { useDropZone, useEventListener } from "@vueuse/core";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";
import { RouterLink, useRouter } from "vue-router";
import { equivalents35mm } from "#core/optics/camera";
import { lightIsSet, lightWord } from "../desk/lightWords.ts";
import PlateDesk from "../desk/PlateDesk.vue";
import { useHand } from "../desk/hand.ts";
import { handMoveOf } from "../desk/handSteps.ts";
import CommandPalette from "../parts/CommandPalette.vue";
import { useSill } from "../desk/sill.ts";
import type { Command } from "../desk/commands.ts";
import { commandOfKey, useCommands } from "../desk/commands.ts";
import ShortcutSheet from "../parts/ShortcutSheet.vue";
import CameraCards from "../sill/CameraCards.vue";
import CompCards from "../sill/CompCards.vue";
import HandOverCards from "../sill/HandOverCards.vue";
import LightCards from "../sill/LightCards.vue";
import PlateCards from "../sill/PlateCards.vue";
import PropCards from "../sill/PropCards.vue";
import RenderCards from "../sill/RenderCards.vue";
import SetCards from "../sill/SetCards.vue";
import type { StepName } from "../stores/desk.ts";
import { STEPS, STEP_TITLES, useDesk } from "../stores/desk.ts";
import { useFinals } from "../stores/finals.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import { useSolver } from "../stores/solver.ts";

const props = defineProps<{ id: string; step?: string }>();
const router = useRouter();
const store = useShot();
const desk = useDesk();
const solver = useSolver();
const plate = usePlate();
const proof = useProof();
const finals = useFinals();
const models = useModels();
const notices = useNotices();
const hand = useHand();
const sheet = ref(false);
const page = useTemplateRef<HTMLElement>("page");
const { isOverDropZone: over } = useDropZone(page, { onDrop: (files, event) => void dropFile(files, event) });
const propCards = ref<{ importModel: (files: ArrayLike<File> | null) => Promise<void> }>();

/** In the Camera step the marks' own answer is shown; elsewhere the camera that the shot was built with. */
const camera = computed(() => {
  const shot = store.shot;
  if (!shot) return null;
  if (desk.lookThrough) return desk.lookThrough.camera;
  if (desk.step === "camera" && shot.match.by === "marks") return solver.camera;
  return shot.solved?.camera ?? null;
});

const sillElement = useTemplateRef<HTMLElement>("cards");
const { sillPixels, sillHeight, setSill, grabSill, fitSill } = useSill(sillElement);

let left = false;
onMounted(async () => {
  try {
    await store.open(props.id);
    if (left) return;
    const shot = store.shot!;
    document.title = `${shot.name} · Red Harbor`;
    desk.fit(shot.plates.main.width, shot.plates.main.height);
    await plate.load(shot);
    if (left) return;
    await finals.follow(props.id);
    if (await models.load(shot)) store.retouch();
  } catch (error) {
    if (left) return;
    notices.fail(error);
    await router.replace("/");
  }
});
onBeforeUnmount(() => {
  left = true;
  proof.clear();
  void finals.follow(null);
  store.close();
  document.title = "Red Harbor";
});

watch(
  () => props.step,
  (step) => desk.enter((STEPS as readonly string[]).includes(step ?? "") ? (step as StepName) : "plate"),
  { immediate: true },
);
watch(
  () => store.shot,
  (shot) => {
    if (!shot) return;
    proof.render(shot);
    void models.load(shot).then((came) => came && store.retouch());
  },
);

const go = (step: StepName) => router.replace(`/shots/${props.id}/${step}`);

/** What each step has come to, in its own figures. */
const results = computed<Record<StepName, string>>(() => {
  const shot = store.shot;
  if (!shot) return { plate: "", camera: "", set: "", props: "", light: "", render: "", comp: "", handover: "" };
  const frame = { width: shot.plates.main.width, height: shot.plates.main.height };
  const done = finals.list.filter((f) => f.status === "done").length;
  return {
    plate: `${shot.plates.main.width} × ${shot.plates.main.height}`,
    camera: shot.solved
      ? `${equivalents35mm(shot.solved.camera.focalPx, frame).diagonal.toFixed(1)} mm eq.`
      : "not solved",
    set: count(Object.keys(shot.set).length, "part"),
    props: count(Object.values(shot.props).filter((p) => !p.hidden).length, "prop"),
    light: lightWord(shot),
    render: finals.running
      ? `${Math.round((finals.running.samplesDone / finals.running.samples) * 100)} %`
      : proof.on && proof.picture
        ? proof.laid
          ? "final shown"
          : `proof ${proof.picture.samples}`
        : "",
    comp: proof.on ? "shown" : "",
    handover: done > 0 ? count(done, "final") : "",
  };
});
const count = (n: number, one: string) => (n === 0 ? "none" : `${n} ${one}${n === 1 ? "" : "s"}`);
const reached = computed<Record<StepName, boolean>>(() => {
  const shot = store.shot;
  return {
    plate: true,
    camera: shot?.solved != null,
    set: Object.keys(shot?.set ?? {}).length > 0,
    props: Object.keys(shot?.props ?? {}).length > 0,
    light: shot !== null && lightIsSet(shot),
    render: finals.newest !== null,
    comp: finals.newest !== null,
    handover: finals.newest !== null,
  };
});

const palette = ref(false);
const commands = useCommands({ go: (step) => void go(step), sheet: () => (sheet.value = true) });

/** Does a command of the palette; what belongs to another step goes there first. */
async function run(command: Command): Promise<void> {
  palette.value = false;
  if (command.steps && !command.steps.includes(desk.step)) {
    await go(command.steps[0]);
    await nextTick();
  }
  command.run();
}

/** True where keys are typed text; a switch or slider that holds the focus leaves the shortcuts alone. */
const takesText = (target: HTMLElement): boolean =>
  target instanceof HTMLInputElement
    ? !["checkbox", "radio", "range", "color", "file"].includes(target.type)
    : ["TEXTAREA", "SELECT"].includes(target.tagName);

function key(e: KeyboardEvent): void {
  if (takesText(e.target as HTMLElement)) return;
  const k = e.key.toLowerCase();
  if ((e.ctrlKey || e.metaKey) && k === "z") {
    e.preventDefault();
    if (e.shiftKey) store.redo();
    else store.undo();
    return;
  }
  if ((e.ctrlKey || e.metaKey) && k === "k") {
    e.preventDefault();
    palette.value = !palette.value;
    return;
  }
  const move = desk.step === "camera" && store.shot?.match.by === "hand" && !desk.marking ? handMoveOf(e) : null;
  if (move && !desk.selected && !(e.target as HTMLElement).closest(".p-slider, .p-togglebutton, select")) {
    e.preventDefault();
    void hand.make(move, e.shiftKey, desk.turnAxis);
    return;
  }
  if (e.ctrlKey || e.metaKey || e.altKey) return;
  const command = commandOfKey(commands, desk.step, k);
  if (!command) return;
  command.run();
  e.preventDefault();
}
const keyUp = (e: KeyboardEvent) => {
  if (e.key.toLowerCase() === "b") desk.blink = false;
};
useEventListener(window, "keydown", key);
useEventListener(window, "keyup", keyUp);

async function dropFile(files: File[] | null, event: DragEvent): Promise<void> {
  // What falls on a place of its own within the page is not the page's.
  if (!files?.length || (event.target as Element).closest("[data-drop]")) return;
  if (desk.step !== "props") await go("props");
  await new Promise((resolve) => setTimeout(resolve, 0));
  await propCards.value?.importModel(files);
}
</script>

<template>
  <main ref="page" class="shot" :class="{ over }">
    <PlateDesk v-if="store.shot" :shot="store.shot" :camera="camera" class="plate" />
    <div v-else class="plate waiting">Opening the shot …</div>
    <section
      v-if="store.shot"
      class="sill"
      :class="{ down: desk.sillDown }"
      :style="desk.sillDown ? undefined : { height: sillHeight }"
    >
      <div
        v-if="!desk.sillDown"
        class="edge"
        role="separator"
        aria-orientation="horizontal"
        aria-label="Edge of the sill"
        tabindex="0"
        data-test="sill-edge"
        @pointerdown="grabSill"
        @dblclick="fitSill"
        @keydown.up.prevent="setSill(sillPixels + 16)"
        @keydown.down.prevent="setSill(sillPixels - 16)"
      />
      <nav class="course" aria-label="Steps">
        <RouterLink to="/" class="home" title="All shots"
          ><img src="/mark.svg" alt="All shots" width="20" height="20"
        /></RouterLink>
        <button
          v-for="(s, i) in STEPS"
          :key="s"
          class="step"
          :class="{ on: desk.step === s, reached: reached[s] }"
          :aria-current="desk.step === s ? 'step' : undefined"
          :data-test="`step-${s}`"
          @click="go(s)"
        >
          <span class="dot" /><span class="name">{{ STEP_TITLES[s] }}</span> <kbd>{{ i + 1 }}</kbd>
          <span class="result num">{{ results[s] }}</span>
        </button>
        <div class="work">
          <button
            class="plain"
            :disabled="!store.canUndo"
            :title="store.canUndo ? `Take back: ${store.canUndo}` : 'Nothing to take back'"
            aria-label="Take back"
            @click="store.undo()"
          >
            <i class="pi pi-undo" />
          </button>
          <button
            class="plain"
            :disabled="!store.canRedo"
            :title="store.canRedo ? `Do again: ${store.canRedo}` : 'Nothing to do again'"
            aria-label="Do again"
            @click="store.redo()"
          >
            <i class="pi pi-refresh" />
          </button>
          <span
            class="lamp"
            :class="store.saving"
            :title="
              {
                saved: 'Saved',
                saving: 'Saving',
                offline: 'The server does not answer; work is kept in this browser',
                full: 'The disk is full; work is kept in this browser and saved once there is room',
              }[store.saving]
            "
            data-test="saving"
          />
          <button class="plain" title="Keys" aria-label="Keys" @click="sheet = true">
            <i class="pi pi-question-circle" />
          </button>
          <button
            class="plain"
            :title="desk.sillDown ? 'Sill up (K)' : 'Sill down (K)'"
            aria-label="Sill"
            @click="desk.sillDown = !desk.sillDown"
          >
            <i class="pi" :class="desk.sillDown ? 'pi-angle-up' : 'pi-angle-down'" />
          </button>
        </div>
      </nav>
      <div v-if="!desk.sillDown" ref="cards" class="cards">
        <PlateCards v-if="desk.step === 'plate'" :shot="store.shot" />
        <CameraCards v-else-if="desk.step === 'camera'" :shot="store.shot" />
        <SetCards v-else-if="desk.step === 'set'" :shot="store.shot" :camera="camera" />
        <PropCards v-else-if="desk.step === 'props'" ref="propCards" :shot="store.shot" :camera="camera" />
        <LightCards v-else-if="desk.step === 'light'" :shot="store.shot" :camera="camera" />
        <RenderCards v-else-if="desk.step === 'render'" :shot="store.shot" />
        <CompCards v-else-if="desk.step === 'comp'" :shot="store.shot" />
        <HandOverCards v-else :shot="store.shot" />
      </div>
    </section>
    <ShortcutSheet v-if="sheet" v-model="sheet" :commands="commands" />
    <CommandPalette v-if="palette" :commands="commands" :step="desk.step" @close="palette = false" @run="run" />
  </main>
</template>

<style scoped>
.shot {
  height: 100%;
  display: grid;
  grid-template-rows: 1fr auto;
}
.shot.over {
  outline: 3px solid var(--accent);
  outline-offset: -3px;
}
.plate {
  min-height: 0;
}
.waiting {
  display: grid;
  place-items: center;
}
.sill {
  background: var(--band);
  position: relative;
  display: grid;
  grid-template-rows: 38px 1fr;
}
.sill.down {
  height: 38px;
}
.edge {
  position: absolute;
  inset: -4px 0 auto 0;
  height: 8px;
  cursor: ns-resize;
  z-index: 6;
}
.edge:hover,
.edge:focus-visible {
  background: var(--accent);
  opacity: 0.6;
}
.course {
  display: grid;
  grid-template-columns: 44px repeat(8, 1fr) auto;
  border-bottom: 1px solid var(--line);
}
.home {
  display: grid;
  place-items: center;
}
.step {
  background: none;
  border: 0;
  border-left: 1px solid #353332;
  color: var(--quiet);
  font: inherit;
  text-align: left;
  padding: 3px 8px 2px;
  display: grid;
  grid-template-columns: auto auto 1fr;
  align-items: baseline;
  column-gap: 6px;
  cursor: pointer;
  min-width: 0;
  position: relative;
}
.step:hover {
  background: #33302f;
}
.step.on {
  background: #3b3431;
  color: var(--ink);
}
.step.on::after {
  content: "";
  position: absolute;
  inset: auto 0 -1px 0;
  height: 2px;
  background: var(--accent);
}
.dot {
  width: 7px;
  height: 7px;
  border-radius: 50%;
  border: 1px solid #6c6967;
  align-self: center;
}
.reached .dot {
  background: var(--good);
  border-color: var(--good);
}
.name {
  font-weight: 600;
  white-space: nowrap;
}
.step kbd {
  font: 10px var(--mono);
  color: #6f6c69;
}
.result {
  grid-column: 2 / -1;
  font-size: 10.5px;
  color: var(--quiet);
  overflow: hidden;
  text-overflow: ellipsis;
}
.work {
  display: flex;
  align-items: center;
  gap: 2px;
  padding: 0 10px;
}
.work button:disabled {
  opacity: 0.35;
  cursor: default;
}
.lamp {
  width: 8px;
  height: 8px;
  border-radius: 50%;
  background: var(--good);
  margin: 0 6px;
}
.lamp.saving {
  background: var(--warn);
}
.lamp.offline,
.lamp.full {
  background: var(--bad);
}
.cards {
  display: flex;
  gap: 8px;
  padding: 8px;
  min-height: 0;
}
</style>
