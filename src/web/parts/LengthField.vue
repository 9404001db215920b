<script setup lang="ts">
import InputText from "primevue/inputtext";
import { ref, watch } from "vue";
import type { LengthUnit } from "#core/units/length";
import { formatLength, parseLength } from "#core/units/length";

const props = defineProps<{ modelValue: number; unit: LengthUnit; label: string; positive?: boolean }>();
const emit = defineEmits<{ "update:modelValue": [metres: number] }>();
const text = ref("");
const wrong = ref(false);
watch(
  () => [props.modelValue, props.unit] as const,
  () => {
    text.value = formatLength(props.modelValue, props.unit).replace("−", "-");
    wrong.value = false;
  },
  { immediate: true },
);

function keep(): void {
  const metres = parseLength(text.value, props.unit);
  wrong.value = metres === null || (props.positive === true && metres <= 0);
  if (wrong.value || metres === null) return;
  if (Math.abs(metres - props.modelValue) > 1e-6) emit("update:modelValue", metres);
  else text.value = formatLength(props.modelValue, props.unit).replace("−", "-");
}
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
      :title="
        wrong
          ? positive
            ? 'Type a length above zero, such as 2.4, 75 cm or 6ft 2in'
            : 'Type a length, such as 2.4, 75 cm or 6ft 2in'
          : label
      "
      @keydown.enter="leave"
      @blur="keep"
    />
    <span v-if="wrong" class="wrong" role="alert">{{
      positive ? "Type a length above zero: 2.4, 75 cm, 6ft 2in" : "Type a length: 2.4, 75 cm, 6ft 2in"
    }}</span>
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
