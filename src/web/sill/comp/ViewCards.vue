<script setup lang="ts">
import Select from "primevue/select";
import SelectButton from "primevue/selectbutton";
import Slider from "primevue/slider";
import { computed, onMounted, ref, watch } from "vue";
import { EXPOSURE_BANDS, VECTOR_SIDE } from "#core/comp/view";
import type { ViewName } from "#core/comp/view";
import type { Shot } from "#core/shot/schema";
import { useComp } from "../../stores/comp.ts";
import { useDesk } from "../../stores/desk.ts";
import { useFinals } from "../../stores/finals.ts";
import { useProof } from "../../stores/proof.ts";
import ChangedSince from "../../parts/ChangedSince.vue";
import CopySettings from "./CopySettings.vue";

/** What the comp works on, how it is looked at, and what it measures. */
defineProps<{ shot: Shot }>();
const comp = useComp();
const desk = useDesk();
const finals = useFinals();
const proof = useProof();

const COMPARE = [
  { label: "picture", value: "picture" },
  { label: "wipe", value: "wipe" },
  { label: "side by side", value: "beside" },
  { label: "difference", value: "difference" },
];
const VIEWS: { label: string; value: ViewName }[] = [
  { label: "finished picture", value: "picture" },
  { label: "plate", value: "plate" },
  { label: "difference, enlarged", value: "difference" },
  { label: "red", value: "red" },
  { label: "green", value: "green" },
  { label: "blue", value: "blue" },
  { label: "luminance", value: "luminance" },
  { label: "exposure in stops", value: "exposure" },
  { label: "saturation", value: "saturation" },
  { label: "clipped and crushed", value: "clipping" },
];
const GAINS = [1, 2, 4, 8, 16];
const running = computed(() => proof.on && !proof.laid);
const proofWords = computed(() => {
  const reached = proof.picture ? `: ${proof.picture.samples} samples` : "";
  if (comp.source?.kind === "proof") return `as far as it had come${reached}`;
  return running.value ? `as far as it has come${reached}` : "none yet";
});
const done = computed(() => finals.list.filter((f) => f.status === "done"));
const waveform = ref<HTMLCanvasElement>();
const vectors = ref<HTMLCanvasElement>();

/** Plate in grey, what is rendered in the accent's red, on top of each other. */
function paint(): void {
  const scopes = comp.scopes;
  if (!scopes || !waveform.value || !vectors.value) return;
  const draw = (canvas: HTMLCanvasElement, w: number, h: number, at: (x: number, y: number) => [number, number]) => {
    canvas.width = w;
    canvas.height = h;
    const image = new ImageData(w, h);
    for (let y = 0; y < h; y++)
      for (let x = 0; x < w; x++) {
        const [plate, cg] = at(x, y);
        const grey = Math.min(170, 40 * Math.log2(1 + plate));
        const red = Math.min(255, 70 * Math.log2(1 + cg));
        image.data.set([Math.max(grey, red), grey * 0.9 + red * 0.2, grey * 0.9 + red * 0.15, 255], (y * w + x) * 4);
      }
    canvas.getContext("2d")!.putImageData(image, 0, 0);
  };
  draw(waveform.value, scopes.columns, 128, (x, y) => {
    const of = (values: Uint32Array) => values[x * 256 + 255 - 2 * y] + values[x * 256 + 254 - 2 * y];
    return [of(scopes.plate), of(scopes.cg)];
  });
  draw(vectors.value, VECTOR_SIDE, VECTOR_SIDE, (x, y) => {
    const at = (VECTOR_SIDE - 1 - y) * VECTOR_SIDE + x;
    return [scopes.platePairs[at], scopes.cgPairs[at]];
  });
}
onMounted(paint);
watch(() => comp.scopes, paint, { flush: "post" });
watch(
  () => desk.pointer,
  (p) => void (p ? comp.lookAt(p[0], p[1]) : undefined),
);
const three = (c: number[]) => c.map((v) => v.toFixed(3)).join("  ");
</script>

