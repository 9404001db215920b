<script setup lang="ts">
import SelectButton from "primevue/selectbutton";
import Slider from "primevue/slider";
import { computed, ref } from "vue";
import { evidenceKey } from "#core/match/requestOfShot";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useFinals } from "../stores/finals.ts";
import { useNotices } from "../stores/notices.ts";
import { useProof } from "../stores/proof.ts";
import MatchCards from "./comp/MatchCards.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const finals = useFinals();
const proof = useProof();
const notices = useNotices();
const loading = ref(false);

const COMPARE = [
  { label: "picture", value: "picture" },
  { label: "wipe", value: "wipe" },
  { label: "difference", value: "difference" },
];

/** Puts a final over the plate in place of the proof. */
async function look(id: string): Promise<void> {
  loading.value = true;
  try {
    const response = await fetch(`/api/finals/${id}/picture.png`);
    if (!response.ok) throw new Error("The final's picture is missing. Render it again.");
    const bitmap = await createImageBitmap(await response.blob());
    const final = finals.list.find((f) => f.id === id)!;
    proof.clear();
    proof.lay(bitmap, final.samples, final.noise);
  } catch (error) {
    notices.fail(error);
  } finally {
    loading.value = false;
  }
}
const done = computed(() => finals.list.filter((f) => f.status === "done"));
const stale = computed(() => props.shot.solved !== null && props.shot.solved.evidence !== evidenceKey(props.shot));
</script>

<template>
  <section class="card" style="flex: 0.8">
    <h3>Against the plate</h3>
    <div class="row">
      <SelectButton
        v-model="desk.compare"
        :options="COMPARE"
        option-label="label"
        option-value="value"
        :allow-empty="false"
        size="small"
      />
      <button
        class="plain"
        @pointerdown="desk.blink = true"
        @pointerup="desk.blink = false"
        @pointerleave="desk.blink = false"
      >
        <i class="pi pi-eye" /> hold to blink <kbd>B</kbd>
      </button>
    </div>
    <div v-if="desk.compare === 'wipe'" class="slide">
      <span class="quiet">wipe</span><Slider v-model="desk.wipeAt" :min="0" :max="1" :step="0.002" aria-label="Wipe" />
    </div>
    <div v-if="desk.compare === 'picture'" class="slide">
      <span class="quiet">strength</span
      ><Slider v-model="desk.pictureStrength" :min="0" :max="1" :step="0.01" aria-label="Strength" />
    </div>
    <p v-if="!proof.picture" class="quiet">Nothing rendered is shown yet: open the proof, or look at a final.</p>
  </section>
  <section class="card" style="flex: 0.9">
    <h3>What lies over the plate</h3>
    <div class="list">
      <div v-for="f in done" :key="f.id">
        final <span class="num">{{ f.width }} × {{ f.height }}, {{ f.samples }} samples</span>
        <span class="end quiet">{{ new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" }) }}</span>
        <button class="plain" :disabled="loading" @click="look(f.id)">Look</button>
      </div>
    </div>
    <p v-if="done.length === 0" class="quiet">No final yet; the proof is shown when it is open.</p>
    <p class="quiet">
      In linear light: prop + (1 − its alpha) × (plate × shadow ratio + added reflection). What nothing touches keeps
      the plate's own codes.
    </p>
    <div v-if="stale" class="finding warning">
      <div>The marks changed since this camera was taken. See Findings in the Camera step.</div>
    </div>
  </section>
  <MatchCards :shot="shot" />
</template>

<style scoped>
.slide {
  display: grid;
  grid-template-columns: 64px 1fr;
  align-items: center;
  gap: 8px;
  margin: 10px 8px 0 0;
}
</style>
