<script setup lang="ts">
import { RouterLink } from "vue-router";
import type { StepState } from "../desk/stepResults.ts";
import type { StepName } from "../stores/desk.ts";
import { STEPS, STEP_TITLES, useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";

/** The strip of steps, with what each has come to, and what is always at hand. */
defineProps<{ results: Record<StepName, string>; states: Record<StepName, StepState> }>();
const emit = defineEmits<{ go: [step: StepName]; sheet: [] }>();
const store = useShot();
const desk = useDesk();
const SAVING = {
  saved: "Saved",
  saving: "Saving",
  offline: "The server does not answer; work is kept in this browser",
  full: "The disk is full; work is kept in this browser and saved once there is room",
};
</script>

<template>
  <nav class="course" aria-label="Steps">
    <RouterLink to="/" class="home" title="All shots"
      ><img src="/mark.svg" alt="All shots" width="20" height="20"
    /></RouterLink>
    <button
      v-for="(s, i) in STEPS"
      :key="s"
      class="step"
      :class="[states[s], { on: desk.step === s }]"
      :aria-current="desk.step === s ? 'step' : undefined"
      :data-test="`step-${s}`"
      @click="emit('go', s)"
    >
      <span class="dot" /><span class="name">{{ STEP_TITLES[s] }}</span> <kbd>{{ i + 1 }}</kbd>
      <span class="result num">{{ results[s] }}</span>
    </button>
    <div class="work">
      <button
        class="plain"
        :disabled="!store.canUndo"
        :title="store.canUndo ? `Take back: ${store.canUndo}` : 'Nothing to take back'"
        aria-label="Take back"
        @click="store.undo()"
      >
        <i class="pi pi-undo" />
      </button>
      <button
        class="plain"
        :disabled="!store.canRedo"
        :title="store.canRedo ? `Do again: ${store.canRedo}` : 'Nothing to do again'"
        aria-label="Do again"
        @click="store.redo()"
      >
        <i class="pi pi-refresh" />
      </button>
      <span class="lamp" :class="store.saving" :title="SAVING[store.saving]" data-test="saving" />
      <button class="plain" title="Keys" aria-label="Keys" @click="emit('sheet')">
        <i class="pi pi-question-circle" />
      </button>
      <button
        class="plain"
        :title="desk.sillDown ? 'Sill up (K)' : 'Sill down (K)'"
        aria-label="Sill"
        @click="desk.sillDown = !desk.sillDown"
      >
        <i class="pi" :class="desk.sillDown ? 'pi-angle-up' : 'pi-angle-down'" />
      </button>
    </div>
  </nav>
</template>

<style scoped>
.course {
  display: grid;
  grid-template-columns: 44px repeat(8, 1fr) auto;
  border-bottom: 1px solid var(--line);
}
.home {
  display: grid;
  place-items: center;
}
.step {
  background: none;
  border: 0;
  border-left: 1px solid #353332;
  color: var(--quiet);
  font: inherit;
  text-align: left;
  padding: 3px 8px 2px;
  display: grid;
  grid-template-columns: auto auto 1fr;
  align-items: baseline;
  column-gap: 6px;
  cursor: pointer;
  min-width: 0;
  position: relative;
}
.step:hover {
  background: #33302f;
}
.step.on {
  background: #3b3431;
  color: var(--ink);
}
.step.on::after {
  content: "";
  position: absolute;
  inset: auto 0 -1px 0;
  height: 2px;
  background: var(--accent);
}
.dot {
  width: 7px;
  height: 7px;
  border-radius: 50%;
  border: 1px solid #6c6967;
  align-self: center;
}
.good .dot {
  background: var(--good);
  border-color: var(--good);
}
.warn .dot {
  background: var(--warn);
  border-color: var(--warn);
}
.bad .dot {
  background: var(--bad);
  border-color: var(--bad);
}
.name {
  font-weight: 600;
  white-space: nowrap;
}
.step kbd {
  font: 10px var(--mono);
  color: #6f6c69;
}
.result {
  grid-column: 2 / -1;
  font-size: 10.5px;
  color: var(--quiet);
  overflow: hidden;
  text-overflow: ellipsis;
}
.work {
  display: flex;
  align-items: center;
  gap: 2px;
  padding: 0 10px;
}
.work button:disabled {
  opacity: 0.35;
  cursor: default;
}
.lamp {
  width: 8px;
  height: 8px;
  border-radius: 50%;
  background: var(--good);
  margin: 0 6px;
}
.lamp.saving {
  background: var(--warn);
}
.lamp.offline,
.lamp.full {
  background: var(--bad);
}
</style>
