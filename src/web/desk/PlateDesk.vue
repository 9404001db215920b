<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch, watchEffect } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import { modelBounds } from "#core/props/model";
import { modelOf, placementOf } from "#core/props/placed";
import { placePoint } from "#core/props/transform";
import type { Shot } from "#core/shot/schema";
import { useComp } from "../stores/comp.ts";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useProof } from "../stores/proof.ts";
import Loupe from "./Loupe.vue";
import MarksOverlay from "./MarksOverlay.vue";
import GrainOverlay from "./GrainOverlay.vue";
import MatteOverlay from "./MatteOverlay.vue";
import SurroundingsOverlay from "./SurroundingsOverlay.vue";
import SelectedTag from "./SelectedTag.vue";
import SetOverlay from "./SetOverlay.vue";
import { useDeskKeys } from "./deskKeys.ts";
import { newDrag, useDrags } from "./drags.ts";
import { useDrawing } from "./drawing.ts";
import { handlesOf } from "./handles/index.ts";
import { useTurning } from "./turning.ts";
import type { Loose } from "./handles/loose.ts";
import { useSetTools } from "./setTools.ts";
import { usePropMoves } from "./propMoves.ts";
import { prompt } from "./toolTable.ts";
import { useWorldView } from "./worldView.ts";

/** The plate with all that lies over it: real-time view, proof, marks, set, handles. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const plate = usePlate();
const proof = useProof();
const models = useModels();
const comp = useComp();
const notices = useNotices();

const root = ref<HTMLElement>();
const plateCanvas = ref<HTMLCanvasElement>();
const pictureCanvas = ref<HTMLCanvasElement>();
const viewCanvas = ref<HTMLCanvasElement>();

const drag = newDrag();
const draggingSet = () => desk.step === "set" && (drag.value?.kind === "handle" || drag.value?.kind === "set");
const { view, sight, shows: showsView } = useWorldView(props, viewCanvas, draggingSet);

const propMoves = usePropMoves(view);

const frame = computed(() => ({ width: props.shot.plates.main.width, height: props.shot.plates.main.height }));
/** Where the pointer is in the world, while props are placed. */
const pointedAt = computed(() => {
  if (desk.step !== "props" || !desk.pointer || !sight.value) return "";
  const surface = propMoves.surfaceAt(
    props.shot,
    sight.value,
    desk.pointer,
    drag.value?.kind === "prop" ? [drag.value.id] : [],
  );
  return surface ? propMoves.words(props.shot, surface) : "";
});
/** Heights of the props' models as they stand, for the handles on their tops. */
const heights = computed(() => {
  const found = new Map<string, number>();
  if (desk.step !== "props") return found;
  for (const prop of Object.values(props.shot.props)) {
    const model = modelOf(prop, models.models);
    if (model) found.set(prop.id, modelBounds(model).high[2] * prop.placement.scale[2]);
  }
  return found;
});
const loose = computed<Loose>(() => ({
  trial: desk.trial,
  setTrial: (points) => desk.trial && (desk.trial = { ...desk.trial, points }),
  stand: desk.checks.pole || desk.checks.person || desk.checks.checker || desk.checks.corner ? desk.checks.stand : null,
  setStand: (at) => (desk.checks.stand = at),
}));
const AXES: Record<"x" | "y" | "z", Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const turning = useTurning();
const handles = computed(() =>
  handlesOf(desk.step, {
    shot: props.shot,
    camera: props.camera,
    sight: sight.value,
    chosen: { selected: desk.selected, face: desk.face, axis: desk.heldAxis && AXES[desk.heldAxis] },
    box: desk.box,
    heights: heights.value,
    rose: desk.lightDrawer === "sun",
    propHands: {
      over: (id, pixel) => sight.value && propMoves.moveOver(props.shot, sight.value, id, pixel, false),
      turn: turning.turnBy,
      pivot: desk.pivot,
    },
    loose: loose.value,
    matte: desk.compDrawer === "mattes" ? comp.matte : null,
    grain: desk.compDrawer === "match",
  }),
);
const drawing = useDrawing();
const setTools = useSetTools();
/** What is selected fills the view: on the plate by zooming, from outside by going there. */
watch(
  () => desk.framed,
  () => {
    const prop = desk.selected ? props.shot.props[desk.selected] : undefined;
    if (desk.outside) {
      view.value?.frame(prop ? [prop.id] : []);
      return;
    }
    const model = prop && modelOf(prop, models.models);
    if (!model || !props.camera) return;
    const { low, high } = modelBounds(model);
    const seen = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) => {
      const corner = [0, 1, 2].map((k) => ((i >> k) & 1 ? high[k] : low[k])) as Vec3;
      return [projectPoint(props.camera!, placePoint(placementOf(prop), corner))].filter((p) => p !== null);
    });
    if (seen.length > 0) desk.fitTo(seen);
  },
);

