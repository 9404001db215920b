<script setup lang="ts">
import { useEventListener } from "@vueuse/core";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch, watchEffect } from "vue";
import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { modelBounds } from "#core/props/model";
import { modelOf } from "#core/props/placed";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import MarksOverlay from "./MarksOverlay.vue";
import SetOverlay from "./SetOverlay.vue";
import SelectedTag from "./SelectedTag.vue";
import { deletion } from "./deletion.ts";
import { useDrawing } from "./drawing.ts";
import type { Handle } from "./handles/handle.ts";
import { handleAt } from "./handles/handle.ts";
import { handlesOf } from "./handles/index.ts";
import type { Loose } from "./handles/loose.ts";
import { useHand } from "./hand.ts";
import { handMoveOf } from "./handSteps.ts";
import { useSetTools } from "./setTools.ts";
import type { Sight } from "./sight.ts";
import { onPlane, plateSight } from "./sight.ts";
import { prompt } from "./toolTable.ts";
import { useTools } from "./tools.ts";
import { View3d } from "./view3d.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const plate = usePlate();
const proof = useProof();
const models = useModels();
const notices = useNotices();
const tools = useTools();
const hand = useHand();
const byHand = computed(() => desk.step === "camera" && props.shot.match.by === "hand");

const root = ref<HTMLElement>();
const plateCanvas = ref<HTMLCanvasElement>();
const pictureCanvas = ref<HTMLCanvasElement>();
const viewCanvas = ref<HTMLCanvasElement>();
const loupeCanvas = ref<HTMLCanvasElement>();
const hot = ref<string | null>(null);
const active = ref<string | null>(null);
let view: View3d | null = null;

const frame = computed(() => ({ width: props.shot.plates.main.width, height: props.shot.plates.main.height }));
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
/** Through the plate's camera, or from outside. */
const sight = computed<Sight | null>(() => {
  if (!props.camera) return null;
  if (!desk.outside) return plateSight(props.camera);
  // Turning the view makes it a new one.
  void desk.turned;
  return view?.sight(desk.size) ?? null;
});
const handles = computed(() =>
  handlesOf(desk.step, {
    shot: props.shot,
    camera: props.camera,
    sight: sight.value,
    chosen: { selected: desk.selected, face: desk.face, axis: desk.heldAxis && AXES[desk.heldAxis] },
    box: desk.box,
    heights: heights.value,
    loose: loose.value,
  }),
);
const AXES: Record<"x" | "y" | "z", [number, number, number]> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const drawing = useDrawing();
const setTools = useSetTools();
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
const showsView = computed(
  () =>
    props.camera !== null &&
    (desk.outside ||
      (!proof.on &&
        (desk.step === "props" ||
          desk.step === "light" ||
          desk.step === "set" ||
          (desk.step === "camera" && (desk.plateStrength < 1 || desk.drawer === "hand"))))),
);
const showsPicture = computed(() => proof.picture !== null && proof.on && !desk.blink && !desk.outside);
const pictureStyle = computed(() => ({
  ...placed.value,
  opacity: desk.compare === "picture" ? desk.pictureStrength : 1,
  clipPath: desk.compare === "wipe" ? `inset(0 0 0 ${desk.wipeAt * 100}%)` : undefined,
  mixBlendMode: desk.compare === "difference" ? ("difference" as const) : undefined,
}));

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

type Drag =
  | { kind: "wipe" }
  | { kind: "pan"; from: Vec2; offset: Vec2 }
  | { kind: "handle"; handle: Handle; from: Vec2; grab: Vec2; moved: boolean; to: Vec2 }
  | { kind: "prop"; id: string; from: Vec2; start: Vec2; moved: boolean; to: Vec2 }
  | { kind: "mark"; from: Vec2; press: Vec2 }
  | { kind: "set"; from: Vec2 };
const drag = shallowRef<Drag | null>(null);

