<script setup lang="ts">
import { computed } from "vue";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useMeasuring } from "../stores/measuring.ts";
import { screenPath } from "./screen.ts";

/** Where the plate's grain was measured: chosen parts, and some of the flat patches. */
const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const measuring = useMeasuring();
const areas = computed(() =>
  props.shot.comp.grain.areas.map(
    ([l, t, r, b]) =>
      `${screenPath(desk, [
        [l, t],
        [r, t],
        [r, b],
        [l, b],
      ])}Z`,
  ),
);
const patches = computed(() => (measuring.grain?.shown ?? []).map((at) => desk.toScreen(at)));
</script>

<template>
  <svg class="grain" aria-hidden="true">
    <path v-for="(d, i) in areas" :key="i" :d="d" :data-test="`grain-area-${i}`" />
    <circle v-for="(p, i) in patches" :key="i" :cx="p[0]" :cy="p[1]" r="2.5" />
  </svg>
</template>

<style scoped>
.grain {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path {
  fill: #ffffff14;
  stroke: #ffb9a8;
  stroke-width: 1.2;
}
circle {
  fill: #ffb9a8;
  opacity: 0.8;
}
</style>
