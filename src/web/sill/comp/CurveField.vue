<script setup lang="ts">
import { computed, ref } from "vue";
import type { CurvePoints } from "#core/comp/curve";
import { curveOf } from "#core/comp/curve";
import type { Scopes } from "#core/comp/view";

/** A curve over the histogram of the picture: drag points, click for a new one, double-click takes one away. */
const props = defineProps<{ points: CurvePoints; scopes: Scopes | null }>();
const emit = defineEmits<{ drag: [points: CurvePoints]; keep: [points: CurvePoints] }>();
const SIDE = 100;
const svg = ref<SVGSVGElement>();
const held = ref<number | null>(null);
const now = ref<CurvePoints | null>(null);

const shown = computed(() => now.value ?? props.points);
const path = computed(() => {
  const of = curveOf(shown.value);
  return Array.from({ length: 65 }, (_, i) => {
    const x = i / 64;
    return `${i === 0 ? "M" : "L"}${(x * SIDE).toFixed(1)},${((1 - Math.min(1.02, Math.max(-0.02, of(x)))) * SIDE).toFixed(1)}`;
  }).join("");
});
const histogram = computed(() => {
  const { scopes } = props;
  if (!scopes) return "";
  const bins = new Float64Array(64);
  for (let c = 0; c < scopes.columns; c++)
    for (let v = 0; v < 256; v++) bins[v >> 2] += scopes.plate[c * 256 + v] + scopes.cg[c * 256 + v];
  const most = Math.max(...bins, 1);
  const tops = [...bins].map((n, i) => `L${((i / 63) * SIDE).toFixed(1)},${((1 - n / most) * SIDE).toFixed(1)}`);
  return `M0,${SIDE}${tops.join("")}L${SIDE},${SIDE}Z`;
});

function placeOf(e: PointerEvent | MouseEvent): [number, number] {
  const box = svg.value!.getBoundingClientRect();
  const inside = (v: number) => Math.min(1, Math.max(0, v));
  return [inside((e.clientX - box.left) / box.width), inside(1 - (e.clientY - box.top) / box.height)];
}
function nearest(x: number, y: number): number {
  const d = props.points.map(([px, py]) => Math.hypot(px - x, py - y));
  const i = d.indexOf(Math.min(...d));
  return d[i] < 0.07 ? i : -1;
}
function down(e: PointerEvent): void {
  svg.value!.setPointerCapture(e.pointerId);
  const [x, y] = placeOf(e);
  const points = props.points.map(([a, b]): [number, number] => [a, b]);
  let i = nearest(x, y);
  if (i < 0 && points.length < 16) {
    points.push([x, y]);
    points.sort((a, b) => a[0] - b[0]);
    i = points.findIndex(([a]) => a === x);
  }
  if (i < 0) return;
  held.value = i;
  now.value = points;
}
function move(e: PointerEvent): void {
  if (held.value === null || !now.value) return;
  const [x, y] = placeOf(e);
  const points = now.value.map(([a, b]): [number, number] => [a, b]);
  const i = held.value;
  const low = i > 0 ? points[i - 1][0] + 0.01 : 0;
  const high = i < points.length - 1 ? points[i + 1][0] - 0.01 : 1;
  points[i] = [Math.min(high, Math.max(low, x)), y];
  now.value = points;
  emit("drag", points);
}
function up(): void {
  if (now.value) emit("keep", now.value);
  held.value = null;
  now.value = null;
}
function remove(e: MouseEvent): void {
  const i = nearest(...placeOf(e));
  if (i >= 0 && props.points.length > 2)
    emit(
      "keep",
      props.points.filter((_, k) => k !== i),
    );
}
</script>

<template>
  <svg
    ref="svg"
    :viewBox="`0 0 ${SIDE} ${SIDE}`"
    preserveAspectRatio="none"
    role="application"
    aria-label="Curve"
    data-test="curve"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @dblclick="remove"
  >
    <path :d="histogram" class="bins" />
    <path :d="`M0,${SIDE}L${SIDE},0`" class="straight" />
    <path :d="path" class="line" />
    <ellipse v-for="([x, y], i) in shown" :key="i" :cx="x * SIDE" :cy="(1 - y) * SIDE" rx="1.6" ry="3" />
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  height: 92px;
  background: #1b1a1a;
  touch-action: none;
  cursor: crosshair;
}
.bins {
  fill: #4a4746;
}
.straight,
.line {
  fill: none;
  stroke: #777;
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.line {
  stroke: var(--ink);
  stroke-width: 1.5;
}
ellipse {
  fill: var(--accent);
}
</style>