watch(
  () =>
    [
      props.shot,
      props.camera,
      models.models,
      showsView.value,
      desk.outside,
      desk.size,
      desk.outsideView,
      desk.cutAt,
      drag.value === null,
    ] as const,
  () => {
    if (!showsView.value || !viewCanvas.value || !props.camera) return;
    // While the set is dragged only its lines follow; the view behind them is drawn when it is let go.
    if (desk.step === "set" && (drag.value?.kind === "handle" || drag.value?.kind === "set")) return;
    view ??= new View3d(viewCanvas.value, () => desk.turned++);
    const [w, h] = desk.size;
    const s = Math.min(1, 1500 / Math.max(frame.value.width, frame.value.height));
    const size = desk.outside
      ? { width: Math.round(w), height: Math.round(h) }
      : { width: Math.round(frame.value.width * s), height: Math.round(frame.value.height * s) };
    view.show(props.shot, props.camera, models.models, size, {
      outside: desk.outside,
      plate: plate.shown?.canvas ?? null,
      look: desk.outsideView,
      cutAt: desk.cutAt,
    });
    if (desk.outside) desk.turned++;
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
onBeforeUnmount(() => {
  observer.disconnect();
  view?.dispose();
});

const local = (e: PointerEvent | WheelEvent | MouseEvent): Vec2 => {
  const box = root.value!.getBoundingClientRect();
  return [e.clientX - box.left, e.clientY - box.top];
};
/** A pixel of the plate; of the window when looking from outside. */
const pixelAt = (at: Vec2): Vec2 => (desk.outside ? at : desk.toPlate(at));
const inside = (p: Vec2): Vec2 =>
  desk.outside ? p : [Math.min(frame.value.width, Math.max(0, p[0])), Math.min(frame.value.height, Math.max(0, p[1]))];

/** The wipe's line on screen, when it is in use. */
const wipeLine = computed(() => {
  if (!showsPicture.value || desk.compare !== "wipe") return null;
  return desk.offset[0] + desk.wipeAt * frame.value.width * desk.scale;
});

const reach = () => 11 / desk.deskScale;

/** The prop that is seen at a pixel. */
const propAt = (pixel: Vec2): string | null =>
  props.camera && desk.step === "props" ? (view?.propAt(props.camera, pixel) ?? null) : null;

function down(e: PointerEvent): void {
  // The tag beside what is selected has fields of its own.
  if ((e.target as HTMLElement).closest(".tag-box")) return;
  const at = local(e);
  const pixel = pixelAt(at);
  if (desk.outside) {
    // The view turns where nothing can be grabbed and no tool is in hand.
    const grabs = e.button === 0 && (desk.marking || handleAt(handles.value, pixel, reach()) !== null);
    if (!grabs || desk.pickingTie) {
      if (e.button === 0 && !desk.pickingTie && desk.step === "set") pickPart(pixel);
      return;
    }
    e.stopPropagation();
  }
  root.value!.setPointerCapture(e.pointerId);
  root.value!.focus();
  if (!desk.outside && (e.button === 1 || e.button === 2 || (e.altKey && !desk.marking))) {
    drag.value = { kind: "pan", from: at, offset: desk.offset };
    return;
  }
  if (wipeLine.value !== null && Math.abs(at[0] - wipeLine.value) < 8) {
    drag.value = { kind: "wipe" };
    return;
  }
  if (desk.marking) {
    if (sight.value && setTools.press(props.shot, sight.value, pixel)) {
      drag.value = { kind: "set", from: pixel };
      return;
    }
    drag.value = { kind: "mark", from: at, press: pixel };
    if (takesTwo()) {
      if (desk.started.length === 0) desk.started = [inside(pixel)];
    }
    return;
  }
  const handle = handleAt(handles.value, pixel, reach());
  if (handle) {
    active.value = handle.key;
    desk.selected = handle.owner;
    drag.value = {
      kind: "handle",
      handle,
      from: pixel,
      grab: [handle.at[0] - pixel[0], handle.at[1] - pixel[1]],
      moved: false,
      to: pixel,
    };
    return;
  }
  const prop = propAt(pixel);
  if (prop) {
    desk.selected = prop;
    drag.value = { kind: "prop", id: prop, from: pixel, start: pixel, moved: false, to: pixel };
    return;
  }
  if (desk.step === "set" && pickPart(pixel)) {
    drag.value = { kind: "pan", from: at, offset: desk.offset };
    return;
  }
  desk.selected = null;
  desk.face = null;
  drag.value = { kind: "pan", from: at, offset: desk.offset };
}

/** Selects the part of the set under a pixel; clicked again, its face there. True if there is one. */
function pickPart(pixel: Vec2): boolean {
  const picked = sight.value && drawing.faceAt(props.shot, sight.value, pixel);
  if (!picked) return false;
  const again = desk.selected === picked.part.id;
  desk.selected = picked.part.id;
  desk.face = again ? picked.face.id : null;
  return true;
}

function changeOf(d: Extract<Drag, { kind: "handle" }>, pixel: Vec2) {
  const target: Vec2 = d.handle.to ? pixel : inside([pixel[0] + d.grab[0], pixel[1] + d.grab[1]]);
  return (draft: Parameters<Handle["drag"]>[0]) =>
    d.handle.drag(draft, target, [pixel[0] - d.from[0], pixel[1] - d.from[1]]);
}

/** Moves a prop over the ground by the way the pointer went there. */
function propMove(id: string, from: Vec2, to: Vec2) {
  return (draft: Parameters<Handle["drag"]>[0]) => {
    const prop = draft.props[id];
    const z = prop.placement.position[2];
    const level = { normal: [0, 0, 1] as [number, number, number], offset: z };
    const a = sight.value && onPlane(sight.value.ray(from), level);
    const b = sight.value && onPlane(sight.value.ray(to), level);
    const before = store.work!.shot.props[id].placement.position;
    if (a && b) prop.placement.position = [before[0] + b[0] - a[0], before[1] + b[1] - a[1], z];
  };
}

/** While something of the set is dragged, X, Y and Z hold it to that axis. */
useEventListener(window, "keydown", (e: KeyboardEvent) => {
  const k = e.key.toLowerCase();
  if (desk.step !== "set" || drag.value?.kind !== "handle" || !(k === "x" || k === "y" || k === "z")) return;
  desk.heldAxis = k;
  const d = drag.value;
  const again = handles.value.find((h) => h.key === d.handle.key);
  if (again) drag.value = { ...d, handle: again };
  e.preventDefault();
  e.stopImmediatePropagation();
});
useEventListener(window, "keyup", () => (desk.heldAxis = null));

function move(e: PointerEvent): void {
  const at = local(e);
  const pixel = pixelAt(at);
  desk.pointer = inside(pixel);
  drawLoupe();
  const d = drag.value;
  if (desk.marking && sight.value && desk.step === "set" && d?.kind !== "set")
    drawing.look(props.shot, sight.value, pixel, e.altKey);
  if (d?.kind === "set" && sight.value) setTools.move(props.shot, sight.value, pixel, e.shiftKey);
  if (!d) {
    const handle = desk.marking ? null : handleAt(handles.value, pixel, reach());
    hot.value = handle?.key ?? null;
    return;
  }
  if (d.kind === "wipe") desk.wipeAt = Math.min(1, Math.max(0, pixel[0] / frame.value.width));
  if (d.kind === "pan") desk.offset = [d.offset[0] + at[0] - d.from[0], d.offset[1] + at[1] - d.from[1]];
  if (d.kind === "handle") {
    if (!d.moved && Math.hypot(pixel[0] - d.from[0], pixel[1] - d.from[1]) * desk.deskScale < 2) return;
    d.moved = true;
    d.to = pixel;
    store.preview(changeOf(d, pixel));
  }
  if (d.kind === "prop") {
    if (!d.moved && Math.hypot(pixel[0] - d.from[0], pixel[1] - d.from[1]) * desk.scale < 3) return;
    d.moved = true;
    d.to = pixel;
    store.preview(propMove(d.id, d.start, pixel));
  }
}

async function up(e: PointerEvent): Promise<void> {
  const d = drag.value;
  drag.value = null;
  if (!d) return;
  const at = local(e);
  const pixel = inside(pixelAt(at));
  try {
    if (d.kind === "set" && sight.value) await setTools.release(props.shot, sight.value, pixel);
    if (d.kind === "handle" && d.moved) await store.commit(d.handle.edit, changeOf(d, d.to));
    if (d.kind === "prop" && d.moved)
      await store.commit(`Move ${props.shot.props[d.id].name}`, propMove(d.id, d.start, d.to));
    if (d.kind === "mark") {
      const dragged = Math.hypot(at[0] - d.from[0], at[1] - d.from[1]) > 5;
      // A press and drag draws the whole edge; a click sets one end.
      if (takesTwo() && desk.started.length === 1 && !dragged && near(desk.started[0], pixel)) return;
      if (drawing.toolOf() && sight.value) {
        // What is built may reach beyond the frame.
        const free = pixelAt(at);
        if (dragged && (await drawing.drag(props.shot, sight.value, d.press, free))) return;
        await drawing.click(props.shot, sight.value, free, e.altKey);
      } else if (sight.value && (await setTools.click(props.shot, sight.value, pixelAt(at), e.altKey))) return;
      else await tools.click(pixel, props.shot, props.camera);
    }
  } catch (error) {
    store.cancelPreview();
    notices.fail(error);
  }
}
const takesTwo = () => desk.tool.startsWith("edge-") || ["length", "tape", "line", "closer"].includes(desk.tool);
const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]) * desk.scale < 3;

