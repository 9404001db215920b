<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useDesk } from "../stores/desk.ts";
import { usePlate } from "../stores/plate.ts";
import { TOOLS } from "./toolTable.ts";

/** The plate around the pointer, enlarged, beside it; or `picture`, which lies over it, where that is aimed at. */
const props = defineProps<{ picture: HTMLCanvasElement | null }>();
const desk = useDesk();
const plate = usePlate();
const canvas = ref<HTMLCanvasElement>();

const SIDE = 148;
/** Pixels of the window that the loupe keeps from the pointer. */
const APART = 26;
/** And from the window's lower edge: its figures stand below it, and the line of hints below those. */
const BELOW = 64;
const zoom = computed(() => Math.max(8, desk.scale * 3));
const place = computed(() => {
  if (!desk.pointer) return null;
  const [x, y] = desk.toScreen(desk.pointer);
  const left = x + APART + SIDE > desk.size[0] ? x - APART - SIDE : x + APART;
  const top = y + APART + SIDE + BELOW > desk.size[1] ? y - APART - SIDE : y + APART;
  return { left: `${left}px`, top: `${top}px` };
});

const aimed = computed(() => (TOOLS.get(desk.tool)?.onPicture?.includes(desk.started.length) ? props.picture : null));

function draw(): void {
  const source = plate.shown;
  const p = desk.pointer;
  if (!canvas.value || !source || !p) return;
  const context = canvas.value.getContext("2d")!;
  const span = SIDE / zoom.value;
  context.imageSmoothingEnabled = false;
  context.fillStyle = "#777675";
  context.fillRect(0, 0, SIDE, SIDE);
  context.drawImage(source.canvas, p[0] - span / 2, p[1] - span / 2, span, span, 0, 0, SIDE, SIDE);
  if (aimed.value) {
    const [x, y] = [aimed.value.width / source.width, aimed.value.height / source.height];
    const [left, top] = [(p[0] - span / 2) * x, (p[1] - span / 2) * y];
    context.drawImage(aimed.value, left, top, span * x, span * y, 0, 0, SIDE, SIDE);
  }
  const c = SIDE / 2;
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
watch([() => desk.pointer, place, zoom, canvas, aimed, () => plate.shown], draw, { flush: "post" });
</script>

<template>
  <div v-if="place" class="loupe" :style="place">
    <canvas ref="canvas" data-test="loupe" :width="SIDE" :height="SIDE" />
    <span class="num">{{ desk.pointer?.map((v) => v.toFixed(1)).join(", ") }}</span>
  </div>
</template>

<style scoped>
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
</style>
