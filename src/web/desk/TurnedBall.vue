<script setup lang="ts">
import { computed, ref, watchEffect } from "vue";
import { linearToSrgb } from "#core/colour/srgb";
import { placeInBall, seenInBall } from "#core/light/surroundings/ball";
import type { PictureSpread } from "#core/light/surroundings/known";
import { litPicture } from "#core/light/surroundings/known";
import { lookUp } from "#core/light/surroundings/sphere";
import { intoPicture, outOfPicture, turnMatrix } from "#core/light/surroundings/turn";
import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";

/** What a polished ball in the plate mirrors of the surroundings as they stand, as bright as they light the shot. */
const props = defineProps<{ shot: Shot; camera: Camera; spread: PictureSpread }>();
const desk = useDesk();
const models = useModels();
const canvas = ref<HTMLCanvasElement>();
const SIZE = 108;
const RADIUS = SIZE / 2 - 1;
const RING = 96;

const turn = computed(() => turnMatrix(props.spread, props.shot.light.slope));
const onCanvas = ([x, y]: Vec2): Vec2 => [SIZE / 2 + RADIUS * x, SIZE / 2 + RADIUS * y];

watchEffect(
  () => {
    const g = canvas.value?.getContext("2d");
    const picture = models.models.has(props.spread.asset) ? litPicture(props.spread) : null;
    if (!g || !picture || !desk.around) return;
    const { rotation } = props.camera;
    const mean = props.spread.sunOut ? desk.around.meanWithoutSun : desk.around.mean;
    const gain = props.shot.light.sky.radiance.map((r, k) => r / Math.max(1e-12, mean[k]));
    const image = g.createImageData(SIZE, SIZE);
    for (let i = 0; i < SIZE * SIZE; i++) {
      const at: Vec2 = [(i % SIZE) + 0.5 - SIZE / 2, Math.floor(i / SIZE) + 0.5 - SIZE / 2];
      const seen = seenInBall(rotation, [at[0] / RADIUS, at[1] / RADIUS]);
      if (!seen) continue;
      lookUp(picture, intoPicture(turn.value, seen)).forEach(
        (c, k) => (image.data[i * 4 + k] = 255 * Math.min(1, linearToSrgb(c * gain[k]))),
      );
      image.data[i * 4 + 3] = 255;
    }
    g.putImageData(image, 0, 0);
    g.strokeStyle = "#ffd98a";
    g.setLineDash([5, 3]);
    g.beginPath();
    let before: Vec2 | null = null;
    for (let i = 0; i <= RING; i++) {
      const a = (i / RING) * 2 * Math.PI;
      const at = onCanvas(placeInBall(rotation, outOfPicture(turn.value, [Math.sin(a), Math.cos(a), 0])));
      // Straight ahead it leaves the rim on one side and comes back on the other.
      if (before && Math.hypot(at[0] - before[0], at[1] - before[1]) < RADIUS / 2) g.lineTo(...at);
      else g.moveTo(...at);
      before = at;
    }
    g.stroke();
    g.setLineDash([]);
    for (const spot of desk.around.spots) {
      g.beginPath();
      g.arc(...onCanvas(placeInBall(rotation, outOfPicture(turn.value, spot))), 5, 0, 7);
      g.stroke();
    }
  },
  { flush: "post" },
);
</script>

<template>
  <figure class="ball" data-test="turned-ball">
    <canvas ref="canvas" :width="SIZE" :height="SIZE" />
    <figcaption>in a mirror ball</figcaption>
  </figure>
</template>

<style scoped>
.ball {
  position: absolute;
  margin: 0;
  text-align: center;
}
.ball figcaption {
  font-size: 11px;
  color: #fff;
  text-shadow: 0 0 3px #000;
}
</style>
