<script setup lang="ts">
import InputText from "primevue/inputtext";
import { ref, watch } from "vue";

const props = defineProps<{
  modelValue: number;
  label: string;
  digits?: number;
  min?: number;
  max?: number;
  unit?: string;
  narrow?: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [value: number] }>();
const text = ref("");
const wrong = ref(false);
const shown = (v: number) => `${Number(v.toFixed(props.digits ?? 2))}${props.unit ? ` ${props.unit}` : ""}`;
watch(
  () => props.modelValue,
  (v) => {
    text.value = shown(v);
    wrong.value = false;
  },
  { immediate: true },
);

function keep(): void {
  wrong.value = false;
  if (text.value === shown(props.modelValue)) return;
  const value = Number.parseFloat(text.value.replace(",", ".").replace("−", "-"));
  wrong.value =
    !Number.isFinite(value) ||
    (props.min !== undefined && value < props.min) ||
    (props.max !== undefined && value > props.max);
  if (wrong.value) return;
  if (Math.abs(value - props.modelValue) > 1e-9 && shown(value) !== shown(props.modelValue))
    emit("update:modelValue", value);
  else text.value = shown(props.modelValue);
}
const range = () =>
  `Type a number${props.min !== undefined ? ` from ${props.min}` : ""}${props.max !== undefined ? ` to ${props.max}` : ""}`;
/** Once it is kept, keys go to the plate again. */
function leave(e: KeyboardEvent): void {
  const input = e.target as HTMLInputElement;
  input.blur();
  if (wrong.value) input.focus();
}
</script>

<template>
  <span class="field" :class="{ narrow }">
    <InputText
      v-model="text"
      class="num"
      :invalid="wrong"
      :aria-label="label"
      :title="wrong ? range() : label"
      @keydown.enter="leave"
      @blur="keep"
    />
  </span>
</template>

<style scoped>
.field :deep(input) {
  width: 66px;
  padding: 2px 6px;
}
.narrow :deep(input) {
  width: 54px;
}
</style>
