<script setup lang="ts">
import { watch } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import DrawerRow from "../parts/DrawerRow.vue";
import type { LightDrawer, Tool } from "../stores/desk.ts";
import { useDesk } from "../stores/desk.ts";
import { SIGHTING_TOOLS } from "../desk/sightingTools.ts";
import LampCards from "./light/LampCards.vue";
import ProbeCards from "./light/ProbeCards.vue";
import ShadeCards from "./light/ShadeCards.vue";
import SkyCards from "./light/SkyCards.vue";
import SourceCards from "./light/SourceCards.vue";
import SunCards from "./light/SunCards.vue";

defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const DRAWERS = [
  { key: "sources", title: "Sources" },
  { key: "sun", title: "Sun" },
  { key: "sky", title: "Sky" },
  { key: "lamps", title: "Lamps" },
  { key: "probes", title: "Probes" },
  { key: "shade", title: "Shade" },
] as const;

/** The drawer that a tool's marks are read in. */
const DRAWER_OF: Partial<Record<Tool, LightDrawer>> = {
  ...(Object.fromEntries(Object.values(SIGHTING_TOOLS).map((tool) => [tool, "sun"])) as Record<string, LightDrawer>),
  penumbra: "sun",
  lit: "probes",
  shaded: "probes",
  probe: "probes",
  shadow: "shade",
  "lamp-place": "lamps",
  "lamp-aim": "lamps",
  "lamp-hang": "lamps",
  "lamp-window": "lamps",
  "lamp-highlight": "lamps",
  "lamp-shadow": "lamps",
  "turn-sky": "sky",
  neutral: "sky",
  "level-line": "sky",
};
watch(
  () => desk.tool,
  (tool) => {
    const drawer = DRAWER_OF[tool];
    if (drawer) desk.lightDrawer = drawer;
  },
);
</script>

<template>
  <DrawerRow v-model="desk.lightDrawer" :drawers="DRAWERS" label="Light drawers" />
  <SourceCards v-if="desk.lightDrawer === 'sources'" :shot="shot" />
  <SunCards v-else-if="desk.lightDrawer === 'sun'" :shot="shot" :camera="camera" />
  <SkyCards v-else-if="desk.lightDrawer === 'sky'" :shot="shot" :camera="camera" />
  <LampCards v-else-if="desk.lightDrawer === 'lamps'" :shot="shot" :camera="camera" />
  <ProbeCards v-else-if="desk.lightDrawer === 'probes'" :shot="shot" :camera="camera" />
  <ShadeCards v-else :shot="shot" />
</template>
