<script setup lang="ts">
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import type { StageName } from "#core/comp/stages/index";
import { STAGE_LABELS } from "#core/comp/stages/index";
import type { Shot } from "#core/shot/schema";
import { useComp } from "../../stores/comp.ts";
import CompSlider from "./CompSlider.vue";
import type { StageField } from "./stageField.ts";

/** One stage of the comp: on or off, how much of it, where, and its own numbers. Held, it shows the picture without it. */
const props = defineProps<{
  shot: Shot;
  stage: StageName;
  fields: readonly StageField[];
  /** Without a slider for strength: grain has its own. */
  plain?: boolean;
  /** It is in the render itself: there is no picture without it. */
  rendered?: boolean;
}>();
const comp = useComp();
type Settings = Record<string, number | number[] | boolean | string | null>;
const settings = computed(() => (comp.draft ?? props.shot.comp)[props.stage] as unknown as Settings);
const matte = computed(() => props.shot.comp[props.stage].matte);
const label = computed(() => STAGE_LABELS[props.stage]);
const mattes = computed(() => [
  { label: "everywhere", value: null },
  ...Object.entries(props.shot.comp.mattes).map(([id, m]) => ({ label: m.name, value: id })),
]);

const valueOf = ({ key, at }: StageField): number => {
  const value = settings.value[key];
  return at === undefined ? (value as number) : (value as number[])[at];
};
function put(into: unknown, { key, at }: StageField, value: number): void {
  const own = (into as Record<string, Settings>)[props.stage];
  if (at === undefined) own[key] = value;
  else (own[key] as number[])[at] = value;
  // What is set is wanted.
  own.on = true;
}
const all = computed<StageField[]>(() => [
  ...props.fields,
  ...(props.plain ? [] : [{ key: "strength", label: "Strength", min: 0, max: 1, step: 0.01 }]),
]);
</script>

<template>
  <section class="card stage" :data-test="`stage-${stage}`">
    <h3>
      {{ label }}
      <button
        v-if="!rendered"
        class="plain hold"
        :title="`Hold: the picture without “${label}”`"
        @pointerdown="comp.without = stage"
        @pointerup="comp.without = null"
        @pointerleave="comp.without = null"
      >
        <i class="pi pi-eye-slash" /> before
      </button>
      <ToggleSwitch
        class="end"
        :model-value="settings.on as boolean"
        :aria-label="`${label} on`"
        @update:model-value="
          (on: boolean) => comp.keep(`${label} ${on ? 'on' : 'off'}`, (c) => void (c[stage].on = on))
        "
      />
    </h3>
    <div class="numbers">
      <CompSlider
        v-for="f in all"
        :key="f.key + (f.at ?? '')"
        :model-value="valueOf(f)"
        :label="f.label"
        :min="f.min"
        :max="f.max"
        :step="f.step"
        :digits="f.digits"
        :unit="f.unit"
        :most="f.most"
        :test="`${stage}-${f.key}${f.at ?? ''}`"
        @drag="(v) => comp.adjust((c) => put(c, f, v))"
        @keep="(v) => comp.keep(`${label}: ${f.label.toLowerCase()}`, (c) => put(c, f, v))"
      />
    </div>
    <div v-if="mattes.length > 1" class="row where">
      <span class="quiet">Where</span>
      <Select
        :model-value="matte"
        placeholder="everywhere"
        :options="mattes"
        option-label="label"
        option-value="value"
        size="small"
        :aria-label="`Matte of “${label}”`"
        @update:model-value="(id: string | null) => comp.keep(`Matte of ${label}`, (c) => void (c[stage].matte = id))"
      />
    </div>
    <slot />
  </section>
</template>

<style scoped>
.stage {
  flex: 1 1 230px;
}
.numbers {
  display: grid;
  grid-template-columns: auto minmax(40px, 1fr) auto;
  gap: 3px 10px;
  align-items: center;
}
.hold {
  font-weight: 400;
}
.where {
  margin-top: 4px;
}
</style>
