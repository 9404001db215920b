<script setup lang="ts">
import Button from "primevue/button";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import type { Shot } from "#core/shot/schema";
import { useHand } from "../../desk/hand.ts";
import type { HandMove } from "../../desk/handSteps.ts";
import { heldBack } from "../../desk/handSteps.ts";
import LengthField from "../../parts/LengthField.vue";
import PlanView from "../../parts/PlanView.vue";
import TakeShelf from "../../parts/TakeShelf.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const hand = useHand();

const byHand = computed(() => props.shot.match.by === "hand");
const GROUPS: { title: string; moves: [HandMove, string, string][] }[] = [
  {
    title: "turn",
    moves: [
      ["left", "pi-arrow-left", "Picture left (←)"],
      ["right", "pi-arrow-right", "Picture right (→)"],
      ["up", "pi-arrow-up", "Picture up (↑)"],
      ["down", "pi-arrow-down", "Picture down (↓)"],
      ["roll-left", "pi-replay", "Roll left (,)"],
      ["roll-right", "pi-refresh", "Roll right (.)"],
    ],
  },
  {
    title: "walk",
    moves: [
      ["walk-left", "pi-arrow-left", "Step left (Alt ←)"],
      ["walk-right", "pi-arrow-right", "Step right (Alt →)"],
      ["walk-forward", "pi-arrow-up", "Step forward (Alt ↑)"],
      ["walk-back", "pi-arrow-down", "Step back (Alt ↓)"],
      ["raise", "pi-angle-double-up", "Camera up (Alt Page Up)"],
      ["lower", "pi-angle-double-down", "Camera down (Alt Page Down)"],
    ],
  },
  {
    title: "about the point",
    moves: [
      ["around-left", "pi-arrow-left", "Around to the left (Ctrl ←)"],
      ["around-right", "pi-arrow-right", "Around to the right (Ctrl →)"],
      ["around-up", "pi-arrow-up", "Over it (Ctrl ↑)"],
      ["around-down", "pi-arrow-down", "Under it (Ctrl ↓)"],
      ["nearer", "pi-plus", "Nearer (Page Up)"],
      ["farther", "pi-minus", "Farther (Page Down)"],
    ],
  },
  {
    title: "lens",
    moves: [
      ["zoom-in", "pi-search-plus", "Longer focal length (])"],
      ["zoom-out", "pi-search-minus", "Shorter focal length ([)"],
      ["tighter", "pi-window-minimize", "Longer lens from farther: size at the point stays (+)"],
      ["wider", "pi-window-maximize", "Shorter lens from nearer: size at the point stays (−)"],
      ["horizon-up", "pi-angle-up", "Horizon up, camera height judged against it (Ctrl Page Up)"],
      ["horizon-down", "pi-angle-down", "Horizon down (Ctrl Page Down)"],
    ],
  },
];
const LOCKS = ["rotation", "lens", "position"] as const;
const lock = (part: (typeof LOCKS)[number], on: boolean) =>
  store.commit(on ? `Lock ${part}` : `Unlock ${part}`, (d) => (d.match.locks[part] = on));
const camera = computed(() => props.shot.solved?.camera ?? null);
const setHeight = (metres: number) => {
  const c = camera.value;
  if (c && metres > 0)
    void store.moveByHand("Type camera height", { ...c, position: [c.position[0], c.position[1], metres] });
};
const move = (m: HandMove, e: MouseEvent) => void hand.make(m, e.shiftKey, desk.turnAxis);
</script>

<template>
  <section class="card" style="flex: 1.6" data-test="hand-card">
    <h3>
      Match by hand
      <label class="row end"
        ><ToggleSwitch
          :model-value="byHand"
          data-test="by-hand"
          @update:model-value="(v: boolean) => (v ? hand.begin() : hand.end())"
        />
        {{ byHand ? "the hand leads" : "the marks lead" }}</label
      >
    </h3>
    <template v-if="byHand">
      <div class="pads">
        <div v-for="g in GROUPS" :key="g.title">
          <span class="quiet">{{ g.title }}</span>
          <div class="pad">
            <button
              v-for="[m, icon, title] in g.moves"
              :key="m"
              class="act"
              :title="`${title}; with Shift in fine steps`"
              :aria-label="title"
              :disabled="heldBack(m, shot.match.locks) !== null"
              :data-test="`move-${m}`"
              @click="move(m, $event)"
            >
              <i class="pi" :class="icon" />
            </button>
          </div>
        </div>
      </div>
      <div class="row" style="margin-top: 5px">
        <ToolButton tool="hold" label="hold a point" />
        <button v-if="shot.match.held" class="act" @click="store.commit('Let point go', (d) => (d.match.held = null))">
          let go
        </button>
        <span class="quiet">turn about</span>
        <select v-model="desk.turnAxis" class="pick" aria-label="Axis of turns about the point">
          <option value="view">the view</option>
          <option value="x">X</option>
          <option value="y">Y</option>
          <option value="z">Z</option>
        </select>
        <button class="act" @click="move('upright', $event)">upright</button>
        <button class="act" @click="move('level', $event)">level</button>
      </div>
      <div class="row" style="margin-top: 5px">
        <label v-for="part in LOCKS" :key="part" class="row"
          ><ToggleSwitch
            :model-value="shot.match.locks[part]"
            :data-test="`lock-${part}`"
            @update:model-value="(v: boolean) => lock(part, v)"
          />
          lock {{ part }}</label
        >
      </div>
    </template>
    <p v-else class="quiet">
      For plates without straight edges, and for fitting a model to a photo. The camera starts from where the marks have
      it; arrows, Page Up and Page Down then move it, with Shift in fine steps.
      <label class="row" style="margin-top: 6px"
        ><ToggleSwitch :model-value="shot.match.locks.lens" @update:model-value="(v: boolean) => lock('lens', v)" />
        lock the lens as solved while marks change</label
      >
    </p>
  </section>
  <section class="card plan" style="flex: 0.85">
    <h3>
      Plan
      <span v-if="camera && byHand" class="row end"
        >camera height
        <LengthField
          :model-value="camera.position[2]"
          :unit="shot.unit"
          label="Height of the camera"
          positive
          @update:model-value="setHeight"
      /></span>
    </h3>
    <PlanView v-if="camera" :shot="shot" :camera="camera" :fixed="!byHand" />
    <p v-else class="quiet">No camera yet. <Button label="Start by hand" size="small" @click="hand.begin()" /></p>
  </section>
  <section class="card" style="flex: 1.25">
    <TakeShelf :shot="shot" />
  </section>
</template>

<style scoped>
.pads {
  display: grid;
  grid-template-columns: repeat(4, auto);
  justify-content: start;
  gap: 4px 10px;
  font-size: 11px;
}
.pad {
  display: grid;
  grid-template-columns: repeat(3, 24px);
  gap: 2px;
}
.pad .act {
  padding: 2px 0;
  text-align: center;
}
.pad .pi {
  font-size: 11px;
}
.plan {
  display: grid;
  grid-template-rows: auto 1fr;
  overflow: hidden;
}
h3 .row {
  font-weight: 400;
}
</style>
