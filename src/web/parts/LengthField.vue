<script setup lang="ts">
import InputText from "primevue/inputtext";
import { computed, ref, watch } from "vue";
import type { LengthUnit } from "#core/units/length";
import { formatLength, parseLength } from "#core/units/length";

const props = defineProps<{
  modelValue: number;
  unit: LengthUnit;
  label: string;
  positive?: boolean;
  /** Bounds, metres. */
  least?: number;
  most?: number;
}>();
const emit = defineEmits<{ "update:modelValue": [metres: number] }>();
const text = ref("");
const wrong = ref(false);
const shown = () => formatLength(props.modelValue, props.unit).replace("−", "-");
watch(
  () => [props.modelValue, props.unit] as const,
  () => {
    text.value = shown();
    wrong.value = false;
  },
  { immediate: true },
);

function keep(): void {
  wrong.value = false;
  if (text.value === shown()) return;
  const metres = parseLength(text.value, props.unit);
  wrong.value =
    metres === null ||
    (props.positive === true && metres <= 0) ||
    (props.least !== undefined && metres < props.least) ||
    (props.most !== undefined && metres > props.most);
  if (wrong.value || metres === null) return;
  if (Math.abs(metres - props.modelValue) > 1e-6) emit("update:modelValue", metres);
  else text.value = shown();
}
const advice = computed(() => {
  const { least, most, unit, positive } = props;
  const bounds = [
    least !== undefined && least > 0 ? `of at least ${formatLength(least, unit)}` : "",
    positive ? "above zero" : least === 0 ? "of zero or more" : "",
    most !== undefined ? `of at most ${formatLength(most, unit)}` : "",
  ].filter((words) => words !== "");
  return `Type a length${bounds.length > 0 ? ` ${bounds.join(", ")}` : ""}: 2.4, 75 cm, 6ft 2in`;
});
/** Once it is kept, keys go to the plate again. */
function leave(e: KeyboardEvent): void {
  const input = e.target as HTMLInputElement;
  input.blur();
  if (wrong.value) input.focus();
}
</script>

<template>
  <span class="field">
    <InputText
      v-model="text"
      class="num"
      :invalid="wrong"
      :aria-label="label"
      :title="wrong ? advice : label"
      @keydown.enter="leave"
      @blur="keep"
    />
    <span v-if="wrong" class="wrong" role="alert">{{ advice }}</span>
  </span>
</template>

<style scoped>
.field {
  position: relative;
}
.field :deep(input) {
  width: 76px;
  padding: 2px 6px;
}
.wrong {
  position: absolute;
  left: 0;
  bottom: 110%;
  background: var(--bad);
  color: #1f1e1e;
  padding: 2px 6px;
  white-space: nowrap;
  z-index: 9;
}
</style>
