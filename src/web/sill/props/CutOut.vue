<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Vec2 } from "#core/math/vec3";
import type { PhotoSide } from "#core/props/skin";

/** A photograph and the four corners of what is cut out of it, to be dragged or nudged by the arrow keys, under a loupe. */
const props = defineProps<{ photo: PhotoSide; height: string }>();
const emit = defineEmits<{ cut: [corners: PhotoSide["corners"]] }>();

const NAMES = ["Upper left", "Upper right", "Lower right", "Lower left"];
/** Pixels of the photograph that the loupe shows across. */
const ACROSS = 24;
const frame = ref<SVGSVGElement>();
/** The corner at hand, and the corners from where one is moved until the box is made anew. */
const held = ref<number | null>(null);
const moved = ref<Vec2[] | null>(null);
let moving = false;
watch(
  () => props.photo,
  () => {
    if (!moving) moved.value = null;
  },
);
const corners = computed<readonly (readonly number[])[]>(() => moved.value ?? props.photo.corners);
const outline = computed(() => corners.value.map((c) => c.join(",")).join(" "));

/** Its piece of the photograph, on the side away from the corner. */
const loupe = computed(() => {
  if (held.value === null) return null;
  const [x, y] = corners.value[held.value];
  return {
    viewBox: `${x - ACROSS / 2} ${y - ACROSS / 2} ${ACROSS} ${ACROSS}`,
    cross: `M${x - 4} ${y}h3M${x + 1} ${y}h3M${x} ${y - 4}v3M${x} ${y + 1}v3`,
    side: x > props.photo.width / 2 ? { left: "4px" } : { right: "4px" },
    at: `${x.toFixed(1)}, ${y.toFixed(1)}`,
  };
});

const within = ([x, y]: Vec2): Vec2 => [
  Math.min(props.photo.width, Math.max(0, x)),
  Math.min(props.photo.height, Math.max(0, y)),
];
function moveTo(i: number, to: Vec2): void {
  const next = corners.value.map((c) => [c[0], c[1]] as Vec2);
  next[i] = within(to);
  moved.value = next;
  moving = true;
}
/** How far the pointer is from the middle of the corner that it took, screen pixels. */
let apart: Vec2 = [0, 0];
function grab(i: number, e: PointerEvent): void {
  const handle = e.currentTarget as HTMLElement;
  handle.setPointerCapture(e.pointerId);
  const box = handle.getBoundingClientRect();
  apart = [e.clientX - box.left - box.width / 2, e.clientY - box.top - box.height / 2];
  handle.focus();
  moveTo(i, corners.value[i] as Vec2);
}
function drag(i: number, e: PointerEvent): void {
  if (!moving || e.buttons === 0) return;
  const box = frame.value!.getBoundingClientRect();
  const { width, height } = props.photo;
  moveTo(i, [
    ((e.clientX - apart[0] - box.left) / box.width) * width,
    ((e.clientY - apart[1] - box.top) / box.height) * height,
  ]);
}
const ARROWS: Record<string, Vec2> = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] };
function nudge(i: number, e: KeyboardEvent): void {
  const way = ARROWS[e.key];
  if (!way) return;
  e.preventDefault();
  e.stopPropagation();
  const by = e.shiftKey ? 10 : 1;
  const [x, y] = corners.value[i];
  moveTo(i, [x + way[0] * by, y + way[1] * by]);
}
function done(): void {
  const cut = moved.value;
  if (!moving || !cut) return;
  moving = false;
  if (cut.some((c, i) => c.some((x, k) => x !== props.photo.corners[i][k]))) emit("cut", cut as PhotoSide["corners"]);
}
function left(): void {
  done();
  held.value = null;
}
</script>

<template>
  <div class="cut">
    <img :src="`/api/pictures/${photo.picture}`" alt="" draggable="false" :style="{ maxHeight: height }" />
    <svg ref="frame" :viewBox="`0 0 ${photo.width} ${photo.height}`" preserveAspectRatio="none">
      <polygon :points="outline" />
    </svg>
    <button
      v-for="(c, i) in corners"
      :key="i"
      type="button"
      class="corner"
      :aria-label="`${NAMES[i]} corner: arrows move it by a pixel, with Shift by ten`"
      :style="{ left: `${(c[0] / photo.width) * 100}%`, top: `${(c[1] / photo.height) * 100}%` }"
      :data-test="`skin-corner-${i}`"
      @pointerdown.prevent="grab(i, $event)"
      @pointermove="drag(i, $event)"
      @pointerup="done"
      @keydown="nudge(i, $event)"
      @keyup="done"
      @focus="held = i"
      @blur="left"
    />
    <figure v-if="loupe" class="loupe" :style="loupe.side">
      <svg :viewBox="loupe.viewBox">
        <image
          :href="`/api/assets/${photo.picture}`"
          :width="photo.width"
          :height="photo.height"
          preserveAspectRatio="none"
        />
        <polygon :points="outline" />
        <path :d="loupe.cross" />
      </svg>
      <figcaption class="num">{{ loupe.at }}</figcaption>
    </figure>
  </div>
</template>

<style scoped>
.cut {
  position: relative;
  flex: 0 1 auto;
  width: fit-content;
}
.cut > img {
  display: block;
  max-width: 100%;
  user-select: none;
}
.cut > svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
polygon {
  fill: #d8674d22;
  stroke: var(--accent);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.corner {
  position: absolute;
  width: 15px;
  height: 15px;
  margin: -8px 0 0 -8px;
  padding: 0;
  border: 2px solid #fff;
  border-radius: 50%;
  background: #d8674d66;
  cursor: grab;
  touch-action: none;
}
.corner:focus {
  outline: 2px solid var(--accent);
}
.loupe {
  position: absolute;
  top: 4px;
  margin: 0;
  pointer-events: none;
  background: #222;
  border: 1px solid #0008;
}
.loupe svg {
  display: block;
  width: clamp(72px, 18vh, 150px);
  aspect-ratio: 1;
}
.loupe image {
  image-rendering: pixelated;
}
.loupe polygon {
  fill: none;
  stroke-width: 1;
}
.loupe path {
  stroke: #fff;
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.loupe figcaption {
  padding: 2px 4px;
  font-size: 11px;
}
</style>
