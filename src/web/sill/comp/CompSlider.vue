<script setup lang="ts">
import Slider from "primevue/slider";
import NumberField from "../../parts/NumberField.vue";

/** A number that is dragged or typed: told of while it is dragged, kept when it is let go. */
const props = defineProps<{
  modelValue: number;
  label: string;
  min: number;
  max: number;
  step: number;
  digits?: number;
  unit?: string;
  /** Most that can be typed, where that is beyond the slider. */
  most?: number;
  test?: string;
}>();
const emit = defineEmits<{ drag: [value: number]; keep: [value: number] }>();
let dragged: number | null = null;

function drag(value: number | number[]): void {
  dragged = Array.isArray(value) ? value[0] : value;
  emit("drag", dragged);
}
function letGo(): void {
  if (dragged !== null) emit("keep", dragged);
  dragged = null;
}
</script>

<template>
  <span class="quiet name">{{ props.label }}</span>
  <Slider
    :model-value="modelValue"
    :min="min"
    :max="max"
    :step="step"
    :aria-label="`${label}, slider`"
    @update:model-value="drag"
    @slideend="letGo"
    @keyup="letGo"
  />
  <NumberField
    :model-value="modelValue"
    :label="label"
    :digits="digits ?? 2"
    :min="min"
    :max="most ?? max"
    :unit="unit"
    narrow
    :data-test="test"
    @update:model-value="(v) => emit('keep', v)"
  />
</template>

<style scoped>
.name {
  white-space: nowrap;
}
</style>
