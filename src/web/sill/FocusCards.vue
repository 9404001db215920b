<script setup lang="ts">
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import type { Shot } from "#core/shot/schema";
import LengthField from "../parts/LengthField.vue";
import NumberField from "../parts/NumberField.vue";
import ToolButton from "../parts/ToolButton.vue";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";

/** Thin-lens focus of the props. The plate has its own already. */
const props = defineProps<{ shot: Shot }>();
const store = useShot();
const proof = useProof();
const focus = computed(() => props.shot.focus);
const set = (name: string, change: (f: Shot["focus"]) => void) => store.commit(name, (d) => change(d.focus));

/** Where a point still looks sharp: its blur is smaller than a pixel and a half of the plate. */
const sharp = computed(() => {
  const camera = props.shot.solved?.camera;
  if (!camera || !focus.value.on) return null;
  // Blur in pixels: opening × focal length × |1/d - 1/focus| (thin-lens geometry).
  const reach = 1.5 / ((focus.value.openingMm / 1000) * camera.focalPx);
  const inverse = 1 / focus.value.distance;
  return { from: 1 / (inverse + reach), to: inverse > reach ? 1 / (inverse - reach) : null };
});
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>
      Focus
      <ToggleSwitch
        class="end"
        :model-value="focus.on"
        aria-label="Focus"
        data-test="focus-on"
        @update:model-value="(on: boolean) => set(on ? 'Focus on' : 'Focus off', (f) => (f.on = on))"
      />
    </h3>
    <div class="row">
      <ToolButton tool="focus" label="pick on a prop" shortcut="O" :disabled="!proof.on" />
      <span v-if="!proof.on" class="quiet">open the proof to pick in it</span>
    </div>
    <div class="facts" style="margin-top: 5px">
      <span>Distance</span>
      <span
        ><LengthField
          :model-value="focus.distance"
          :unit="shot.unit"
          label="Distance in focus"
          positive
          data-test="focus-distance"
          @update:model-value="(m) => set('Type distance', (f) => (f.distance = m))"
      /></span>
      <span>Opening</span>
      <span class="row"
        ><NumberField
          :model-value="focus.openingMm"
          label="Opening"
          unit="mm"
          :min="0.01"
          :max="500"
          data-test="opening"
          @update:model-value="(v) => set('Type opening', (f) => (f.openingMm = v))"
        /><span class="quiet">focal length ÷ f-number</span></span
      >
      <span>Blades</span>
      <span class="row"
        ><NumberField
          :model-value="focus.blades"
          label="Blades"
          narrow
          :digits="0"
          :min="0"
          :max="16"
          @update:model-value="(v) => set('Change blades', (f) => (f.blades = Math.round(v)))"
        /><span class="quiet">turned</span
        ><NumberField
          :model-value="focus.turnDeg"
          label="Turn of the blades"
          narrow
          unit="°"
          @update:model-value="(v) => set('Turn blades', (f) => (f.turnDeg = v))"
        /><span class="quiet">0 blades: round</span></span
      >
    </div>
  </section>
  <section class="card" style="flex: 1">
    <h3>What stays sharp</h3>
    <p v-if="sharp" class="num" style="margin: 0">
      from {{ sharp.from.toFixed(2) }} m {{ sharp.to === null ? "to the horizon" : `to ${sharp.to.toFixed(2)} m` }}
    </p>
    <p v-else class="quiet">Without focus everything is sharp, as with a very small opening.</p>
    <p class="quiet">
      Sharp means a blur below 1.5 pixels of the plate. Match it to how soft the plate is at the prop's distance.
    </p>
  </section>
</template>
