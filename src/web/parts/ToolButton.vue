<script setup lang="ts">
import type { Tool } from "../stores/desk.ts";
import { useDesk } from "../stores/desk.ts";

defineProps<{ tool: Tool; label: string; shortcut?: string; tone?: string; disabled?: boolean }>();
const desk = useDesk();
</script>

<template>
  <button
    class="tool"
    :class="[tone, { on: desk.tool === tool }]"
    :aria-pressed="desk.tool === tool"
    :disabled="disabled"
    :data-test="`tool-${tool}`"
    @click="desk.choose(desk.tool === tool ? 'pick' : tool)"
  >
    <slot />{{ label }}<kbd v-if="shortcut">{{ shortcut }}</kbd>
  </button>
</template>

<style scoped>
.tool {
  background: #3d3b3a;
  color: var(--ink);
  border: 1px solid var(--line);
  border-bottom-width: 2px;
  padding: 3px 9px;
  font: inherit;
  font-size: 12.5px;
  cursor: pointer;
  display: inline-flex;
  align-items: center;
  gap: 6px;
}
.tool:hover:not(:disabled) {
  background: #4a4746;
}
.tool.on {
  border-color: var(--accent);
  background: #53403a;
}
.tool:disabled {
  opacity: 0.45;
  cursor: default;
}
.tool.axis-x {
  border-bottom-color: var(--axis-x);
}
.tool.axis-y {
  border-bottom-color: var(--axis-y);
}
.tool.axis-z {
  border-bottom-color: var(--axis-z);
}
kbd {
  font: 10.5px var(--mono);
  color: var(--quiet);
}
</style>
