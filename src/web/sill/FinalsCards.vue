<script setup lang="ts">
import SelectButton from "primevue/selectbutton";
import { computed, ref, watch } from "vue";
import { RouterLink } from "vue-router";
import type { FinalListing } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import ChangedSince from "../parts/ChangedSince.vue";
import { useFinals } from "../stores/finals.ts";
import { useNotices } from "../stores/notices.ts";
import { useProof } from "../stores/proof.ts";

/** History of a shot's finals; any two of one size can be laid against each other. */
defineProps<{ shot: Shot }>();
const finals = useFinals();
const proof = useProof();
const notices = useNotices();

const STATUS = {
  waiting: "waiting",
  running: "rendering",
  paused: "paused",
  done: "done",
  cancelled: "cancelled",
  failed: "failed",
};
const seconds = (s: number) => (s < 90 ? `${Math.ceil(s)} s` : `${Math.ceil(s / 60)} min`);

const pair = ref<string[]>([]);
const chosen = computed(() =>
  pair.value.map((id) => finals.list.find((f) => f.id === id)).filter((f) => f !== undefined),
);
const way = ref<"first" | "second" | "difference">("second");
const WAYS = [
  { label: "first", value: "first" },
  { label: "second", value: "second" },
  { label: "difference × 8", value: "difference" },
];
const apart = ref<{ mean: number; worst: number } | null>(null);

/** Takes a final into the pair; the third puts the first out. */
function take(f: FinalListing): void {
  pair.value = pair.value.includes(f.id) ? pair.value.filter((id) => id !== f.id) : [...pair.value, f.id].slice(-2);
}

async function pixelsOf(id: string): Promise<ImageData> {
  const response = await fetch(`/api/finals/${id}/picture.png`);
  if (!response.ok) throw new Error("The final's picture is missing. Render it again.");
  const bitmap = await createImageBitmap(await response.blob());
  const context = new OffscreenCanvas(bitmap.width, bitmap.height).getContext("2d", { willReadFrequently: true })!;
  context.drawImage(bitmap, 0, 0);
  return context.getImageData(0, 0, bitmap.width, bitmap.height);
}

/** Lays one of the two, or what they differ by, over the plate. */
async function compare(): Promise<void> {
  const [a, b] = chosen.value;
  apart.value = null;
  if (!a || !b) return;
  try {
    if (way.value !== "difference") {
      const shown = way.value === "first" ? a : b;
      proof.lay(await createImageBitmap(await pixelsOf(shown.id)), shown.samples, shown.noise);
      return;
    }
    const [p, q] = [await pixelsOf(a.id), await pixelsOf(b.id)];
    if (p.width !== q.width || p.height !== q.height) {
      notices.say("warn", "The two are of different sizes.", "Compare finals of one size, or look at them one by one.");
      return;
    }
    let [sum, worst] = [0, 0];
    for (let i = 0; i < p.data.length; i++) {
      if (i % 4 === 3) continue;
      const d = Math.abs(p.data[i] - q.data[i]);
      sum += d;
      worst = Math.max(worst, d);
      p.data[i] = Math.min(255, d * 8);
    }
    apart.value = { mean: sum / ((p.data.length / 4) * 3), worst };
    proof.lay(await createImageBitmap(p), b.samples, b.noise);
  } catch (error) {
    notices.fail(error);
  }
}
watch([pair, way], compare);

const share = (f: FinalListing) => Math.round((f.samplesDone / f.samples) * 100);

const about = (f: FinalListing) => {
  const { settings: s } = f;
  const parts = [`${f.samples} samples`];
  if (s.noise > 0) parts.push(`until ${s.noise} of 255`);
  if (s.minutes > 0) parts.push(`at most ${s.minutes} min`);
  if (s.denoise) parts.push("denoised");
  if (s.passes.length > 0) parts.push(`with ${s.passes.join(", ")}`);
  return parts.join(", ");
};
</script>

<template>
  <section class="card" style="flex: 2">
    <h3>Finals <RouterLink to="/queue" class="end" data-test="to-queue">queue of all shots</RouterLink></h3>
    <div class="list">
      <div v-for="f in finals.list" :key="f.id" :class="{ on: pair.includes(f.id) }">
        <span>{{ STATUS[f.status] }}</span>
        <span class="num"
          >{{ f.width }} × {{ f.height }}, {{ about(f)
          }}{{ f.status === "running" ? `, ${f.writing ? "writing its files" : `${share(f)} %`}` : "" }}</span
        >
        <span v-if="f.status === 'running' && f.secondsLeft !== null" class="num"
          >{{ seconds(f.secondsLeft) }} left</span
        >
        <span v-if="f.noise !== null" class="num quiet">noise {{ f.noise.toFixed(2) }} of 255</span>
        <span v-if="f.seconds" class="num quiet">took {{ seconds(f.seconds) }}</span>
        <span v-if="f.message" style="color: var(--bad)">{{ f.message }}</span>
        <span class="end quiet">{{ new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" }) }}</span>
        <button
          v-if="f.status === 'done'"
          class="plain"
          :aria-pressed="pair.includes(f.id)"
          data-test="compare"
          @click="take(f)"
        >
          {{ pair.includes(f.id) ? "taken" : "compare" }}
        </button>
        <button v-if="f.status === 'running' || f.status === 'waiting'" class="plain" @click="finals.cancel(f.id)">
          Cancel
        </button>
        <ChangedSince :shot="shot" :final="f" />
        <span v-for="notice in f.notices" :key="notice" class="notice">{{ notice }}</span>
      </div>
    </div>
    <p v-if="finals.list.length === 0" class="quiet">None yet.</p>
  </section>
  <section class="card" style="flex: 1">
    <h3>Two against each other</h3>
    <p v-if="chosen.length < 2" class="quiet">Take two of the finals to compare them over the plate.</p>
    <template v-else>
      <div class="row">
        <SelectButton
          v-model="way"
          :options="WAYS"
          option-label="label"
          option-value="value"
          :allow-empty="false"
          aria-label="What is shown"
        />
      </div>
      <p v-if="apart" class="num" data-test="apart">
        mean {{ apart.mean.toFixed(3) }}, at most {{ apart.worst }} of 255 apart
      </p>
      <p class="quiet">Wipe and strength of the Comp step work on what is shown.</p>
    </template>
  </section>
</template>

<style scoped>
a {
  color: inherit;
  font-weight: 400;
}
.list > div {
  flex-wrap: wrap;
}
.notice {
  flex-basis: 100%;
  color: var(--warn, #d9a441);
}
</style>
