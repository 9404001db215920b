<script setup lang="ts">
import { computed, ref, watchEffect } from "vue";
import { linearToSrgb, luminance } from "#core/colour/srgb";
import { litPicture } from "#core/light/surroundings/known";
import { lookUp } from "#core/light/surroundings/sphere";
import { intoPicture, outOfPicture, turnMatrix } from "#core/light/surroundings/turn";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, normalize, scale } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { pixelDirection, projectPoint } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { screenPath } from "./screen.ts";
import TurnedBall from "./TurnedBall.vue";

/** The surroundings over the plate while they are turned: faintly as a whole, with their horizon and bright places. */
const props = defineProps<{ shot: Shot; camera: Camera; frame: { width: number; height: number } }>();
const desk = useDesk();
const models = useModels();
const canvas = ref<HTMLCanvasElement>();
const spread = computed(() => {
  const { spread: own } = props.shot.light.sky;
  return own.kind === "picture" ? own : null;
});
const turn = computed(() => (spread.value ? turnMatrix(spread.value, props.shot.light.slope) : null));
const WIDTH = 150;
const height = computed(() => Math.max(1, Math.round((WIDTH * props.frame.height) / props.frame.width)));
const faint = computed(() => desk.tool === "turn-sky");

watchEffect(
  () => {
    const g = canvas.value?.getContext("2d");
    const loaded = spread.value && models.models.has(spread.value.asset);
    const picture = loaded && faint.value ? litPicture(spread.value!) : null;
    if (!g || !picture || !turn.value) return;
    const image = g.createImageData(WIDTH, height.value);
    const step = props.frame.width / WIDTH;
    const colours = Array.from({ length: WIDTH * height.value }, (_, i) => {
      const at: Vec2 = [((i % WIDTH) + 0.5) * step, (Math.floor(i / WIDTH) + 0.5) * step];
      return lookUp(picture, intoPicture(turn.value!, normalize(pixelDirection(props.camera, at))));
    });
    const middle = colours.reduce((sum, c) => sum + Math.log2(1e-6 + luminance(...c)), 0) / colours.length;
    const gain = 0.3 / 2 ** middle;
    colours.forEach((colour, i) => {
      colour.forEach((c, k) => (image.data[i * 4 + k] = 255 * Math.min(1, linearToSrgb(c * gain))));
      image.data[i * 4 + 3] = 255;
    });
    g.putImageData(image, 0, 0);
  },
  { flush: "post" },
);

const spotOf = (d: Vec3): Vec2 | null => {
  const pixel = projectPoint(props.camera, add(props.camera.position, scale(d, 1e6)));
  return pixel && [pixel[0] * desk.scale + desk.offset[0], pixel[1] * desk.scale + desk.offset[1]];
};
const spots = computed(() =>
  turn.value
    ? (desk.around?.spots ?? []).map((d) => spotOf(outOfPicture(turn.value!, d))).filter((at) => at !== null)
    : [],
);
/** The picture's own horizon, in the pieces of it that lie before the camera. */
const horizon = computed(() => {
  if (!turn.value) return "";
  const line: Vec2[] = [];
  let path = "";
  const lay = () => {
    if (line.length > 1) path += screenPath(desk, line);
    line.length = 0;
  };
  for (let i = 0; i <= 180; i++) {
    const a = (i / 180) * 2 * Math.PI;
    const d = outOfPicture(turn.value, [Math.sin(a), Math.cos(a), 0]);
    const pixel = projectPoint(props.camera, add(props.camera.position, scale(d, 1e6)));
    // A lens's distortion means nothing far beyond the frame.
    const near = pixel && Math.abs(pixel[0] / props.frame.width - 0.5) < 0.7;
    if (near) line.push(pixel);
    else lay();
  }
  lay();
  return path;
});
/** At the plate's own left foot, as far as the window shows it. */
const corner = computed(() => {
  const foot = desk.offset[1] + props.frame.height * desk.scale;
  return {
    left: `${Math.max(0, desk.offset[0]) + 10}px`,
    bottom: `${Math.max(0, desk.size[1] - foot) + 10}px`,
  };
});
const placed = computed(() => ({
  left: `${desk.offset[0]}px`,
  top: `${desk.offset[1]}px`,
  width: `${props.frame.width * desk.scale}px`,
  height: `${props.frame.height * desk.scale}px`,
}));
</script>

<template>
  <div v-if="spread" class="around" aria-hidden="true">
    <canvas v-show="faint" ref="canvas" :width="WIDTH" :height="height" :style="placed" />
    <svg>
      <path :d="horizon" class="horizon" />
      <g v-for="(at, i) in spots" :key="i">
        <circle :cx="at[0]" :cy="at[1]" r="9" />
        <path :d="`M${at[0] - 14} ${at[1]}h28M${at[0]} ${at[1] - 14}v28`" />
      </g>
    </svg>
    <TurnedBall :shot="shot" :camera="camera" :spread="spread" :style="corner" />
  </div>
</template>

<style scoped>
.around,
.around svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.around canvas {
  position: absolute;
  opacity: 0.5;
}
.around svg * {
  fill: none;
  stroke: #ffd98a;
  stroke-width: 1.4;
}
.around .horizon {
  stroke-dasharray: 7 4;
}
</style>
