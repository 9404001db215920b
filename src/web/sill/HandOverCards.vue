<script setup lang="ts">
import { computed } from "vue";
import type { FinalListing } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { useFinals } from "../stores/finals.ts";

const props = defineProps<{ shot: Shot }>();
const finals = useFinals();
const done = computed(() => finals.list.filter((f) => f.status === "done"));
const full = (f: { width: number; height: number }) =>
  f.width === props.shot.plates.main.width && f.height === props.shot.plates.main.height;

const FILES = [
  {
    name: "picture.png",
    label: "Finished picture",
    note: "PNG in the plate's own profile and bits; sRGB of 16 bits for a plate of floats",
  },
  { name: "float.exr", label: "Finished picture, floats", note: "half EXR in the plate's own primaries, linear" },
  { name: "prop.png", label: "Prop alone", note: "PNG with straight alpha" },
  { name: "ratio.exr", label: "Shadow and bounce", note: "ratio to multiply the plate by, float EXR, linear" },
  { name: "added.exr", label: "Added reflection", note: "light to add, signed, float EXR, linear" },
  { name: "premultiplied.exr", label: "Prop in linear light", note: "premultiplied RGBA, float EXR" },
  { name: "depth.exr", label: "Depth of the props", note: "metres along the view axis, float EXR" },
  { name: "layers.exr", label: "All chosen layers", note: "multi-layer EXR: lights, mattes and more" },
];
const filesOf = (f: FinalListing) => FILES.filter((file) => f.files.includes(file.name.split(".")[0]));

/** The document, for the command line's render. */
function saveDocument(): void {
  const url = URL.createObjectURL(new Blob([JSON.stringify(props.shot, null, 1)], { type: "application/json" }));
  const link = document.createElement("a");
  link.href = url;
  link.download = `${props.shot.name}.shot.json`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 1000);
}
</script>

<template>
  <section v-for="f in done.slice(0, 3)" :key="f.id" class="card" style="flex: 1.2">
    <h3>
      <span class="num">{{ f.width }} × {{ f.height }}</span>
      {{ full(f) ? "full size" : `${f.percent} % of the side` }}, {{ f.samples }} samples
      <span class="end quiet">{{ new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" }) }}</span>
    </h3>
    <div class="list">
      <div v-for="file in filesOf(f)" :key="file.name">
        <a :href="`/api/finals/${f.id}/${file.name}?download`" :download="file.name" :data-test="`save-${file.name}`"
          ><i class="pi pi-download" /> {{ file.label }}</a
        >
        <span class="quiet">{{ file.note }}</span>
      </div>
    </div>
  </section>
  <section v-if="done.length === 0" class="card" style="flex: 1">
    <h3>Nothing to hand over yet</h3>
    <p class="quiet">Render a final first; at 100 % it has the plate's full size.</p>
  </section>
  <section class="card" style="flex: 0.8">
    <h3>Shot</h3>
    <button class="plain" @click="saveDocument"><i class="pi pi-download" /> Shot document (JSON)</button>
    <p class="quiet" style="margin: 6px 0 0">For “harbor render” on the command line, beside plate and models.</p>
    <p v-if="shot.plates.main.owner || shot.plates.main.licence" class="quiet">
      Plate: {{ shot.plates.main.owner || "owner not said" }}, {{ shot.plates.main.licence || "licence not said" }}
    </p>
  </section>
</template>

<style scoped>
a {
  color: var(--ink);
}
a:hover {
  color: var(--accent);
}
</style>
