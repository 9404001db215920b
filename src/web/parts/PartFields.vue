<script setup lang="ts">
import { computed } from "vue";
import type { Part } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import type { Shot } from "#core/shot/schema";
import { useShot } from "../stores/shot.ts";
import LengthField from "./LengthField.vue";
import NumberField from "./NumberField.vue";

/** The numbers of a part as its kind tells them, to be typed. */
const props = defineProps<{ shot: Shot; part: Part; most?: number; named?: boolean }>();
const store = useShot();

const fields = computed(() => kindOf(props.part).fields(props.part, props.shot.set).slice(0, props.most));
const DIGITS = { count: 0, degrees: 1, factor: 4, length: 3 };
const label = (of: string) => (props.named ? `${props.part.name}, ${of}` : of);

function put(key: string, value: number): void {
  const field = fields.value.find((f) => f.key === key)!;
  const { id } = props.part;
  const exact = field.unit === "count" ? Math.round(value) : value;
  void store.commit(`Type ${field.label}`, (d) => field.put(d.set[id] as Part, exact));
}
</script>

<template>
  <label v-for="f in fields" :key="f.key" class="field">
    <span class="quiet">{{ f.label }}</span>
    <LengthField
      v-if="f.unit === 'length'"
      :model-value="f.value"
      :unit="shot.unit"
      :label="label(f.label)"
      :least="f.least"
      @update:model-value="(m) => put(f.key, m)"
    />
    <NumberField
      v-else
      :model-value="f.value"
      :label="label(f.label)"
      :digits="DIGITS[f.unit]"
      :min="f.least"
      :unit="f.unit === 'degrees' ? '°' : undefined"
      @update:model-value="(m) => put(f.key, m)"
    />
  </label>
</template>

<style scoped>
.field {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 6px;
}
</style>
