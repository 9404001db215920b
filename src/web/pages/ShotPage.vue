<script setup lang="ts">
import { modelsOf } from "#core/shot/assets";
import { keepInContact } from "../desk/contact.ts";
import { useDropZone } from "@vueuse/core";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";
import { useRouter } from "vue-router";
import PlateDesk from "../desk/PlateDesk.vue";
import IncomingNote from "../parts/IncomingNote.vue";
import { usePageKeys } from "../desk/pageKeys.ts";
import { useStepResults } from "../desk/stepResults.ts";
import CommandPalette from "../parts/CommandPalette.vue";
import { useSill } from "../desk/sill.ts";
import type { Command } from "../desk/commands.ts";
import { useCommands } from "../desk/commands.ts";
import ShortcutSheet from "../parts/ShortcutSheet.vue";
import StepCourse from "../parts/StepCourse.vue";
import CameraCards from "../sill/CameraCards.vue";
import CompCards from "../sill/CompCards.vue";
import HandOverCards from "../sill/HandOverCards.vue";
import LightCards from "../sill/LightCards.vue";
import PlateCards from "../sill/PlateCards.vue";
import PropCards from "../sill/PropCards.vue";
import RenderCards from "../sill/RenderCards.vue";
import SetCards from "../sill/SetCards.vue";
import type { StepName } from "../stores/desk.ts";
import { STEPS, useDesk } from "../stores/desk.ts";
import { useFinals } from "../stores/finals.ts";
import { useHanding } from "../stores/handing.ts";
import type { DroppedFile } from "../sill/props/bringModel.ts";
import { filesOfDrop, filesOfPicker } from "../sill/props/bringModel.ts";
import { api } from "../api.ts";
import { isPanorama, isPlate } from "../parts/pictureKinds.ts";
import PanoramaAsk from "../parts/PanoramaAsk.vue";
import { useSurroundings } from "../sill/light/bringSurroundings.ts";
import { usePlateVersion } from "../sill/plateVersion.ts";
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
const handing = useHanding();
const models = useModels();
const notices = useNotices();
const sheet = ref(false);
const page = useTemplateRef<HTMLElement>("page");
const { isOverDropZone: over } = useDropZone(page, { onDrop: (files, event) => void dropFile(files, event) });
const propCards = ref<{ drop: (files: readonly DroppedFile[]) => Promise<void> }>();

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
    // A final may be asked for before the plate is there.
    void finals.follow(props.id);
    await plate.load(shot);
    if (left) return;
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
    void plate.load(shot);
    void models.load(shot).then((came) => came && store.retouch());
    models.forget(shot);
    keepInContact([...modelsOf(shot)]);
  },
);

// Another version of the plate counts other pixels: what was looked at in those of the one before is left.
watch(
  () => (store.shot ? [store.shot.plates.main.width, store.shot.plates.main.height].join() : ""),
  (now, before) => {
    if (!now || !before) return;
    const { width, height } = store.shot!.plates.main;
    desk.fit(width, height);
    desk.trial = null;
    proof.region = null;
    handing.choice.region = null;
  },
);

const go = (step: StepName) => router.replace(`/shots/${props.id}/${step}`);

const { results, states } = useStepResults();
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

usePageKeys(commands, () => (palette.value = !palette.value));

/** A picture of all around that was dropped, while its user is asked what it is for. */
const panorama = ref<File | null>(null);
const { bring } = useSurroundings();
const { bring: bringVersion } = usePlateVersion();
async function usePanorama(as: "surroundings" | "plate" | null): Promise<void> {
  const file = panorama.value!;
  panorama.value = null;
  if (as === "surroundings") {
    await go("light");
    await bring(file);
  }
  if (as === "plate") {
    try {
      const made = await api.createShot(file);
      for (const text of made.notices) notices.say("warn", text);
      await router.push(`/shots/${made.id}/plate`);
    } catch (error) {
      notices.fail(error);
    }
  }
}

async function dropFile(files: File[] | null, event: DragEvent): Promise<void> {
  // What falls on a place of its own within the page is not the page's.
  if (!files?.length || (event.target as Element).closest("[data-drop]")) return;
  // Folders must be asked for while the drop is handled: after the first wait the browser has forgotten them.
  const dropped = event.dataTransfer ? filesOfDrop(event.dataTransfer) : Promise.resolve(filesOfPicker(files));
  if (desk.step === "light" && files.length === 1) {
    await bring(files[0]);
    return;
  }
  if (files.length === 1 && (await isPanorama(files[0]))) {
    panorama.value = files[0];
    return;
  }
  if (desk.step === "plate" && files.length === 1 && (await isPlate(files[0]))) {
    await bringVersion(files[0]);
    return;
  }
  if (desk.step !== "props") await go("props");
  await nextTick();
  await propCards.value?.drop(await dropped);
}
</script>

<template>
  <main ref="page" class="shot" :class="{ over }">
    <PanoramaAsk v-if="panorama" :name="panorama.name" shot-is-open @answer="usePanorama" />
    <IncomingNote />
    <PlateDesk
      v-if="store.shot"
      :key="store.shot.plates.main.codes"
      :shot="store.shot"
      :camera="camera"
      class="plate"
    />
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
      <StepCourse :results="results" :states="states" @go="go" @sheet="sheet = true" />
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
.cards {
  display: flex;
  gap: 8px;
  padding: 8px;
  min-height: 0;
}
</style>
