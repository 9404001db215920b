<script setup lang="ts">
import Dialog from "primevue/dialog";

defineModel<boolean>({ required: true });
const GROUPS: { title: string; keys: [string, string][] }[] = [
  {
    title: "Anywhere",
    keys: [
      ["1 … 8", "the steps of the shot"],
      ["Ctrl Z", "take back"],
      ["Ctrl Shift Z", "do again"],
      ["F", "whole plate"],
      ["wheel, right drag", "zoom about the pointer, pan"],
      ["V", "marks and guides on or off"],
      ["K", "sill down or up"],
      ["P", "proof on or off"],
      ["W", "wipe"],
      ["B", "hold: the plate alone"],
      ["D", "difference from the plate"],
      ["?", "this sheet"],
    ],
  },
  {
    title: "Marks",
    keys: [
      ["X, Y, Z", "edge along that axis (Camera)"],
      ["Q, E, J, R", "edge from the picture, level, parallel, curved (Camera)"],
      ["O, L, H, I", "origin, known length, horizon, tie point (Camera)"],
      ["T", "try the selected edge elsewhere (Camera)"],
      ["M, N, S", "tape, line up walls, divide (Camera)"],
      ["U, A", "test box, directions at the pointer (Camera)"],
      ["G, A, T", "ground, wall, post (Set)"],
      ["C", "look from outside (Camera, Set, Props)"],
      ["S, N, M, H", "sighting, probes, shaded region (Light)"],
      ["J, O", "look closer, focus (Render)"],
      ["Tab", "next handle"],
      ["arrows", "nudge by a tenth of a pixel, Shift by one"],
      ["arrows, Space", "with a tool: move its pointer, set a point"],
      ["Delete", "delete what is selected"],
      ["Enter", "close the polygon"],
      ["Esc", "end the tool"],
    ],
  },
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
  display: grid;
  grid-template-columns: 1fr 1.15fr 1fr;
  gap: 24px;
}
h4 {
  margin: 0 0 6px;
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