function wheel(e: WheelEvent): void {
  if (desk.outside) return;
  desk.zoomAt(local(e), Math.exp(-e.deltaY * 0.0016));
}

/** With a tool in hand the arrows move its pointer over the plate, by a pixel or with Shift by twenty; Space sets a point. */
async function markByKey(e: KeyboardEvent, arrow: Vec2 | undefined): Promise<boolean> {
  if (!desk.marking || desk.outside) return false;
  if (arrow) {
    const by = e.shiftKey ? 20 : e.altKey ? 0.1 : 1;
    const from = desk.pointer ?? desk.toPlate([desk.size[0] / 2, desk.size[1] / 2]);
    desk.pointer = inside([from[0] + arrow[0] * by, from[1] + arrow[1] * by]);
    drawLoupe();
    return true;
  }
  if (e.key === " " && desk.pointer) {
    const pixel = desk.pointer;
    if (takesTwo() && desk.started.length === 0) desk.started = [pixel];
    else if (drawing.toolOf() && sight.value) await drawing.click(props.shot, sight.value, pixel, e.altKey);
    else if (!(sight.value && (await setTools.click(props.shot, sight.value, pixel, e.altKey))))
      await tools.click(pixel, props.shot, props.camera);
    return true;
  }
  return false;
}

/** Arrow keys move what was grabbed last by a tenth of a pixel, with Shift by one. */
async function key(e: KeyboardEvent): Promise<void> {
  const arrows: Record<string, Vec2> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
  const arrow = arrows[e.key];
  if (!e.ctrlKey && !e.metaKey && drawing.type(e.key)) {
    e.preventDefault();
    e.stopPropagation();
    return;
  }
  if (await markByKey(e, arrow)) {
    e.preventDefault();
    return;
  }
  const move = byHand.value && !desk.selected ? handMoveOf(e) : null;
  if (move) {
    e.preventDefault();
    e.stopPropagation();
    await hand.make(move, e.shiftKey, desk.turnAxis);
    return;
  }
  const handle =
    handles.value.find((h) => h.key === active.value) ?? handles.value.find((h) => h.owner === desk.selected);
  if (arrow && handle && desk.selected) {
    e.preventDefault();
    const by = e.shiftKey ? 1 : 0.1;
    const delta: Vec2 = [arrow[0] * by, arrow[1] * by];
    const target: Vec2 = [handle.at[0] + delta[0], handle.at[1] + delta[1]];
    await store.commit("Nudge", (draft) => handle.drag(draft, target, delta));
  } else if ((e.key === "Delete" || e.key === "Backspace") && desk.selected) {
    e.preventDefault();
    const gone = deletion(props.shot, desk.selected);
    desk.selected = null;
    if (gone) await store.commit(gone.name, gone.change);
  } else if (e.key === "Enter" && desk.marking) {
    if (drawing.toolOf() && sight.value) await drawing.enter(props.shot, sight.value);
    else if (!(sight.value && (await setTools.enter(props.shot, sight.value)))) await tools.close(props.shot);
  } else if (e.key === "Tab" && !e.ctrlKey && handles.value.length > 0 && (desk.selected || desk.step === "camera")) {
    const points = handles.value.filter((h) => !h.to);
    const i = points.findIndex((h) => h.key === active.value);
    const next = points[(i + (e.shiftKey ? points.length - 1 : 1)) % points.length];
    e.preventDefault();
    active.value = next.key;
    hot.value = next.key;
    desk.selected = next.owner;
  }
}