const ghost = computed(() => (sight.value && desk.step === "set" ? drawing.preview(props.shot, sight.value) : []));
const showsSet = computed(
  () =>
    sight.value !== null &&
    !desk.blink &&
    (desk.step === "set" || (desk.overlay && (desk.step === "light" || desk.step === "props")) || desk.outside),
);
const placed = computed(() => ({
  left: `${desk.offset[0]}px`,
  top: `${desk.offset[1]}px`,
  width: `${frame.value.width * desk.scale}px`,
  height: `${frame.value.height * desk.scale}px`,
  imageRendering: desk.scale >= 3 ? ("pixelated" as const) : ("auto" as const),
}));
const showsPicture = computed(() => proof.picture !== null && proof.on && !desk.blink && !desk.outside);
/** How much of the picture is seen: what lies right of a line that may be turned, or the middle half of it beside the plate's. */
const comparedStyle = computed(() => {
  if (desk.compare === "beside") return { clipPath: "inset(0 25%)", transform: "translateX(25%)" };
  if (desk.compare !== "wipe") return {};
  if (desk.wipeTurn === 0) return { clipPath: `inset(0 0 0 ${desk.wipeAt * 100}%)` };
  const { width, height } = frame.value;
  const turn = (desk.wipeTurn * Math.PI) / 180;
  const [x, y] = [desk.wipeAt * width, height / 2];
  const along = [Math.sin(turn), Math.cos(turn)];
  const far = 2 * (width + height);
  const corner = (a: number, b: number) => {
    const u = x + a * along[0] + b * along[1];
    const v = y + a * along[1] - b * along[0];
    return `${((100 * u) / width).toFixed(3)}% ${((100 * v) / height).toFixed(3)}%`;
  };
  return { clipPath: `polygon(${[corner(-far, 0), corner(far, 0), corner(far, far), corner(-far, far)].join(", ")})` };
});
const plateStyle = computed(() => ({
  ...placed.value,
  ...(showsPicture.value && desk.compare === "beside"
    ? { clipPath: "inset(0 25%)", transform: "translateX(-25%)" }
    : {}),
}));
const pictureStyle = computed(() => ({
  ...placed.value,
  opacity: desk.compare === "picture" ? desk.pictureStrength : 1,
  ...comparedStyle.value,
  mixBlendMode: desk.compare === "difference" ? ("difference" as const) : undefined,
}));
/** The wipe's line on screen, when it is in use. */
const wipeLine = computed(() => {
  if (!showsPicture.value || desk.compare !== "wipe") return null;
  return desk.offset[0] + desk.wipeAt * frame.value.width * desk.scale;
});

const drags = useDrags({ propMoves, props, root, sight, view, handles, wipeLine, drag, setTools });
const { hot, active, words } = drags;
const { key } = useDeskKeys(props, sight, handles, setTools, drags);
const showsLoupe = computed(() => (desk.marking || drag.value?.kind === "handle") && !desk.outside);
const wordsAt = computed(() => {
  if (!words.value || !desk.pointer) return null;
  const [x, y] = desk.outside ? desk.pointer : desk.toScreen(desk.pointer);
  return { left: `${x}px`, top: `${y}px` };
});

