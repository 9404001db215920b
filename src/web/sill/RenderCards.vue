<script setup lang="ts">
import Button from "primevue/button";
import ProgressBar from "primevue/progressbar";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import { sizeAt } from "#core/image/resize";
import type { PassGroup, RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { PASS_GROUPS } from "#core/render/schema";
import DrawerRow from "../parts/DrawerRow.vue";
import LengthField from "../parts/LengthField.vue";
import NumberField from "../parts/NumberField.vue";
import ToolButton from "../parts/ToolButton.vue";
import { useDesk } from "../stores/desk.ts";
import { useFinals } from "../stores/finals.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import FinalsCards from "./FinalsCards.vue";
import FocusCards from "./FocusCards.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const proof = useProof();
const finals = useFinals();
const store = useShot();

const DRAWERS = [
  { key: "render", title: "Render" },
  { key: "layers", title: "Layers" },
  { key: "focus", title: "Focus" },
  { key: "finals", title: "Finals" },
] as const;
const SIZES = [25, 50, 100, 200];
const render = computed(() => props.shot.render);
const size = computed(() => sizeAt(props.shot.plates.main, render.value.percent));
const left = computed(() => (proof.state === "working" ? (proof.picture?.secondsLeft ?? null) : null));

const set = (name: string, change: (r: RenderChoice) => void) => store.commit(name, (d) => change(d.render));

function whole(): void {
  proof.region = null;
  proof.render(props.shot);
}
const togglePass = (group: PassGroup) =>
  set("Choose layers", (r) => {
    r.passes = r.passes.includes(group) ? r.passes.filter((g) => g !== group) : [...r.passes, group];
  });
const PASSES: Record<PassGroup, string> = {
  lights:
    "Sun, sky, bounce and each lamp: light on the catcher with the props and without, and on the props, to weigh anew",
  surface: "Albedo, normal and world position",
  occlusion: "Ambient occlusion of the set",
  emission: "What the props send out themselves",
  mattes: "A matte for every prop and every material",
};
const seconds = (s: number | null) =>
  s === null ? "" : s < 90 ? `${Math.ceil(s)} s left` : `${Math.ceil(s / 60)} min left`;
</script>

<template>
  <DrawerRow v-model="desk.renderDrawer" :drawers="DRAWERS" label="Render drawers" />
  <FocusCards v-if="desk.renderDrawer === 'focus'" :shot="shot" />
  <FinalsCards v-else-if="desk.renderDrawer === 'finals'" :shot="shot" />
  <section v-else-if="desk.renderDrawer === 'layers'" class="card" style="flex: 1">
    <h3>
      Layers to hand over <span class="quiet">in one EXR, beside picture, prop, shadow ratio and added light</span>
    </h3>
    <div class="list">
      <label v-for="group in PASS_GROUPS" :key="group" class="row">
        <ToggleSwitch
          :model-value="render.passes.includes(group)"
          :aria-label="group"
          :data-test="`pass-${group}`"
          @update:model-value="togglePass(group)"
        />
        <b>{{ group }}</b>
        <span class="quiet">{{ PASSES[group] }}</span>
        <LengthField
          v-if="group === 'occlusion'"
          class="end"
          :model-value="render.occlusionMetres"
          :unit="shot.unit"
          label="Distance that occlusion looks"
          positive
          @update:model-value="(m) => set('Change occlusion', (r) => (r.occlusionMetres = m))"
        />
      </label>
    </div>
  </section>
  <template v-else>
    <section class="card" style="flex: 1.1">
      <h3>Proof <span class="quiet">in this window; only what changed is done again</span></h3>
      <div class="row">
        <Button
          :label="proof.on && !proof.laid ? 'Close proof' : 'Proof'"
          :icon="proof.on && !proof.laid ? 'pi pi-times' : 'pi pi-play'"
          :disabled="!shot.solved"
          data-test="proof"
          @click="proof.toggle(shot)"
        />
        <Button
          v-if="proof.on && proof.state === 'working'"
          label="Stop here"
          severity="secondary"
          @click="proof.hold()"
        />
        <ToolButton tool="closer" label="look closer" shortcut="J" :disabled="!shot.solved" />
        <button v-if="proof.region" class="plain" data-test="whole" @click="whole">whole plate</button>
        <span class="end row"
          ><NumberField
            :model-value="proof.target"
            label="Samples a pixel"
            narrow
            :digits="0"
            :min="1"
            :max="4096"
            @update:model-value="
              (v) => {
                proof.target = Math.round(v);
                proof.render(shot);
              }
            "
          /><span class="quiet">samples</span></span
        >
      </div>
      <template v-if="proof.on && !proof.laid">
        <ProgressBar
          :value="proof.picture ? Math.round((proof.picture.samples / proof.picture.target) * 100) : 0"
          :show-value="false"
          style="height: 4px; margin: 8px 0"
        />
        <div v-if="proof.picture" class="facts" data-test="proof-facts">
          <span>Samples</span
          ><span class="num"
            ><span data-test="proof-samples">{{ proof.picture.samples }}</span> of {{ proof.picture.target }} at
            {{ proof.picture.part.x1 - proof.picture.part.x0 }} ×
            {{ proof.picture.part.y1 - proof.picture.part.y0 }}
            {{ left !== null ? `· ${seconds(left)}` : "" }}</span
          >
          <span>Noise</span
          ><span class="num"
            ><span data-test="proof-noise">{{
              proof.picture.noise === null ? "…" : `${proof.picture.noise.toFixed(2)} of 255`
            }}</span
            >{{
              proof.denoising !== null
                ? `, ${Math.round(proof.denoising * 100)} % denoised`
                : proof.picture.denoised
                  ? " before denoising"
                  : ""
            }}</span
          >
          <span>A second</span>
          <span class="num" style="white-space: normal"
            >{{ (proof.picture.rays / 1e6).toFixed(1) }} M rays, {{ (proof.picture.rate / 1e6).toFixed(1) }} M samples;
            first
            <span data-test="proof-first" title="From the change to the first picture">{{
              proof.firstMs ? `after ${(proof.firstMs / 1000).toFixed(2)} s` : "…"
            }}</span></span
          >
        </div>
        <p v-else-if="proof.state === 'working'" class="quiet">Preparing …</p>
      </template>
      <div v-if="proof.picture?.notice" class="finding warning">
        <div>{{ proof.picture.notice }}</div>
      </div>
      <div v-if="proof.state === 'failed'" class="finding error">
        <div>{{ proof.message }}</div>
      </div>
      <p v-if="!shot.solved" class="quiet">The camera comes first.</p>
    </section>
    <section class="card" style="flex: 1.2">
      <h3>Final <span class="quiet">on the server, at full precision</span></h3>
      <div class="facts">
        <span>Size</span>
        <span class="row">
          <NumberField
            :model-value="render.percent"
            label="Size in per cent of the plate's side"
            unit="%"
            :digits="0"
            :min="25"
            :max="200"
            data-test="percent"
            @update:model-value="(v) => set('Change size', (r) => (r.percent = Math.round(v)))"
          />
          <button
            v-for="s in SIZES"
            :key="s"
            class="plain"
            :data-test="`size-${s}`"
            @click="set('Change size', (r) => (r.percent = s))"
          >
            {{ s }}
          </button>
          <span class="num">{{ size.width }} × {{ size.height }}</span>
        </span>
        <span>Until</span>
        <span class="row">
          <NumberField
            :model-value="render.noise"
            label="Noise target"
            narrow
            :min="0"
            :max="50"
            data-test="noise"
            @update:model-value="(v) => set('Change noise', (r) => (r.noise = v))"
          />
          <span class="quiet">of 255 noise, or</span>
          <NumberField
            :model-value="render.minutes"
            label="Minutes"
            narrow
            :min="0"
            :max="10000"
            @update:model-value="(v) => set('Change time', (r) => (r.minutes = v))"
          />
          <span class="quiet">min; 0: no end</span>
        </span>
        <span>At most</span>
        <span class="row">
          <NumberField
            :model-value="render.samples"
            label="Samples"
            :digits="0"
            :min="1"
            :max="65536"
            data-test="samples"
            @update:model-value="(v) => set('Change samples', (r) => (r.samples = Math.round(v)))"
          />
          <span class="quiet">samples a pixel</span>
        </span>
      </div>
      <div class="row" style="margin-top: 6px">
        <Button
          label="Render final"
          icon="pi pi-camera"
          :disabled="!shot.solved"
          data-test="final"
          @click="store.flush().then(() => finals.start())"
        />
        <span v-if="finals.running" class="quiet num">
          {{
            finals.running.status === "running"
              ? seconds(finals.running.secondsLeft) || (finals.running.writing ? "writing" : "rendering")
              : "waiting"
          }}
        </span>
        <button v-if="finals.running" class="act" data-test="cancel-final" @click="finals.cancel(finals.running.id)">
          Cancel
        </button>
      </div>
    </section>
    <section class="card" style="flex: 0.9">
      <h3>Noise and threads</h3>
      <label class="row">
        <ToggleSwitch
          :model-value="render.denoise"
          aria-label="Denoise"
          data-test="denoise"
          @update:model-value="(on: boolean) => set(on ? 'Denoise' : 'Do not denoise', (r) => (r.denoise = on))"
        />
        <span>Denoise</span>
      </label>
      <p class="quiet" style="margin: 2px 0 6px">
        The plate's own grain is never touched. Off for delivery unless wanted.
      </p>
      <div class="facts">
        <span>Hold light at</span>
        <span class="row">
          <NumberField
            :model-value="render.limit"
            label="Limit of light by way of matt surfaces"
            narrow
            :min="0"
            :max="1000"
            @update:model-value="(v) => set('Change limit', (r) => (r.limit = v))"
          />
          <span class="quiet" title="Light by way of matt surfaces; 0 holds nothing">× white; 0: never</span>
        </span>
        <span>Threads</span>
        <span class="row">
          <NumberField
            :model-value="render.threads"
            label="Threads"
            narrow
            :digits="0"
            :min="0"
            :max="64"
            @update:model-value="(v) => set('Change threads', (r) => (r.threads = Math.round(v)))"
          />
          <span class="quiet">of the server (0: all)</span>
        </span>
      </div>
    </section>
  </template>
</template>