const LOUPE = 148;
const loupeZoom = computed(() => Math.max(8, desk.scale * 3));
const loupeAt = computed(() => {
  const p = desk.pointer;
  if (!p || !(desk.marking || drag.value?.kind === "handle") || desk.outside) return null;
  const [x, y] = desk.toScreen(p);
  const left = x + 26 + LOUPE > desk.size[0] ? x - 26 - LOUPE : x + 26;
  const top = y + 26 + LOUPE > desk.size[1] ? y - 26 - LOUPE : y + 26;
  return { left: `${left}px`, top: `${top}px` };
});

function drawLoupe(): void {
  const canvas = loupeCanvas.value;
  const source = plate.shown;
  const p = desk.pointer;
  if (!canvas || !source || !p) return;
  const context = canvas.getContext("2d")!;
  const z = loupeZoom.value;
  const span = LOUPE / z;
  context.imageSmoothingEnabled = false;
  context.fillStyle = "#777675";
  context.fillRect(0, 0, LOUPE, LOUPE);
  context.drawImage(source.canvas, p[0] - span / 2, p[1] - span / 2, span, span, 0, 0, LOUPE, LOUPE);
  const c = LOUPE / 2;
  context.lineWidth = 1;
  for (const [colour, o] of [
    ["#0008", 1],
    ["#fff", 0],
  ] as const) {
    context.strokeStyle = colour;
    context.beginPath();
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ]) {
      context.moveTo(c + o + dx * 7, c + o + dy * 7);
      context.lineTo(c + o + dx * 40, c + o + dy * 40);
    }
    context.stroke();
  }
}
watch([loupeAt, loupeCanvas], drawLoupe, { flush: "post" });

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
  const [x, y] = local(e);
  const at = view?.vertexAt((x / desk.size[0]) * 2 - 1, 1 - (y / desk.size[1]) * 2);
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
    @pointerdown.capture="down"
    @pointermove="move"
    @pointerup="up"
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
      :style="{ ...placed, opacity: desk.blink ? 1 : desk.plateStrength }"
    />
    <canvas
      v-show="showsView"
      ref="viewCanvas"
      class="layer"
      :class="{ free: desk.outside }"
      :style="desk.outside ? { left: 0, top: 0, width: '100%', height: '100%' } : placed"
    />
    <canvas v-show="showsPicture" ref="pictureCanvas" class="layer" :style="pictureStyle" data-test="proof-picture" />
    <MarksOverlay
      v-if="!desk.outside && !desk.blink"
      :shot="shot"
      :camera="camera"
      :handles="desk.overlay || desk.step !== 'camera' ? handles : []"
      :hot="hot ?? active"
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
    <div v-if="wipeLine !== null" class="wipe" :style="{ left: `${wipeLine}px` }"><i class="pi pi-arrows-h" /></div>
    <div v-if="loupeAt" class="loupe" :style="loupeAt">
      <canvas ref="loupeCanvas" :width="LOUPE" :height="LOUPE" />
      <span class="num">{{ desk.pointer?.map((v) => v.toFixed(1)).join(", ") }}</span>
    </div>
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
.loupe {
  position: absolute;
  width: 148px;
  pointer-events: none;
  z-index: 5;
}
.loupe canvas {
  display: block;
  border: 2px solid #f4f1ea;
  border-radius: 12px;
}
.loupe .num {
  display: block;
  text-align: center;
  background: #000a;
  margin-top: 2px;
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
