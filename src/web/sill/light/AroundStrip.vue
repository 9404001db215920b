<script setup lang="ts">
import { ref, watchEffect } from "vue";
import { linearToSrgb, luminance } from "#core/colour/srgb";
import { newSlope } from "#core/light/level";
import type { PictureSpread } from "#core/light/surroundings/known";
import { litPicture } from "#core/light/surroundings/known";
import { lookUp, placeOf } from "#core/light/surroundings/sphere";
import { intoPicture, outOfPicture, turnMatrix } from "#core/light/surroundings/turn";
import type { Vec3 } from "#core/math/vec3";
import { directionFromAngles } from "#core/light/sun";

/**
 * The surroundings as they stand around the place: +Y in the middle, what is level half-way. Dragging turns them; with
 * Shift also lifts them.
 */
const props = defineProps<{ spread: PictureSpread; spots: readonly Vec3[]; heading: number | null; loaded: boolean }>();
const emit = defineEmits<{ turn: [turnDeg: number, tiltDeg: number]; turned: [turnDeg: number, tiltDeg: number] }>();
const canvas = ref<HTMLCanvasElement>();
const [WIDTH, HEIGHT] = [300, 150];
let last: [number, number] | null = null;
let from: { x: number; y: number; turnDeg: number; tiltDeg: number } | null = null;

watchEffect(
  () => {
    const g = canvas.value?.getContext("2d");
    const picture = props.loaded ? litPicture(props.spread) : null;
    if (!g || !picture) return;
    const turn = turnMatrix(props.spread, newSlope());
    const image = g.createImageData(WIDTH, HEIGHT);
    let mean = 0;
    const colours: Vec3[] = [];
    for (let i = 0; i < WIDTH * HEIGHT; i++) {
      const tilt = ((Math.floor(i / WIDTH) + 0.5) / HEIGHT) * Math.PI;
      const d = directionFromAngles((((i % WIDTH) + 0.5) / WIDTH - 0.5) * 2 * Math.PI, Math.PI / 2 - tilt);
      const colour = lookUp(picture, intoPicture(turn, d));
      colours.push(colour);
      mean += Math.log2(1e-6 + luminance(...colour)) / (WIDTH * HEIGHT);
    }
    // As a photograph would be exposed: its middle tone at 18 %.
    const gain = 0.18 / 2 ** mean;
    colours.forEach((colour, i) => {
      colour.forEach((c, k) => (image.data[i * 4 + k] = 255 * Math.min(1, linearToSrgb(c * gain))));
      image.data[i * 4 + 3] = 255;
    });
    g.putImageData(image, 0, 0);
    g.strokeStyle = "rgb(255 255 255 / 0.75)";
    g.setLineDash([4, 3]);
    g.beginPath();
    g.moveTo(0, HEIGHT / 2);
    g.lineTo(WIDTH, HEIGHT / 2);
    g.stroke();
    g.setLineDash([]);
    for (const spot of props.spots) {
      const [x, y] = placeOf({ width: WIDTH, height: HEIGHT }, outOfPicture(turn, spot));
      g.beginPath();
      g.arc(x, y, 5, 0, 7);
      g.stroke();
    }
    if (props.heading === null) return;
    // Where the camera looks.
    const x = (((((props.heading / 360 + 0.5) % 1) + 1) % 1) * WIDTH) as number;
    g.fillStyle = "rgb(255 255 255 / 0.9)";
    g.beginPath();
    g.moveTo(x - 6, HEIGHT);
    g.lineTo(x + 6, HEIGHT);
    g.lineTo(x, HEIGHT - 9);
    g.fill();
  },
  { flush: "post" },
);

function down(e: PointerEvent): void {
  (e.target as HTMLElement).setPointerCapture(e.pointerId);
  from = { x: e.clientX, y: e.clientY, turnDeg: props.spread.turnDeg, tiltDeg: props.spread.tiltDeg };
}
function move(e: PointerEvent): void {
  if (!from) return;
  const box = (e.target as HTMLElement).getBoundingClientRect();
  const turned = from.turnDeg + ((e.clientX - from.x) / box.width) * 360;
  const lifted = e.shiftKey ? from.tiltDeg - ((e.clientY - from.y) / box.height) * 180 : from.tiltDeg;
  last = [Number((((turned % 360) + 360) % 360).toFixed(2)), Number(Math.min(90, Math.max(-90, lifted)).toFixed(2))];
  emit("turn", ...last);
}
function up(): void {
  if (from && last) emit("turned", ...last);
  from = null;
  last = null;
}
</script>

<template>
  <canvas
    ref="canvas"
    :width="WIDTH"
    :height="HEIGHT"
    class="around"
    role="img"
    aria-label="The surroundings around the place; drag to turn them"
    title="Drag to turn; with Shift also to lift. The mark below is where the camera looks"
    data-test="around-strip"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
  />
</template>

<style scoped>
.around {
  width: 100%;
  max-width: 250px;
  cursor: ew-resize;
  touch-action: none;
  background: #000;
}
</style>
