<script setup lang="ts">
import { ref, watchEffect } from "vue";
import { linearToSrgb } from "#core/colour/srgb";
import { sunDirection } from "#core/light/rig";
import { levelDirection } from "#core/light/level";
import { shapeOf, skyPicture } from "#core/light/skies/index";
import type { Shot } from "#core/shot/schema";

/** The sky as seen from below: the horizon at the rim, +Y at the top, the sun where it stands. */
const props = defineProps<{ shot: Shot }>();
const canvas = ref<HTMLCanvasElement>();
const SIDE = 132;
const R = SIDE / 2;

watchEffect(
  () => {
    const g = canvas.value?.getContext("2d");
    if (!g) return;
    const { sky, slope } = props.shot.light;
    const sun = sunDirection(props.shot);
    const level = levelDirection(slope, sun);
    const shape = shapeOf(sky.spread, level);
    const picture = shape && skyPicture(shape, level, slope);
    const image = g.createImageData(SIDE, SIDE);
    const peak = 2 * Math.max(...sky.radiance, 1e-6);
    for (let i = 0; i < SIDE * SIDE; i++) {
      const [dx, dy] = [((i % SIDE) + 0.5 - R) / R, (Math.floor(i / SIDE) + 0.5 - R) / R];
      const away = Math.hypot(dx, dy);
      if (away >= 1) continue;
      const turn = Math.atan2(dx, -dy) / (2 * Math.PI) + 0.5;
      const row = picture ? Math.floor((away / 2) * picture.height) : 0;
      const at = picture ? (row * picture.width + (Math.floor(turn * picture.width) % picture.width)) * 3 : 0;
      sky.radiance.forEach((c, k) => {
        image.data[i * 4 + k] = 255 * Math.min(1, linearToSrgb((picture ? picture.pixels[at + k] * c : c) / peak));
      });
      image.data[i * 4 + 3] = sky.on ? 255 : 90;
    }
    g.putImageData(image, 0, 0);
    if (sun[2] < 0) return;
    const out = (R * Math.acos(Math.min(1, sun[2]))) / (Math.PI / 2);
    const azimuth = Math.atan2(sun[0], sun[1]);
    g.beginPath();
    g.arc(R + out * Math.sin(azimuth), R - out * Math.cos(azimuth), 4, 0, 7);
    g.strokeStyle = props.shot.light.sun.on ? "#ffe08a" : "#888";
    g.lineWidth = 2;
    g.stroke();
  },
  { flush: "post" },
);
</script>

<template>
  <canvas ref="canvas" :width="SIDE" :height="SIDE" class="dome" role="img" aria-label="The sky from below" />
</template>

<style scoped>
.dome {
  align-self: center;
  height: 120px;
  width: 120px;
}
</style>
