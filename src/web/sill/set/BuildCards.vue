<script setup lang="ts">
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import { computed, ref, watch } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Face } from "#core/set/face";
import { faceArea } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import type { Camera } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import { cameraFindings, pixelsOf, slideMeets, slideToStand, standingOf } from "#core/set/depth";
import type { Part } from "#core/set/parts/index";
import { PARTS, PART_NAMES, kindOf } from "#core/set/parts/index";
import { cutAround } from "#core/set/shell/cut";
import { bridgeFaces, merged, mirrored, splitOff } from "#core/set/shell/join";
import { deleteFace, pullFace } from "#core/set/shell/pull";
import { moveFace } from "#core/set/shell/move";
import { settle } from "#core/set/settle";
import { extentOf } from "#core/set/sizes";
import { asShell, turnsIntoShell, withBody } from "#core/set/shell/turn";
import { danglingFindings, referencesTo, removePart } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { groundPlane } from "#core/optics/camera";
import { formatArea, formatLength } from "#core/units/length";
import { deletion } from "../../desk/deletion.ts";
import { freshId } from "../../desk/ids.ts";
import { TOOLS } from "../../desk/toolTable.ts";
import PartFields from "../../parts/PartFields.vue";
import LengthField from "../../parts/LengthField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import type { Tool } from "../../stores/desk.ts";
import { OUTSIDE_VIEWS, OVERLAYS, useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import { usePlate } from "../../stores/plate.ts";
import { useShot } from "../../stores/shot.ts";
import { usePlaceModel } from "./placeModel.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const notices = useNotices();
const plate = usePlate();

const parts = computed(() => Object.values(props.shot.set));
const chosen = computed<Part | null>(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const faces = computed(() => (chosen.value ? facesOf(props.shot.set, chosen.value.id) : []));
const findings = computed(() => {
  const eye = props.camera?.position;
  return new Map([
    ...danglingFindings(props.shot).map((f) => [f.ids[0], f.message] as const),
    ...(eye ? cameraFindings(props.shot.set, eye) : []).map((f) => [f.part, f.message] as const),
  ]);
});
/** The gap of the chosen part over what it should stand on. */
const standing = computed(() => (chosen.value ? standingOf(props.shot.set, chosen.value) : null));
/** Pixels of the plate in which the chosen face is seen. */
const seenPixels = computed(() => {
  if (!chosen.value || !desk.face || !props.camera) return null;
  const at = { part: chosen.value.id, face: desk.face };
  return pixelsOf(props.shot.set, at, props.camera, shotFrame(props.shot));
});

function stand(): void {
  const { id } = chosen.value!;
  const at = standing.value!;
  const eye = props.camera!.position;
  const before = slideMeets(props.shot.set, chosen.value!, eye, at);
  if (before) {
    notices.say(
      "warn",
      `On its way ${chosen.value!.name} would go through ${before}: it does not stand on what is below it.`,
      "It hangs there, or stands on something that is not drawn yet. Draw that first.",
    );
    return;
  }
  void store.commit("Slide until it stands", (d) => {
    slideToStand(d.set as Shot["set"], d.set[id] as Part, eye, at);
  });
}
const picker = ref<HTMLInputElement>();
const { reading, bringPlace } = usePlaceModel();
async function bring(): Promise<void> {
  await bringPlace(props.shot, picker.value?.files?.[0]);
  if (picker.value) picker.value.value = "";
}
/** Stands on another part, and goes where that goes. */
const isHeld = (part: Part) => (kindOf(part).on?.(part) ?? []).length > 0;
const drawTools = PART_NAMES.filter((name) => PARTS[name].draw !== null).map((name): Tool => `part-${name}`);
const PLANE_TOOLS: Tool[] = ["plane-face", "plane-side", "plane-points"];
const SHELL_TOOLS: Tool[] = ["shell-face", "shell-inset", "shell-cut", "shell-around"];
const row = (tool: Tool) => TOOLS.get(tool)!;
const faceOptions = computed(() => faces.value.map((f) => ({ label: f.id, value: f.id })));
const switches = computed(() => (chosen.value && kindOf(chosen.value).switches?.(chosen.value)) ?? []);
const choices = computed(() => (chosen.value && kindOf(chosen.value).choices?.(chosen.value, props.shot.set)) ?? []);
const acts = computed(() => (chosen.value && kindOf(chosen.value).acts?.(chosen.value)) ?? []);
const otherFace = computed(() => faces.value.filter((f) => f.id !== desk.face).map((f) => f.id));

/** Sizes in words, kept for faces that stay as they are. */
const measured = new WeakMap<Face[], string>();
function measure(part: Part): string {
  const all = facesOf(props.shot.set, part.id);
  const before = measured.get(all);
  if (before !== undefined) return before;
  const words = sizeWords(part, all);
  measured.set(all, words);
  return words;
}
watch(
  () => props.shot.unit,
  () => parts.value.forEach((p) => measured.delete(facesOf(props.shot.set, p.id))),
  { flush: "sync" },
);

function sizeWords(part: Part, all: Face[]): string {
  if (all.length === 0) return "";
  if (all.length === 1) return formatArea(faceArea(all[0]), props.shot.unit);
  return extentOf(props.shot.set, part)
    .extent.map((s) => formatLength(s, props.shot.unit))
    .join(" × ");
}

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  desk.selected = null;
  desk.face = null;
  if (gone) await store.commit(gone.name, gone.change);
}

/** Puts a changed body in place of the chosen part; a sentence where there is none. */
function shape(name: string, change: (shell: Extract<Part, { kind: "shell" }>) => { body: object } | string): void {
  const shell = asShell(props.shot.set, chosen.value!.id);
  const outcome = typeof shell === "string" ? shell : change(shell);
  if (typeof outcome === "string" || typeof shell === "string") {
    notices.say("warn", outcome as string);
    return;
  }
  void store.commit(name, (d) => void (d.set[shell.id] = withBody(shell, outcome.body as typeof shell)));
}

/** What was clicked can be laid onto the edges that the plate shows. */
const settles = computed(() => {
  const part = chosen.value;
  return (
    props.camera !== null &&
    part !== null &&
    kindOf(part)
      .vertices(part, props.shot.set)
      .some(({ vertex }) => vertex.pixel)
  );
});
function settleChosen(): void {
  const { id, name } = chosen.value!;
  if (!plate.shown) return;
  const found = settle(props.shot.set, id, props.camera!, plate.shown);
  if (typeof found === "string") {
    notices.say("warn", found);
    return;
  }
  void store.commit(`Lay ${name} onto the plate's edges`, (d) => void (d.set[id] = found.part));
  notices.say(
    "good",
    `${found.edges} sides of ${name} lie on the plate's edges; its corners moved by up to ${found.moved.toFixed(1)} px.`,
  );
}

function toShell(): void {
  const shell = asShell(props.shot.set, chosen.value!.id);
  if (typeof shell === "string") notices.say("warn", shell);
  else void store.commit("Turn into shell", (d) => void (d.set[shell.id] = shell));
}

const otherShells = computed(() => parts.value.filter((p) => p.kind === "shell" && p.id !== chosen.value?.id));

/** Takes another shell into this one; its faces keep what they are made of. */
function merge(id: string): void {
  const [one, other] = [chosen.value, props.shot.set[id]];
  if (one?.kind !== "shell" || other?.kind !== "shell") return;
  const { body, faces: renamed } = merged(one, other);
  void store.commit(`Merge ${one.name} and ${other.name}`, (d) => {
    const made = withBody(one, body);
    for (const [face, now] of renamed) made.faceMaterials[now] = other.faceMaterials[face] ?? other.material;
    d.set[one.id] = made;
    removePart(d as Shot, id);
  });
}

/** Takes the chosen face off into a shell of its own. */
function split(): void {
  const shell = asShell(props.shot.set, chosen.value!.id);
  const outcome = typeof shell === "string" ? shell : splitOff(shell, [desk.face!]);
  if (typeof outcome === "string" || typeof shell === "string") {
    notices.say("warn", outcome as string);
    return;
  }
  const id = freshId("shell", props.shot.set);
  void store.commit("Split off face", (d) => {
    d.set[shell.id] = withBody(shell, outcome.body);
    d.set[id] = withBody({ ...shell, id, name: `${shell.name}, ${desk.face}` }, outcome.off);
  });
  desk.selected = id;
}

/** A second one beside it, half a metre along X. */
function duplicate(): void {
  const part = chosen.value!;
  const id = freshId(part.kind, props.shot.set);
  void store.commit(`Copy ${part.name}`, (d) => {
    const copy = structuredClone(JSON.parse(JSON.stringify(part))) as Part;
    copy.id = id;
    copy.name = `${part.name}, copy`;
    d.set[id] = copy;
    const made = d.set[id] as Part;
    for (const { vertex } of kindOf(made).vertices(made, d.set as Shot["set"])) {
      vertex.world = [vertex.world[0] + 0.5, vertex.world[1], vertex.world[2]];
      vertex.pixel = null;
    }
  });
  desk.selected = id;
}

/** Its mirror image as a shell of its own, at an upright plane through its middle. */
function mirror(axis: 0 | 1): void {
  const shell = asShell(props.shot.set, chosen.value!.id);
  if (typeof shell === "string") {
    notices.say("warn", shell);
    return;
  }
  const all = faces.value.flatMap((f) => f.rings[0]);
  const high = Math.max(...all.map((p) => p[axis]));
  const normal: Vec3 = axis === 0 ? [1, 0, 0] : [0, 1, 0];
  const id = freshId("shell", props.shot.set);
  void store.commit("Mirror", (d) => {
    const made = withBody({ ...shell, id, name: `${shell.name}, mirrored` }, mirrored(shell, { normal, offset: high }));
    d.set[id] = made;
  });
  desk.selected = id;
}
</script>

<template>
  <section class="card tools">
    <h3>Draw</h3>
    <div class="row tight">
      <ToolButton
        v-for="t in drawTools"
        :key="t"
        :tool="t"
        :label="row(t).label"
        :shortcut="row(t).key?.toUpperCase()"
        :disabled="t === 'part-row' && !chosen"
      />
      <button class="act" data-test="place-model" title="A model of the real place (GLB)" @click="picker?.click()">
        <i class="pi pi-upload" /> {{ reading ? "reading …" : "model of the place" }}
      </button>
      <input ref="picker" type="file" accept=".glb" hidden data-test="place-file" @change="bring" />
    </div>
    <h3 class="second">Shape</h3>
    <div class="row tight">
      <ToolButton
        v-for="t in SHELL_TOOLS"
        :key="t"
        :tool="t"
        :label="row(t).label"
        :shortcut="row(t).key?.toUpperCase()"
        :disabled="parts.length === 0"
      />
    </div>
    <h3 class="second">Plane</h3>
    <div class="row tight">
      <span v-if="desk.plane" class="held">{{ desk.plane.name }}</span>
      <button v-if="desk.plane" class="plain" data-test="plane-free" @click="desk.plane = null">
        <i class="pi pi-times" /> what is under the pointer
      </button>
      <template v-else>
        <ToolButton v-for="t in PLANE_TOOLS" :key="t" :tool="t" :label="row(t).label" />
        <span class="quiet">level at</span>
        <LengthField
          :model-value="0"
          :unit="shot.unit"
          label="Level plane at a height"
          @update:model-value="
            (m) => (desk.plane = { name: `level at ${formatLength(m, shot.unit)}`, plane: groundPlane(m) })
          "
        />
      </template>
    </div>
  </section>
  <section class="card parts">
    <h3>
      Set
      <span class="end row">
        <Select v-model="desk.setOverlay" :options="[...OVERLAYS]" size="small" aria-label="Set over the plate" />
        <button class="plain" data-test="outside" @click="desk.outside = !desk.outside">
          <i class="pi pi-compass" /> {{ desk.outside ? "through the camera" : "from outside" }} <kbd>C</kbd>
        </button>
      </span>
    </h3>
    <div v-if="desk.outside" class="row tight looks">
      <button
        v-for="v in OUTSIDE_VIEWS"
        :key="v"
        class="plain"
        :class="{ on: desk.outsideView === v }"
        :data-test="`look-${v}`"
        @click="desk.outsideView = v"
      >
        {{ v }}
      </button>
      <span class="quiet">cut at</span>
      <LengthField
        :model-value="desk.cutAt ?? 0"
        :unit="shot.unit"
        label="Cut at a height; 0 for whole"
        @update:model-value="(m) => (desk.cutAt = m > 0 ? m : null)"
      />
    </div>
    <div class="list">
      <div
        v-for="p in parts"
        :key="p.id"
        v-memo="[p, desk.selected === p.id, findings.get(p.id), measure(p)]"
        :class="{ on: desk.selected === p.id, muted: p.muted }"
        :data-test="`part-${p.id}`"
        @click="
          desk.selected = p.id;
          desk.face = null;
        "
      >
        <span class="named">{{ p.name }}</span>
        <span v-if="findings.has(p.id)" class="warn" :title="findings.get(p.id)"
          ><i class="pi pi-exclamation-triangle"
        /></span>
        <span class="num end quiet">{{ measure(p) }}</span>
        <button class="plain" :aria-label="`Delete ${p.name}`" @click.stop="remove(p.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="parts.length === 0" class="quiet">
      Nothing yet. Start with the ground or the room that the prop stands in.
    </p>
  </section>
  <section v-if="chosen" class="card chosen">
    <h3>
      <InputText
        :model-value="chosen.name"
        class="name"
        aria-label="Name"
        @change="
          store.commit(
            'Rename',
            (d) => (d.set[chosen!.id].name = ($event.target as HTMLInputElement).value || chosen!.name),
          )
        "
      />
      <span class="quiet"
        >{{ kindOf(chosen).title.toLowerCase() }}, {{ faces.length }} {{ faces.length === 1 ? "face" : "faces" }}</span
      >
    </h3>
    <div v-if="findings.has(chosen.id)" class="finding warning">{{ findings.get(chosen.id) }}</div>
    <div class="row tight">
      <PartFields :shot="shot" :part="chosen" />
      <label v-for="w in switches" :key="w.key" class="row"
        ><input
          type="checkbox"
          :checked="w.on"
          @change="store.commit(`Change ${w.label}`, (d) => w.put(d.set[chosen!.id] as Part, !w.on))"
        />
        {{ w.label }}</label
      >
      <label v-for="c in choices" :key="c.key" class="row"
        ><span class="quiet">{{ c.label }}</span>
        <Select
          :model-value="c.value"
          :options="c.options"
          option-label="label"
          option-value="value"
          placeholder="none"
          show-clear
          size="small"
          :aria-label="c.label"
          @update:model-value="
            (v: string | null) => store.commit(`Choose ${c.label}`, (d) => c.put(d.set[chosen!.id] as Part, v))
          "
      /></label>
    </div>
    <div v-if="standing" class="row tight acts">
      <span class="quiet"
        >{{ standing.gap > 0 ? "floats" : "sinks" }} {{ formatLength(Math.abs(standing.gap), shot.unit) }}
        {{ standing.gap > 0 ? "over" : "into" }} {{ standing.on }}</span
      >
      <button v-if="camera" class="act" data-test="stand" @click="stand">slide along the sight until it stands</button>
    </div>
    <div class="row tight acts">
      <button
        v-for="a in acts"
        :key="a.key"
        class="act"
        :data-test="`act-${a.key}`"
        @click="store.commit(a.label, (d) => a.put(d.set[chosen!.id] as Part))"
      >
        {{ a.label }}
      </button>
      <button v-if="settles" class="act" data-test="settle" @click="settleChosen">onto the plate's edges</button>
      <button v-if="turnsIntoShell(chosen)" class="act" data-test="to-shell" @click="toShell">turn into shell</button>
      <button v-if="!isHeld(chosen)" class="act" @click="duplicate">copy</button>
      <button v-if="chosen.kind !== 'opening'" class="act" @click="mirror(0)">mirror in X</button>
      <button v-if="chosen.kind !== 'opening'" class="act" @click="mirror(1)">in Y</button>
      <span v-if="referencesTo(shot, chosen.id).length > 0" class="quiet"
        >{{ referencesTo(shot, chosen.id).length }} on it</span
      >
    </div>
    <div v-if="chosen.kind === 'shell'" class="row tight acts">
      <Select
        :model-value="desk.face"
        :options="faceOptions"
        option-label="label"
        option-value="value"
        placeholder="a face"
        size="small"
        aria-label="Face"
        data-test="face"
        @update:model-value="(f: string) => (desk.face = f)"
      />
      <template v-if="desk.face">
        <span class="quiet">{{
          seenPixels === null ? "" : seenPixels > 0 ? `seen in ${Number(seenPixels.toPrecision(2))} px` : "hidden"
        }}</span>
        <span class="quiet">pull by</span>
        <LengthField
          :model-value="0"
          :unit="shot.unit"
          label="Pull by"
          @update:model-value="(m) => shape('Pull face', (s) => pullFace(s, desk.face!, m))"
        />
        <span class="quiet">move by</span>
        <LengthField
          :model-value="0"
          :unit="shot.unit"
          label="Move by"
          @update:model-value="(m) => shape('Move face', (s) => moveFace(s, desk.face!, m))"
        />
        <button class="act" @click="shape('Delete face', (s) => deleteFace(s, desk.face!))">delete face</button>
        <button class="act" @click="split">split off</button>
        <Select
          v-if="otherFace.length > 0"
          :model-value="null"
          :options="otherFace"
          placeholder="bridge to"
          size="small"
          aria-label="Bridge to"
          @update:model-value="(f: string) => shape('Bridge faces', (s) => bridgeFaces(s, desk.face!, f))"
        />
        <button
          class="act"
          @click="
            shape('Cut around', (s) =>
              cutAround(s, { edge: [s.faces[desk.face!].rings[0][0], s.faces[desk.face!].rings[0][1]], at: 0.5 }),
            )
          "
        >
          cut around
        </button>
      </template>
      <Select
        v-if="otherShells.length > 0"
        :model-value="null"
        :options="otherShells"
        option-label="name"
        option-value="id"
        placeholder="merge with"
        size="small"
        aria-label="Merge with"
        @update:model-value="merge"
      />
    </div>
  </section>
  <section v-else class="card chosen">
    <p class="quiet">
      Click a part on the plate to select it, again to select its face. Drawing snaps to corners, sides, axes and round
      lengths; Alt lets go. Type a length while drawing and press Enter.
    </p>
  </section>
</template>

<style scoped>
.tools {
  flex: 1.05;
}
.parts {
  flex: 1;
}
.chosen {
  flex: 1.25;
}
.second {
  margin: 7px 0 4px;
}
.tight {
  gap: 4px;
}
.tight :deep(.tool) {
  padding: 2px 6px;
  font-size: 12px;
}
.held {
  color: #ffd27a;
}
.looks button.on {
  color: var(--accent);
}
.named {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.muted {
  opacity: 0.5;
}
.warn {
  color: var(--warn);
}
.name {
  width: 140px;
}
.acts {
  margin-top: 5px;
}
.act {
  background: #3d3b3a;
  color: var(--ink);
  border: 1px solid var(--line);
  font: inherit;
  font-size: 12px;
  padding: 2px 7px;
  cursor: pointer;
}
.act:hover {
  background: #4a4746;
}
</style>
