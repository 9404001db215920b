<script setup lang="ts">
import Slider from "primevue/slider";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { PERSON_HEIGHT } from "../../desk/guides.ts";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();

const GRIDS = [
  { value: "ground", label: "level" },
  { value: "facing-x", label: "upright, facing X" },
  { value: "facing-y", label: "upright, facing Y" },
  { value: "none", label: "none" },
] as const;
const STANDS = [
  ["corner", "room corner"],
  ["pole", "pole, 3 m"],
  ["person", "person"],
  ["checker", "checker, 50 cm"],
] as const;
const gauges = computed(() => Object.values(props.shot.gauges));
const slide = (k: number, value: number) => store.commit("Move test box", (d) => (d.box.position[k] = value));
const stretch = (k: number, value: number) => store.commit("Size test box", (d) => (d.box.size[k] = value));
const parts = (id: string, key: "across" | "down", n: number) =>
  store.commit("Divide", (d) => {
    const g = d.gauges[id];
    if (g.kind === "division") g[key] = Math.round(n);
  });
const WORDS = { tape: "tape", line: "line", division: "division" };
</script>

<template>
  <section class="card" style="flex: 1.5">
    <h3>Laid over the plate</h3>
    <div class="row">
      <span class="quiet">Grid</span>
      <select v-model="desk.checks.grid" class="pick" aria-label="Grid plane">
        <option v-for="g in GRIDS" :key="g.value" :value="g.value">{{ g.label }}</option>
      </select>
      <span class="quiet">at</span>
      <LengthField v-model="desk.checks.gridAt" :unit="shot.unit" label="Where the grid lies" />
    </div>
    <div class="row toggles">
      <label v-for="[key, label] in STANDS" :key="key" class="row"
        ><ToggleSwitch v-model="desk.checks[key]" :data-test="`check-${key}`" /> {{ label
        }}{{ key === "person" ? `, ${formatLength(PERSON_HEIGHT, shot.unit)}` : "" }}</label
      >
      <label class="row"
        ><ToggleSwitch v-model="desk.checks.cross" data-test="check-cross" /> directions at the pointer (A)</label
      >
      <label class="row"><ToggleSwitch v-model="desk.checks.ghosts" /> where an edge would help</label>
      <label class="row"><ToggleSwitch v-model="desk.checks.enlarge" data-test="check-enlarge" /> misfit ×10</label>
    </div>
    <p class="quiet" style="margin: 2px 0 0">Drag the foot of corner, pole, person and checker over the ground.</p>
  </section>
  <section class="card" style="flex: 0.6">
    <h3>Strength</h3>
    <div class="strengths">
      <span class="quiet">plate</span
      ><Slider v-model="desk.plateStrength" :min="0" :max="1" :step="0.01" aria-label="Strength of the plate" />
      <span class="num">{{ Math.round(desk.plateStrength * 100) }}</span>
      <span class="quiet">overlay</span
      ><Slider v-model="desk.overlayStrength" :min="0.05" :max="1" :step="0.01" aria-label="Strength of the overlay" />
      <span class="num">{{ Math.round(desk.overlayStrength * 100) }}</span>
    </div>
    <p class="quiet">With the plate faded, set and props are seen through the camera alone.</p>
  </section>
  <section class="card" style="flex: 0.95">
    <h3>Gauges</h3>
    <div class="row" style="margin-bottom: 4px">
      <ToolButton tool="tape" label="tape" shortcut="M" />
      <ToolButton tool="line" label="line up walls" shortcut="N" />
      <ToolButton tool="division" label="divide" shortcut="S" />
    </div>
    <div class="list">
      <div v-for="g in gauges" :key="g.id" :class="{ on: desk.selected === g.id }" @click="desk.selected = g.id">
        {{ WORDS[g.kind] }}
        <template v-if="g.kind === 'division'">
          <NumberField
            :model-value="g.across"
            label="Parts across"
            :digits="0"
            narrow
            :min="1"
            :max="40"
            @update:model-value="(n) => parts(g.id, 'across', n)"
          />
          ×
          <NumberField
            :model-value="g.down"
            label="Parts down"
            :digits="0"
            narrow
            :min="1"
            :max="40"
            @update:model-value="(n) => parts(g.id, 'down', n)"
          />
        </template>
        <button
          class="plain end"
          :aria-label="`Delete ${g.id}`"
          @click.stop="store.commit('Delete gauge', (d) => void delete d.gauges[g.id])"
        >
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
  </section>
  <section class="card" style="flex: 0.75">
    <h3>
      Test box <label class="row end"><ToggleSwitch v-model="desk.box" data-test="box" /></label>
    </h3>
    <div class="facts">
      <template v-for="(axis, k) in ['x', 'y', 'z'] as const" :key="axis">
        <span :class="`axis-${axis}`">{{ axis.toUpperCase() }}</span>
        <span class="row" style="flex-wrap: nowrap">
          <LengthField
            :model-value="shot.box.position[k]"
            :unit="shot.unit"
            :label="`Box at ${axis}`"
            @update:model-value="(v) => slide(k, v)"
          />
          <LengthField
            :model-value="shot.box.size[k]"
            :unit="shot.unit"
            :label="`Box size along ${axis}`"
            positive
            @update:model-value="(v) => stretch(k, v)"
          />
        </span>
      </template>
    </div>
    <p class="quiet" style="margin: 3px 0 0">place · size; drag it on the plate</p>
  </section>
</template>

<style scoped>
.toggles {
  gap: 3px 12px;
  margin-top: 5px;
}
.strengths {
  display: grid;
  grid-template-columns: auto 1fr 28px;
  gap: 12px 10px;
  align-items: center;
  padding: 4px 4px 0 0;
}
</style>
