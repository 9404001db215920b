<script setup lang="ts">
import Button from "primevue/button";
import ProgressBar from "primevue/progressbar";
import Select from "primevue/select";
import { computed } from "vue";
import { RouterLink } from "vue-router";
import { sizeAt } from "#core/image/resize";
import type { Shot } from "#core/shot/schema";
import NumberField from "../parts/NumberField.vue";
import { useFinals } from "../stores/finals.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";

const props = defineProps<{ shot: Shot }>();
const proof = useProof();
const finals = useFinals();
const store = useShot();

const SIZES = [100, 50, 25].map((percent) => ({ percent, label: `${percent} % of the side` }));
const size = computed(() => sizeAt(props.shot.plate, props.shot.render.percent));
const left = computed(() => (proof.state === "working" ? (proof.picture?.secondsLeft ?? null) : null));

function toggle(): void {
  if (proof.on) proof.clear();
  else {
    proof.on = true;
    proof.render(props.shot);
  }
}
const seconds = (s: number | null) =>
  s === null ? "" : s < 90 ? `${Math.ceil(s)} s left` : `${Math.ceil(s / 60)} min left`;
const STATUS = {
  waiting: "waiting",
  running: "rendering",
  paused: "paused",
  done: "done",
  cancelled: "cancelled",
  failed: "failed",
};
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>Proof <span class="quiet">in this window, begins again at every change</span></h3>
    <div class="row">
      <Button
        :label="proof.on ? 'Close proof' : 'Proof'"
        :icon="proof.on ? 'pi pi-times' : 'pi pi-play'"
        :disabled="!shot.solved"
        data-test="proof"
        @click="toggle"
      />
      <Button
        v-if="proof.on && proof.state === 'working'"
        label="Stop here"
        severity="secondary"
        @click="proof.hold()"
      />
      <span class="quiet">samples a pixel</span>
      <NumberField
        :model-value="proof.target"
        label="Samples a pixel"
        :digits="0"
        :min="1"
        :max="4096"
        @update:model-value="
          (v) => {
            proof.target = Math.round(v);
            proof.render(shot);
          }
        "
      />
    </div>
    <template v-if="proof.on">
      <ProgressBar
        :value="proof.picture ? Math.round((proof.picture.samples / proof.picture.target) * 100) : 0"
        :show-value="false"
        style="height: 4px; margin: 8px 0"
      />
      <div v-if="proof.picture" class="facts" data-test="proof-facts">
        <span>Samples</span
        ><span class="num"
          ><span data-test="proof-samples">{{ proof.picture.samples }}</span> of {{ proof.picture.target }} at
          {{ proof.picture.width }} × {{ proof.picture.height }} {{ left !== null ? `· ${seconds(left)}` : "" }}</span
        >
        <span>First picture</span>
        <span class="num">{{ proof.firstMs ? `after ${(proof.firstMs / 1000).toFixed(2)} s` : "…" }}</span>
        <span>Speed</span>
        <span class="num"
          >{{ (proof.picture.rays / 1e6).toFixed(1) }} million rays, {{ (proof.picture.rate / 1e6).toFixed(2) }} million
          samples a second</span
        >
        <span>Noise</span
        ><span class="num">{{
          proof.picture.noise === null ? "…" : `${proof.picture.noise.toFixed(2)} code values of 8 bits`
        }}</span>
      </div>
      <p v-else-if="proof.state === 'working'" class="quiet">Preparing …</p>
    </template>
    <div v-if="proof.state === 'failed'" class="finding error">
      <div>{{ proof.message }}</div>
    </div>
    <p v-if="!shot.solved" class="quiet">The camera comes first.</p>
  </section>
  <section class="card" style="flex: 1">
    <h3>Final <span class="quiet">on the server, at full precision</span></h3>
    <div class="row">
      <Select
        :model-value="shot.render.percent"
        :options="SIZES"
        option-label="label"
        option-value="percent"
        aria-label="Size"
        data-test="percent"
        @update:model-value="(v) => store.commit('Change size', (d) => (d.render.percent = v))"
      />
      <span class="num">{{ size.width }} × {{ size.height }}</span>
    </div>
    <div class="row" style="margin-top: 5px">
      <span class="quiet">samples a pixel</span>
      <NumberField
        :model-value="shot.render.samples"
        label="Samples"
        :digits="0"
        :min="1"
        :max="65536"
        data-test="samples"
        @update:model-value="(v) => store.commit('Change samples', (d) => (d.render.samples = Math.round(v)))"
      />
      <Button
        label="Render final"
        icon="pi pi-camera"
        :disabled="!shot.solved"
        data-test="final"
        @click="store.flush().then(() => finals.start())"
      />
    </div>
  </section>
  <section class="card" style="flex: 1.2">
    <h3>Finals <RouterLink to="/queue" class="end" data-test="to-queue">queue of all shots</RouterLink></h3>
    <div class="list">
      <div v-for="f in finals.list" :key="f.id">
        <span>{{ STATUS[f.status] }}</span>
        <span class="num"
          >{{ f.width }} × {{ f.height }}, {{ f.samples }} samples{{
            f.status === "running" ? `, ${Math.round((f.samplesDone / f.samples) * 100)} %` : ""
          }}</span
        >
        <span v-if="f.status === 'running'" class="num">{{ seconds(f.secondsLeft) }}</span>
        <span v-if="f.seconds" class="num quiet">{{ f.seconds.toFixed(0) }} s</span>
        <span v-if="f.message" style="color: var(--bad)">{{ f.message }}</span>
        <span class="end quiet">{{ new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" }) }}</span>
        <button v-if="f.status === 'running' || f.status === 'waiting'" class="plain" @click="finals.cancel(f.id)">
          Cancel
        </button>
      </div>
    </div>
    <p v-if="finals.list.length === 0" class="quiet">None yet.</p>
  </section>
</template>

<style scoped>
a {
  color: inherit;
  font-weight: 400;
}
</style>
