<script setup lang="ts">
import MultiSelect from "primevue/multiselect";
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, onBeforeUnmount, watch } from "vue";
import type { Source } from "#core/light/schema";
import type { Shot } from "#core/shot/schema";
import NumberField from "../../parts/NumberField.vue";
import { fromHex, toHex } from "../../parts/hexColour.ts";
import { useDesk } from "../../stores/desk.ts";
import { useProof } from "../../stores/proof.ts";
import { useLight } from "./useLight.ts";

/** Every source in one list: switched, weighed, tinted, seen alone, and its own part of the picture. */
const props = defineProps<{ shot: Shot }>();
const { light, set } = useLight(props);
const desk = useDesk();
const proof = useProof();

const ICONS = { sun: "pi-sun", sky: "pi-cloud", lamp: "pi-lightbulb" };
const sources = computed(() => [
  { id: "sun", name: "Sun", icon: ICONS.sun, source: light.value.sun as Source },
  { id: "sky", name: "Sky", icon: ICONS.sky, source: light.value.sky as Source },
  ...Object.values(light.value.lamps).map((lamp) => ({
    id: lamp.id,
    name: lamp.name,
    icon: ICONS.lamp,
    source: lamp as Source,
  })),
]);
const LIGHTS = [
  { label: "everything", value: "all" },
  { label: "props only", value: "props" },
  { label: "shadows only", value: "set" },
];
/** Props that a light can leave out. */
const lit = computed(() =>
  Object.values(props.shot.props)
    .filter(({ role }) => role === "cg")
    .map(({ id, name }) => ({ id, name })),
);
const nameOf = (id: string) => props.shot.props[id]?.name ?? id;
/** Of more lamps than these the tracer lights every prop. */
const SPARING_LAMPS = 29;
const sparesWell = (id: string) => Object.keys(light.value.lamps).indexOf(id) < SPARING_LAMPS;
const change = (name: string, id: string, edit: (source: Source) => void) =>
  set(name, (l) => edit(id === "sun" ? l.sun : id === "sky" ? l.sky : l.lamps[id]));

function openDrawer(id: string): void {
  desk.lightDrawer = id === "sun" ? "sun" : id === "sky" ? "sky" : "lamps";
  desk.selected = light.value.lamps[id] ? id : desk.selected;
}
function solo(id: string): void {
  proof.solo = proof.solo === id ? null : id;
  if (!proof.on) proof.toggle(props.shot);
  else proof.render(props.shot);
}
/** Thumbnails follow the proof while the list is open. */
watch(
  () => [proof.state, proof.picture?.samples, light.value],
  () => void proof.readParts(),
  { immediate: true },
);
onBeforeUnmount(() => {
  if (proof.solo === null) return;
  proof.solo = null;
  proof.render(props.shot);
});
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>
      Sources
      <span class="end quiet"
        >strength, tint and whether set or props need no new render{{
          proof.on ? "" : "; thumbnails come with the proof (P)"
        }}</span
      >
    </h3>
    <div class="sources">
      <div v-for="{ id, name, icon, source } in sources" :key="id" class="source" :data-test="`source-${id}`">
        <button class="plain thumb" :title="`${name}: more of it`" @click="openDrawer(id)">
          <img v-if="source.on && proof.parts[id]" :src="proof.parts[id]" :alt="`What ${name} gives the picture`" />
          <i v-else class="pi" :class="icon" />
        </button>
        <button class="plain name" :title="`${name}: more of it`" @click="openDrawer(id)">{{ name }}</button>
        <ToggleSwitch
          :model-value="source.on"
          :aria-label="`${name} on`"
          @update:model-value="(on: boolean) => change(on ? `${name} on` : `${name} off`, id, (s) => (s.on = on))"
        />
        <button
          class="act"
          :class="{ on: proof.solo === id }"
          :disabled="!source.on"
          :aria-pressed="proof.solo === id"
          :title="`Only what ${name} gives the picture`"
          :data-test="`solo-${id}`"
          @click="solo(id)"
        >
          alone
        </button>
        <label class="quiet"
          >strength
          <NumberField
            :model-value="source.strength"
            :label="`Strength of ${name}`"
            narrow
            :min="0"
            :max="100"
            @update:model-value="(v) => change(`Strength of ${name}`, id, (s) => (s.strength = v))"
        /></label>
        <input
          type="color"
          :value="toHex(source.tint)"
          :aria-label="`Tint of ${name}`"
          title="Tint: white leaves it as it is"
          @change="change(`Tint ${name}`, id, (s) => (s.tint = fromHex(($event.target as HTMLInputElement).value)))"
        />
        <Select
          :model-value="source.lights"
          :options="LIGHTS"
          option-label="label"
          option-value="value"
          :aria-label="`What ${name} lights`"
          @update:model-value="
            (lights: Source['lights']) => change(`What ${name} lights`, id, (s) => (s.lights = lights))
          "
        />
        <MultiSelect
          v-if="lit.length > 0 && source.lights !== 'set' && sparesWell(id)"
          :model-value="source.except"
          :options="lit"
          option-label="name"
          option-value="id"
          placeholder="all props"
          :show-toggle-all="false"
          :aria-label="`Props that ${name} does not light`"
          title="Props that it does not light. Their shadows in its light stay. Needs a new render."
          @update:model-value="
            (except: string[]) => change(`Props that ${name} does not light`, id, (s) => (s.except = except))
          "
        >
          <template #value>
            <template v-if="source.except.length === 1">but {{ nameOf(source.except[0]) }}</template>
            <template v-else-if="source.except.length > 1">but {{ source.except.length }} props</template>
            <span v-else class="quiet">all props</span>
          </template>
        </MultiSelect>
      </div>
    </div>
  </section>
</template>

<style scoped>
.sources {
  display: grid;
  gap: 4px;
  overflow-y: auto;
  min-height: 0;
}
.source {
  display: grid;
  grid-template-columns: 62px 150px auto auto auto auto 150px 150px;
  justify-content: start;
  align-items: center;
  gap: 10px;
}
.thumb {
  width: 60px;
  height: 40px;
  padding: 0;
  background: #1b1a1a;
  display: grid;
  place-items: center;
}
.thumb img {
  width: 60px;
  height: 40px;
  object-fit: contain;
}
.name {
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.act.on {
  color: var(--accent);
}
</style>
