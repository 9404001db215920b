<script setup lang="ts" generic="T extends string">
/** The drawers of a step's sill, one open at a time. */
defineProps<{ modelValue: T; drawers: readonly { key: T; title: string }[]; label: string }>();
const emit = defineEmits<{ "update:modelValue": [key: T] }>();
</script>

<template>
  <nav class="drawers" :aria-label="label">
    <button
      v-for="d in drawers"
      :key="d.key"
      :class="{ on: modelValue === d.key }"
      :data-test="`drawer-${d.key}`"
      :aria-pressed="modelValue === d.key"
      @click="emit('update:modelValue', d.key)"
    >
      {{ d.title }}
    </button>
  </nav>
</template>

<style scoped>
.drawers {
  display: flex;
  flex-direction: column;
  gap: 1px;
  flex: 0 0 74px;
}
.drawers button {
  flex: 1;
  max-height: 46px;
  background: none;
  border: 0;
  border-right: 3px solid transparent;
  color: var(--quiet);
  font: inherit;
  font-size: 12px;
  text-align: right;
  padding: 0 8px 0 0;
  cursor: pointer;
}
.drawers button:hover {
  color: var(--ink);
}
.drawers button.on {
  color: var(--ink);
  border-right-color: var(--accent);
}
</style>
