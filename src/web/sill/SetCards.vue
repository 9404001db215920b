<script setup lang="ts">
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import DrawerRow from "../parts/DrawerRow.vue";
import { useDesk } from "../stores/desk.ts";
import BuildCards from "./set/BuildCards.vue";
import MeasureCards from "./set/MeasureCards.vue";
import SurfaceCards from "./set/SurfaceCards.vue";

defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const DRAWERS = [
  { key: "build", title: "Build" },
  { key: "surfaces", title: "Surfaces" },
  { key: "measure", title: "Measure" },
] as const;
</script>

<template>
  <DrawerRow v-model="desk.setDrawer" :drawers="DRAWERS" label="Set drawers" />
  <BuildCards v-if="desk.setDrawer === 'build'" :shot="shot" :camera="camera" />
  <SurfaceCards v-else-if="desk.setDrawer === 'surfaces'" :shot="shot" />
  <MeasureCards v-else :shot="shot" :camera="camera" />
</template>
