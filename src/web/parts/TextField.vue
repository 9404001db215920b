<script setup lang="ts">
import InputText from "primevue/inputtext";

defineProps<{ modelValue: string; label: string; narrow?: boolean; placeholder?: string }>();
const emit = defineEmits<{ "update:modelValue": [text: string] }>();
const keep = (e: Event) => emit("update:modelValue", (e.target as HTMLInputElement).value.trim());
</script>

<template>
  <span class="field" :class="{ narrow }">
    <InputText
      :model-value="modelValue"
      :aria-label="label"
      :title="label"
      :placeholder="placeholder"
      maxlength="120"
      @change="keep"
    />
  </span>
</template>

<style scoped>
.field :deep(input) {
  padding: 1px 6px;
  width: 130px;
}
.narrow :deep(input) {
  width: 62px;
}
</style>
