<script setup lang="ts">
import Dialog from "primevue/dialog";
import { onMounted, ref } from "vue";
import { rotationAngleBetween, toDegrees } from "#core/math/vec3";
import { equivalents35mm, orientationDegrees } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import type { TakeListing } from "#core/shot/api";
import { shotFrame } from "#core/plate/schema";
import { onPlate } from "#core/shot/plateVersion";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { api } from "../api.ts";
import { drawMatch } from "../desk/thumbnail.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";

/** Two matches of one plate side by side, with their figures: two takes, or one and the present state. */
const props = defineProps<{ shot: Shot; takes: TakeListing[] }>();
const emit = defineEmits<{ close: [] }>();
const plate = usePlate();
const notices = useNotices();
const sides = ref<{ name: string; shot: Shot }[]>([]);
const canvases = ref<HTMLCanvasElement[]>([]);

onMounted(async () => {
  try {
    const { main } = props.shot.plates;
    const opened = await Promise.all(
      props.takes.map(async (t) => ({ name: t.name, shot: onPlate(await api.openTake(t.id), main) })),
    );
    sides.value = opened.length === 2 ? opened : [...opened, { name: "now", shot: props.shot }];
    await Promise.resolve();
    requestAnimationFrame(() => {
      const source = plate.shown?.canvas;
      if (!source) return;
      sides.value.forEach((side, i) => {
        const canvas = canvases.value[i];
        canvas.width = 1000;
        canvas.height = Math.round((1000 * source.height) / source.width);
        drawMatch(canvas, source, side.shot.solved?.camera ?? null, side.shot);
      });
    });
  } catch (error) {
    notices.fail(error);
    emit("close");
  }
});
function figures(side: { shot: Shot }): string {
  const camera = side.shot.solved?.camera as Camera | undefined;
  if (!camera) return "no camera";
  const { tilt, roll } = orientationDegrees(camera.rotation);
  const eq = equivalents35mm(camera.focalPx, shotFrame(side.shot));
  return `${eq.diagonal.toFixed(1)} mm eq. by diagonal · tilt ${tilt.toFixed(2)}° · roll ${roll.toFixed(2)}° · ${formatLength(camera.position[2], side.shot.unit)} high${side.shot.solved!.rmsPx === null ? " · by hand" : ` · rms ${side.shot.solved!.rmsPx.toFixed(2)} px`}`;
}
function difference(): string {
  const [a, b] = sides.value.map((s) => s.shot.solved?.camera as Camera | undefined);
  if (!a || !b) return "";
  const turn = toDegrees(rotationAngleBetween(a.rotation, b.rotation));
  const way = Math.hypot(...a.position.map((v, k) => v - b.position[k]));
  return `They differ by ${turn.toFixed(2)}° of turn, ${formatLength(way, props.shot.unit)} of place and ${((b.focalPx / a.focalPx - 1) * 100).toFixed(1)} % of focal length.`;
}
</script>

<template>
  <Dialog :visible="true" modal header="Side by side" :style="{ width: '96vw' }" @update:visible="emit('close')">
    <div class="sides">
      <figure v-for="(side, i) in sides" :key="i">
        <canvas :ref="(el) => (canvases[i] = el as HTMLCanvasElement)" />
        <figcaption>
          {{ side.name }} <span class="quiet num">{{ figures(side) }}</span>
        </figcaption>
      </figure>
    </div>
    <p class="num">{{ difference() }}</p>
  </Dialog>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
figure {
  margin: 0;
}
canvas {
  width: 100%;
  display: block;
}
</style>
