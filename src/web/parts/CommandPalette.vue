<script setup lang="ts">
import Dialog from "primevue/dialog";
import InputText from "primevue/inputtext";
import { computed, nextTick, ref } from "vue";
import type { Command } from "../desk/commands.ts";
import type { StepName } from "../stores/desk.ts";
import { STEP_TITLES } from "../stores/desk.ts";

/** Everything that can be done, found by its words. What belongs to another step goes there first. */
const props = defineProps<{ commands: Command[]; step: StepName }>();
const emit = defineEmits<{ close: []; run: [command: Command] }>();
const words = ref("");
const at = ref(0);

/** Those that have every word, the present step's first. */
const found = computed(() => {
  const asked = words.value.toLowerCase().split(/\s+/).filter(Boolean);
  const text = (c: Command) => `${c.label} ${c.steps?.map((s) => STEP_TITLES[s]).join(" ") ?? ""}`.toLowerCase();
  const own = (c: Command) => (c.steps?.includes(props.step) ? 0 : c.steps ? 2 : 1);
  return props.commands
    .filter((c) => asked.every((word) => text(c).includes(word)))
    .sort((a, b) => own(a) - own(b))
    .slice(0, 60);
});

function key(e: KeyboardEvent): void {
  if (e.key === "ArrowDown") at.value = Math.min(found.value.length - 1, at.value + 1);
  else if (e.key === "ArrowUp") at.value = Math.max(0, at.value - 1);
  else if (e.key === "Enter" && found.value[at.value]) emit("run", found.value[at.value]);
  else return;
  e.preventDefault();
  void nextTick(() => document.querySelector(".palette .on")?.scrollIntoView({ block: "nearest" }));
}
</script>

<template>
  <Dialog
    :visible="true"
    modal
    dismissable-mask
    header="What to do"
    :style="{ width: '520px' }"
    position="top"
    @update:visible="emit('close')"
  >
    <div class="palette" data-test="palette" @keydown="key">
      <InputText
        v-model="words"
        autofocus
        placeholder="a word of it: room, cut, wipe, comp …"
        aria-label="What to do"
        style="width: 100%"
        @update:model-value="at = 0"
      />
      <div class="lines">
        <button
          v-for="(c, i) in found"
          :key="c.id"
          :class="{ on: i === at }"
          @click="emit('run', c)"
          @mousemove="at = i"
        >
          <span>{{ c.label }}</span>
          <span class="quiet">{{ c.steps?.map((s) => STEP_TITLES[s]).join(", ") }}</span>
          <kbd v-if="c.key">{{ c.key.length === 1 ? c.key.toUpperCase() : c.key }}</kbd>
        </button>
        <p v-if="found.length === 0" class="quiet">Nothing is called that.</p>
      </div>
    </div>
  </Dialog>
</template>

<style scoped>
.lines {
  max-height: 46vh;
  overflow: auto;
  margin-top: 6px;
  display: grid;
}
.lines button {
  display: grid;
  grid-template-columns: 1fr auto 34px;
  gap: 10px;
  background: none;
  border: 0;
  border-left: 3px solid transparent;
  color: var(--ink);
  font: inherit;
  text-align: left;
  padding: 3px 8px;
  cursor: pointer;
}
.lines button.on {
  background: #48403d;
  border-left-color: var(--accent);
}
kbd {
  font: 11px var(--mono);
  color: var(--quiet);
  text-align: right;
}
</style>
