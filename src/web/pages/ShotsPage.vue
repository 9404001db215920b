<script setup lang="ts">
import Button from "primevue/button";
import { useDropZone } from "@vueuse/core";
import { onMounted, ref, useTemplateRef } from "vue";
import { useRouter } from "vue-router";
import { PLATE_ACCEPT, PLATE_FORMAT_NAMES } from "#core/plate/formats";
import type { ShotListing } from "#core/shot/api";
import { api } from "../api.ts";
import { isPanorama } from "../parts/pictureKinds.ts";
import PanoramaAsk from "../parts/PanoramaAsk.vue";
import { useNotices } from "../stores/notices.ts";

const router = useRouter();
const notices = useNotices();
const shots = ref<ShotListing[] | null>(null);
const page = useTemplateRef<HTMLElement>("page");
const { isOverDropZone: over } = useDropZone(page, { onDrop: (files) => void begin(files) });
const reading = ref<string | null>(null);
const doomed = ref<string | null>(null);
const picker = ref<HTMLInputElement>();

async function refresh(): Promise<void> {
  try {
    shots.value = await api.shots();
  } catch (error) {
    notices.fail(error);
    shots.value = [];
  }
}
onMounted(refresh);

/** A picture of all around that was dropped, while its user is asked what it is for. */
const panorama = ref<File | null>(null);
async function begin(files: ArrayLike<File> | null | undefined): Promise<void> {
  const file = files?.[0];
  if (!file) return;
  if (await isPanorama(file)) panorama.value = file;
  else await make(file);
}
async function answered(as: "surroundings" | "plate" | null): Promise<void> {
  const file = panorama.value!;
  panorama.value = null;
  if (as === "plate") await make(file);
  if (picker.value) picker.value.value = "";
}

async function make(file: File): Promise<void> {
  reading.value = file.name;
  try {
    const made = /\.zip$/i.test(file.name) ? await api.createFromBundle(file) : await api.createShot(file);
    for (const text of made.notices) notices.say("warn", text);
    await router.push(`/shots/${made.id}/plate`);
  } catch (error) {
    notices.fail(error);
  } finally {
    reading.value = null;
    if (picker.value) picker.value.value = "";
  }
}

async function remove(id: string): Promise<void> {
  try {
    await api.deleteShot(id);
    doomed.value = null;
    await refresh();
  } catch (error) {
    notices.fail(error);
  }
}

const when = (iso: string) => new Date(iso).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
const plural = (n: number, one: string) => `${n} ${one}${n === 1 ? "" : "s"}`;
</script>

<template>
  <main ref="page" class="shots" :class="{ over }">
    <PanoramaAsk v-if="panorama" :name="panorama.name" @answer="answered" />
    <header>
      <img src="/mark.svg" alt="" width="34" height="34" />
      <h1>Red Harbor</h1>
      <span class="quiet">Shots on this machine</span>
      <RouterLink to="/queue" class="queue" data-test="to-queue">Queue of finals</RouterLink>
    </header>
    <section class="grid">
      <div class="drop">
        <i class="pi pi-image" />
        <p>
          <b>Drop a photo here</b><br />
          <span class="quiet"
            >{{ PLATE_FORMAT_NAMES }}, up to 64 megapixels. It becomes the plate of a new shot. A shot that was handed
            over as one file (zip) comes back as it was.</span
          >
        </p>
        <Button
          :label="reading ? `Reading ${reading} …` : 'Choose a file'"
          :disabled="reading !== null"
          @click="picker?.click()"
        />
        <input
          ref="picker"
          type="file"
          :accept="`${PLATE_ACCEPT},.zip`"
          hidden
          data-test="plate-file"
          @change="begin(($event.target as HTMLInputElement).files)"
        />
      </div>
      <article v-for="s in shots ?? []" :key="s.id" class="shot">
        <RouterLink :to="`/shots/${s.id}`" class="picture" :aria-label="s.name">
          <img :src="`/api/shots/${s.id}/thumbnail`" :alt="`Plate of ${s.name}`" />
        </RouterLink>
        <div class="caption">
          <RouterLink :to="`/shots/${s.id}`">{{ s.name }}</RouterLink>
          <button v-if="doomed !== s.id" class="plain" :aria-label="`Delete ${s.name}`" @click="doomed = s.id">
            <i class="pi pi-trash" />
          </button>
          <span v-else class="row">
            <button class="plain bad" @click="remove(s.id)">Delete for good</button>
            <button class="plain" @click="doomed = null">Keep</button>
          </span>
        </div>
        <div class="quiet">
          <span class="num">{{ s.width }} × {{ s.height }}</span> ·
          {{ s.solved ? "camera solved" : plural(s.edges, "edge") }} · {{ plural(s.props, "prop") }} ·
          {{ plural(s.finals, "final") }}
        </div>
        <div class="quiet">{{ when(s.updatedAt) }}</div>
      </article>
    </section>
    <p v-if="shots === null" class="quiet">Looking …</p>
  </main>
</template>

<style scoped>
.queue {
  margin-left: auto;
  color: inherit;
}
.shots {
  height: 100%;
  overflow: auto;
  background: var(--band);
  padding: 28px 36px;
}
.shots.over .drop {
  border-color: var(--accent);
  background: #3a302d;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 22px;
}
h1 {
  font-size: 22px;
  font-weight: 600;
  margin: 0 10px 0 0;
}
.grid {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(280px, 1fr));
  gap: 22px;
}
.drop {
  border: 2px dashed #66635f;
  display: grid;
  place-items: center;
  align-content: center;
  text-align: center;
  padding: 18px;
  min-height: 250px;
}
.drop i {
  font-size: 30px;
  color: var(--accent);
}
.picture {
  display: block;
  aspect-ratio: 3 / 2;
  background: var(--surround);
}
.picture img {
  width: 100%;
  height: 100%;
  object-fit: contain;
  display: block;
}
.caption {
  display: flex;
  justify-content: space-between;
  margin-top: 8px;
  font-weight: 600;
}
a {
  color: var(--ink);
  text-decoration: none;
}
a:hover {
  color: var(--accent);
}
.bad {
  color: var(--bad);
}
</style>
