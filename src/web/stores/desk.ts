import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import type { Vec2 } from "#core/math/vec3";

export const STEPS = ["plate", "camera", "set", "props", "light", "render", "comp", "handover"] as const;
export type StepName = (typeof STEPS)[number];
export const STEP_TITLES: Record<StepName, string> = {
  plate: "Plate",
  camera: "Camera",
  set: "Set",
  props: "Props",
  light: "Light",
  render: "Render",
  comp: "Comp",
  handover: "Hand over",
};

/** What the next click on the plate does. */
export type Tool =
  | "pick"
  | "edge-x"
  | "edge-y"
  | "edge-z"
  | "origin"
  | "length"
  | "ground"
  | "wall"
  | "post"
  | "sighting"
  | "lit"
  | "shaded"
  | "shadow";

/** How the plate is looked at: the step, the tool, what is selected, pan and zoom, and what lies over the plate. */
export const useDesk = defineStore("desk", () => {
  const step = ref<StepName>("plate");
  const tool = ref<Tool>("pick");
  const selected = ref<string | null>(null);
  /** Points clicked so far for a mark that takes several. */
  const started = shallowRef<Vec2[]>([]);
  const pointer = shallowRef<Vec2 | null>(null);
  const scale = ref(1);
  const offset = shallowRef<Vec2>([0, 0]);
  const size = shallowRef<Vec2>([1, 1]);
  const overlay = ref(true);
  const grid = ref(true);
  const box = ref(false);
  const sillDown = ref(false);
  /** Picture against plate: all picture, a wipe, the plate alone while blinking, or their difference. */
  const compare = ref<"picture" | "wipe" | "difference">("picture");
  const wipeAt = ref(0.5);
  const blink = ref(false);
  const pictureStrength = ref(1);
  const outside = ref(false);

  const toScreen = (p: Vec2): Vec2 => [p[0] * scale.value + offset.value[0], p[1] * scale.value + offset.value[1]];
  const toPlate = (p: Vec2): Vec2 => [(p[0] - offset.value[0]) / scale.value, (p[1] - offset.value[1]) / scale.value];

  function fit(width: number, height: number): void {
    const [w, h] = size.value;
    scale.value = Math.max(0.02, Math.min((w - 24) / width, (h - 24) / height));
    offset.value = [(w - width * scale.value) / 2, (h - height * scale.value) / 2];
  }

  /** Zooms about a screen point, between a tenth of the window and sixteen screen pixels a plate pixel. */
  function zoomAt(at: Vec2, factor: number): void {
    const next = Math.min(16, Math.max(0.02, scale.value * factor));
    const [u, v] = toPlate(at);
    scale.value = next;
    offset.value = [at[0] - u * next, at[1] - v * next];
  }

  function choose(next: Tool): void {
    tool.value = next;
    started.value = [];
  }

  function enter(next: StepName): void {
    step.value = next;
    choose("pick");
    selected.value = null;
    if (next !== "props" && next !== "set") outside.value = false;
  }

  const marking = computed(() => tool.value !== "pick");
  return {
    step,
    tool,
    selected,
    started,
    pointer,
    scale,
    offset,
    size,
    overlay,
    grid,
    box,
    sillDown,
    compare,
    wipeAt,
    blink,
    pictureStrength,
    outside,
    marking,
    toScreen,
    toPlate,
    fit,
    zoomAt,
    choose,
    enter,
  };
});