watchEffect(() => {
  const source = plate.shown;
  const canvas = plateCanvas.value;
  if (!source || !canvas) return;
  canvas.width = source.width;
  canvas.height = source.height;
  canvas.getContext("2d")!.drawImage(source.canvas, 0, 0);
});

watch(
  () => [proof.picture, pictureCanvas.value] as const,
  ([picture, canvas]) => {
    if (!picture || !canvas) return;
    canvas.width = picture.width;
    canvas.height = picture.height;
    canvas.getContext("2d")!.drawImage(picture.bitmap, picture.part.x0, picture.part.y0);
  },
  { flush: "post" },
);

const observer = new ResizeObserver(([entry]) => {
  const before = desk.size;
  desk.size = [entry.contentRect.width, entry.contentRect.height];
  if (before[0] <= 1 || Math.abs(before[1] - desk.size[1]) > 1 || Math.abs(before[0] - desk.size[0]) > 1)
    desk.fit(frame.value.width, frame.value.height);
});
onMounted(() => observer.observe(root.value!));
onBeforeUnmount(() => observer.disconnect());

function wheel(e: WheelEvent): void {
  if (desk.outside) return;
  desk.zoomAt(drags.local(e), Math.exp(-e.deltaY * 0.0016));
}

const hint = computed(() =>
  desk.pickingTie
    ? "Click a corner of the model; the plate comes back for its pixel"
    : desk.lookThrough
      ? `Looking through ${desk.lookThrough.name}`
      : desk.tieWorld && desk.tool === "tie"
        ? `Now click where ${desk.tieWorld.map((v) => v.toFixed(3)).join(", ")} is on the plate`
        : prompt(desk.tool, Math.max(desk.started.length, desk.drawn.length + (desk.drawn[0]?.side ? 1 : 0))),
);

/** Picks a corner of a model in the view from outside, as the world point of a tie. */
function pickTie(e: MouseEvent): void {
  if (!desk.pickingTie || !desk.outside) return;
  const [x, y] = drags.local(e);
  const at = view.value?.vertexAt((x / desk.size[0]) * 2 - 1, 1 - (y / desk.size[1]) * 2);
  if (!at) {
    notices.say("warn", "No model is there.", "Turn the view until the corner is seen, and click on it.");
    return;
  }
  desk.pickingTie = false;
  desk.outside = false;
  desk.choose("tie");
  desk.tieWorld = at;
}
</script>