<template>
  <section class="card" style="flex: 1.1">
    <h3>What is finished</h3>
    <div class="list">
      <div>
        proof
        <span class="quiet">{{ proofWords }}</span>
        <button
          v-if="!running && !comp.source"
          class="act end"
          data-test="start-proof"
          :disabled="!shot.solved"
          :title="shot.solved ? 'Renders one; it can be taken as soon as it shows something' : 'Solve the camera first'"
          @click="proof.toggle(shot)"
        >
          Start one
        </button>
        <button
          v-else
          class="act end"
          data-test="take-proof"
          :disabled="comp.loading || !running"
          @click="comp.take({ kind: 'proof' })"
        >
          {{ comp.source?.kind === "proof" ? "taken" : "Take" }}
        </button>
      </div>
      <div v-for="f in done.slice(0, 6)" :key="f.id" style="flex-wrap: wrap; row-gap: 0">
        final <span class="num">{{ f.width }} × {{ f.height }}, {{ f.samples }} samples</span>
        <span class="quiet">{{ new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" }) }}</span>
        <button
          class="act end"
          data-test="take-final"
          :disabled="comp.loading"
          @click="comp.take({ kind: 'final', id: f.id })"
        >
          {{ comp.source?.kind === "final" && comp.source.id === f.id ? "taken" : "Take" }}
        </button>
        <ChangedSince :shot="shot" :final="f" />
      </div>
    </div>
    <p v-if="comp.loading" class="quiet">Fetching its passes …</p>
    <p v-else-if="!comp.source" class="quiet">
      Take one: its layers are then put together anew at every change, and nothing is rendered.
    </p>
    <div v-else-if="comp.source.kind === 'final'" class="row">
      <template v-if="comp.work">
        <span class="num">{{ Math.round(comp.work.share * 100) }} %</span>
        <span v-if="comp.work.secondsLeft !== null" class="quiet num"
          >{{ Math.ceil(comp.work.secondsLeft) }} s left</span
        >
        <button class="act" @click="comp.cancelWork()">Cancel</button>
      </template>
      <button v-else class="act" data-test="finish-whole" @click="comp.finishWhole()">Finish at full size</button>
      <span class="quiet num">{{ comp.took?.toFixed(0) }} ms on screen</span>
    </div>
    <p v-else class="quiet">A final takes these settings by itself.</p>
    <CopySettings :shot="shot" />
  </section>
  <section class="card" style="flex: 1.1">
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
        <i class="pi pi-eye" /> blink <kbd>B</kbd>
      </button>
    </div>
    <div v-if="desk.compare === 'wipe'" class="slide">
      <span class="quiet">wipe</span><Slider v-model="desk.wipeAt" :min="0" :max="1" :step="0.002" aria-label="Wipe" />
      <span class="quiet">turned</span
      ><Slider v-model="desk.wipeTurn" :min="-90" :max="90" :step="1" aria-label="Angle of the wipe" />
    </div>
    <div v-if="desk.compare === 'picture'" class="slide">
      <span class="quiet">strength</span
      ><Slider v-model="desk.pictureStrength" :min="0" :max="1" :step="0.01" aria-label="Strength" />
    </div>
    <div class="row">
      <Select
        v-model="comp.view"
        :options="VIEWS"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="How it is shown"
        data-test="comp-view"
      />
      <Select v-if="comp.view === 'difference'" v-model="comp.gain" :options="GAINS" size="small" aria-label="Times" />
    </div>
    <div v-if="comp.view === 'exposure'" class="bands">
      <span v-for="b in EXPOSURE_BANDS" :key="b.words" class="num"
        ><i :style="{ background: `rgb(${b.colour.join()})` }" />{{ b.words }}</span
      >
    </div>
    <div v-if="comp.source" class="row">
      <button class="act" data-test="snapshot" @click="comp.keepSnapshot()">Snapshot</button>
      <button
        v-for="(s, i) in comp.snapshots"
        :key="i"
        class="snap"
        :title="`Snapshot of ${s.at}`"
        @click="comp.showSnapshot(s)"
      >
        <img :src="s.small" :alt="`Snapshot of ${s.at}`" />
      </button>
      <button v-if="comp.snapshots.length > 0" class="plain" @click="comp.refresh('whole')">now</button>
    </div>
  </section>
  <section class="card" style="flex: 1">
    <h3>Plate <i class="key grey" /> and what is rendered <i class="key red" /></h3>
    <div class="scopes">
      <canvas ref="waveform" aria-label="Waveform" />
      <canvas ref="vectors" aria-label="Vectorscope" />
    </div>
    <div v-if="comp.values" class="facts num values">
      <span>plate</span><span>{{ three(comp.values.plate) }}</span> <span>finished</span
      ><span>{{ three(comp.values.finished) }}</span> <span>prop</span
      ><span>{{
        comp.values.alpha > 0 ? `${three(comp.values.prop)}, covers ${(100 * comp.values.alpha).toFixed(0)} %` : "none"
      }}</span>
    </div>
    <p v-else class="quiet">Point at the picture for its values (linear light).</p>
  </section>
</template>

<style scoped>
.slide {
  display: grid;
  grid-template-columns: 64px 1fr;
  align-items: center;
  gap: 8px;
  margin: 8px 8px 6px 0;
}
.scopes {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  height: 92px;
}
.scopes canvas {
  background: #111;
  width: 100%;
  height: 92px;
}
.scopes canvas:last-child {
  width: 92px;
}
.bands {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  font-size: 11px;
}
.bands i,
.key {
  display: inline-block;
  width: 10px;
  height: 8px;
  margin-right: 3px;
}
.grey {
  background: #999;
}
.red {
  background: #e0503c;
}
.snap {
  padding: 0;
  border: 1px solid var(--line);
  background: none;
  cursor: pointer;
  line-height: 0;
}
.snap img {
  height: 26px;
}
.values {
  font-size: 11.5px;
}
</style>
