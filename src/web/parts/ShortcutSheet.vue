<script setup lang="ts">
import Dialog from "primevue/dialog";
import type { Command } from "../desk/commands.ts";
import type { StepName } from "../stores/desk.ts";
import { STEPS, STEP_TITLES } from "../stores/desk.ts";

defineModel<boolean>({ required: true });
const props = defineProps<{ commands: Command[] }>();

const shownKey = (key: string) => (key === "escape" ? "Esc" : key.length === 1 ? key.toUpperCase() : key);
/** Keys of the one list of commands, those of all steps and then step by step. */
const listed = (step: StepName | null): [string, string][] =>
  props.commands
    .filter((c) => c.key !== null && !/^[1-8]$/.test(c.key) && (step ? c.steps?.includes(step) : !c.steps))
    .map((c) => [shownKey(c.key!), c.label]);

const GROUPS: { title: string; keys: [string, string][] }[] = [
  {
    title: "Anywhere",
    keys: [
      ["1 … 8", "the steps of the shot"],
      ["Ctrl K", "what to do: the palette"],
      ["Ctrl Z, Ctrl Shift Z", "take back, do again"],
      ["wheel, right drag", "zoom about the pointer, pan"],
      ...listed(null),
      ["Tab", "next handle"],
      ["arrows", "nudge by a tenth of a pixel, Shift by one"],
      ["arrows, Space", "with a tool: move its pointer, set a point"],
      ["Alt", "while drawing: lets go of what draws the point"],
      ["Delete", "delete what is selected"],
      ["Enter", "close the outline; set the length that was typed"],
    ],
  },
  ...STEPS.map((step) => ({ title: STEP_TITLES[step], keys: listed(step) })).filter((group) => group.keys.length > 0),
  {
    title: "Match by hand (Shift: fine)",
    keys: [
      ["arrows", "turn the camera"],
      ["Alt arrows", "walk; with Page Up and Down rise and sink"],
      ["Ctrl arrows", "around the held point"],
      ["Page Up, Down", "nearer to the point, farther"],
      ["+, −", "focal length with distance"],
      ["[, ]", "focal length alone"],
      [", and .", "roll"],
      ["Ctrl Page Up, Down", "horizon up, down"],
    ],
  },
];
</script>

<template>
  <Dialog
    :visible="true"
    modal
    dismissable-mask
    header="Keys"
    :style="{ width: '1040px' }"
    @update:visible="$emit('update:modelValue', false)"
  >
    <div class="columns">
      <section v-for="g in GROUPS" :key="g.title">
        <h4>{{ g.title }}</h4>
        <div v-for="[keys, what] in g.keys" :key="keys" class="line">
          <kbd>{{ keys }}</kbd><span>{{ what }}</span>
        </div>
      </section>
    </div>
  </Dialog>
</template>

<style scoped>
.columns {
  columns: 3;
  column-gap: 24px;
}
h4 {
  margin: 10px 0 4px;
}
section {
  break-inside: avoid;
}
.line {
  display: grid;
  grid-template-columns: 120px 1fr;
  padding: 1px 0;
}
kbd {
  font: 12px var(--mono);
  color: var(--accent);
}
</style>
