<script setup lang="ts">
import { nextTick, ref } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import DrawerRow from "../parts/DrawerRow.vue";
import { useDesk } from "../stores/desk.ts";
import AddCards from "./props/AddCards.vue";
import LibraryCards from "./props/LibraryCards.vue";
import LookCards from "./props/LookCards.vue";
import PlaceCards from "./props/PlaceCards.vue";
import PropList from "./props/PropList.vue";
import RepeatCards from "./props/RepeatCards.vue";
import type { DroppedFile } from "./props/bringModel.ts";

defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const adding = ref<InstanceType<typeof AddCards>>();
const DRAWERS = [
  { key: "add", title: "Add" },
  { key: "library", title: "Library" },
  { key: "place", title: "Place" },
  { key: "look", title: "Look" },
  { key: "repeat", title: "Repeat" },
] as const;

/** Files that were dropped on the plate. */
async function drop(files: readonly DroppedFile[]): Promise<void> {
  desk.propDrawer = "add";
  await nextTick();
  await adding.value?.drop(files);
}
defineExpose({ drop });
</script>

<template>
  <DrawerRow v-model="desk.propDrawer" :drawers="DRAWERS" label="Props drawers" />
  <PropList :shot="shot" />
  <AddCards v-if="desk.propDrawer === 'add'" ref="adding" :shot="shot" :camera="camera" />
  <LibraryCards v-else-if="desk.propDrawer === 'library'" :shot="shot" :camera="camera" />
  <PlaceCards v-else-if="desk.propDrawer === 'place'" :shot="shot" :camera="camera" />
  <LookCards v-else-if="desk.propDrawer === 'look'" :shot="shot" :camera="camera" />
  <RepeatCards v-else :shot="shot" :camera="camera" />
</template>