<template>
  <div
    ref="root"
    class="desk"
    :class="{ marking: desk.marking, grabbing: drag?.kind === 'pan', hot: hot !== null }"
    tabindex="0"
    aria-label="Plate"
    data-test="desk"
    @pointerdown.capture="drags.down"
    @pointermove="drags.move"
    @pointerup="drags.up"
    @click="pickTie"
    @pointerleave="desk.pointer = null"
    @wheel.prevent="wheel"
    @contextmenu.prevent
    @keydown="key"
  >
    <canvas
      v-show="!desk.outside"
      ref="plateCanvas"
      class="layer"
      :style="{ ...plateStyle, opacity: desk.blink ? 1 : desk.plateStrength }"
    />
    <canvas
      v-show="showsView"
      ref="viewCanvas"
      class="layer"
      :class="{ free: desk.outside }"
      :style="
        desk.outside
          ? { left: 0, top: 0, width: '100%', height: '100%' }
          : { ...placed, opacity: desk.step === 'props' ? desk.propStrength : 1 }
      "
    />
    <canvas v-show="showsPicture" ref="pictureCanvas" class="layer" :style="pictureStyle" data-test="proof-picture" />
    <SurroundingsOverlay
      v-if="desk.step === 'light' && desk.lightDrawer === 'sky' && camera && !desk.outside && !desk.blink"
      :shot="shot"
      :camera="camera"
      :frame="frame"
    />
    <MarksOverlay
      v-if="!desk.outside && !desk.blink"
      :shot="shot"
      :camera="camera"
      :handles="desk.overlay || desk.step !== 'camera' ? handles : []"
      :hot="hot ?? active"
    />
    <GrainOverlay v-if="desk.step === 'comp' && desk.compDrawer === 'match' && !desk.blink" :shot="shot" />
    <MatteOverlay
      v-if="desk.step === 'comp' && desk.compDrawer === 'mattes' && !desk.blink"
      :shot="shot"
      :stroke="drag?.kind === 'stroke' ? drag.points : null"
    />
    <SetOverlay v-if="showsSet && sight" :shot="shot" :sight="sight" :preview="ghost" :step="desk.step === 'set'" />
    <svg v-if="desk.outside && (desk.step === 'set' || desk.step === 'props')" class="grips" aria-hidden="true">
      <circle
        v-for="h in handles"
        :key="h.key"
        :cx="h.at[0]"
        :cy="h.at[1]"
        :r="hot === h.key ? 7 : desk.selected === h.owner ? 5 : 3.5"
        :class="{ on: desk.selected === h.owner }"
      />
    </svg>
    <SelectedTag v-if="sight && (desk.step === 'set' || desk.step === 'props')" :shot="shot" :sight="sight" />
    <div
      v-if="wipeLine !== null"
      class="wipe"
      :style="{ left: `${wipeLine}px`, transform: `rotate(${-desk.wipeTurn}deg)` }"
    >
      <i class="pi pi-arrows-h" />
    </div>
    <Loupe v-if="showsLoupe" :picture="showsPicture ? (pictureCanvas ?? null) : null" />
    <div v-if="pointedAt" class="pointed num" data-test="pointed">{{ pointedAt }}</div>
    <div v-if="wordsAt" class="ways num" :style="wordsAt" data-test="ways">{{ words }}</div>
    <div v-if="hint" class="hint">{{ hint }} <span class="quiet">Esc ends</span></div>
    <div v-if="!plate.shown" class="hint">Reading the plate …</div>
  </div>
</template>

<style scoped>
.desk {
  position: relative;
  overflow: hidden;
  background: var(--surround);
  touch-action: none;
  outline: none;
}
.desk.marking {
  cursor: crosshair;
}
.desk.hot {
  cursor: move;
}
.desk.grabbing {
  cursor: grabbing;
}
.layer {
  position: absolute;
  pointer-events: none;
}
.layer.free {
  pointer-events: auto;
  background: #4a4948;
}
.grips {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.grips circle {
  fill: #f4f1ea;
  stroke: #0009;
}
.grips circle.on {
  fill: var(--accent);
}
.wipe {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: #f4f1ea;
  box-shadow: 0 0 0 1px #0007;
  pointer-events: none;
}
.wipe i {
  position: absolute;
  bottom: 14px;
  left: -11px;
  width: 22px;
  height: 22px;
  display: grid;
  place-items: center;
  background: #f4f1ea;
  color: #292827;
  border-radius: 4px;
}
.pointed {
  position: absolute;
  right: 8px;
  bottom: 8px;
  padding: 1px 6px;
  background: #1f1e1ecc;
  pointer-events: none;
}
.ways {
  position: absolute;
  transform: translate(18px, 16px);
  background: #1f1e1ee6;
  color: #ffd27a;
  padding: 1px 6px;
  white-space: nowrap;
  pointer-events: none;
  z-index: 6;
}
.hint {
  position: absolute;
  left: 50%;
  bottom: 10px;
  transform: translateX(-50%);
  background: #1f1e1ee0;
  padding: 5px 12px;
  pointer-events: none;
}
</style>
