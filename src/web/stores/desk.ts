import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import type { FoundLens, Proposal } from "#core/detect/propose";
import type { SurroundingsFacts } from "#core/light/surroundings/facts";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera, Plane } from "#core/optics/camera";
import type { MeasureName } from "#core/set/measures";
import type { PartName } from "#core/set/parts/index";
import type { Drawn } from "#core/set/parts/kind";

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
  | "edge-any"
  | "edge-level"
  | "edge-free"
  | "curve"
  | "origin"
  | "horizon"
  | "tie"
  | "length"
  | "tape"
  | "line"
  | "division"
  | "hold"
  | `part-${PartName}`
  | "plane-face"
  | "plane-side"
  | "plane-points"
  | "shell-face"
  | "shell-inset"
  | "shell-cut"
  | "shell-around"
  | "pick-material"
  | `measure-${MeasureName}`
  | "pin"
  | "span"
  | "align"
  | "pivot"
  | "sighting"
  | "shadow-pair"
  | "shadow-edge"
  | "ball-light"
  | "post-light"
  | "penumbra"
  | "neutral"
  | "level-line"
  | "lit"
  | "shaded"
  | "probe"
  | "shadow"
  | "lamp-place"
  | "lamp-aim"
  | "lamp-hang"
  | "lamp-window"
  | "lamp-highlight"
  | "lamp-shadow"
  | "turn-sky"
  | "focus"
  | "soft-edge"
  | "grain-area"
  | "tone-pair"
  | "matte-curve"
  | "matte-brush"
  | "matte-colour"
  | "closer";

/** The drawers of the Camera step's sill. */
export const DRAWERS = ["marks", "scale", "lens", "answers", "checks", "hand", "notes"] as const;
export type Drawer = (typeof DRAWERS)[number];

export type PropDrawer = "add" | "library" | "place" | "look" | "repeat";
export type SetDrawer = "build" | "surfaces" | "measure";
/** How the set lies over the plate. */
export const OVERLAYS = ["lines", "faces", "hidden", "off"] as const;
export type SetOverlayMode = (typeof OVERLAYS)[number];

/** A plane that is drawn on instead of what lies under the pointer. */
export interface WorkingPlane {
  name: string;
  plane: Plane;
}

/** What the next click of a drawing tool would set. */
export interface Aim {
  drawn: Drawn;
  /** What draws it there, for the pointer; empty where it is free. */
  snap: string;
  /** Metres from the point before; null for the first. */
  metres: number | null;
}

/** The view from outside: free, or straight along an axis. */
export const OUTSIDE_VIEWS = ["orbit", "plan", "front", "side"] as const;
export type OutsideView = (typeof OUTSIDE_VIEWS)[number];

export type LightDrawer = "sources" | "sun" | "sky" | "probes" | "lamps" | "shade";
export type CompDrawer = "view" | "shadow" | "tone" | "look" | "match" | "lens" | "mattes" | "sit";
export type RenderDrawer = "render" | "layers" | "focus" | "finals";

/** What is drawn over the plate to test the camera by eye. */
export interface Checks {
  grid: "none" | "ground" | "facing-x" | "facing-y";
  /** Where the grid's plane lies along its normal, metres. */
  gridAt: number;
  corner: boolean;
  pole: boolean;
  person: boolean;
  checker: boolean;
  cross: boolean;
  ghosts: boolean;
  enlarge: boolean;
  /** Where pole, person and checker stand, on the ground. */
  stand: Vec3;
}

/** A size that the next known length takes on: from a yardstick or a note. */
export interface PresetLength {
  name: string;
  metres: number;
  sigmaMetres: number;
  along: "x" | "y" | "z" | null;
}

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
  const box = ref(false);
  const sillDown = ref(false);
  /** Picture against plate: all picture, a wipe, the plate alone while blinking, or their difference. */
  const compare = ref<"picture" | "wipe" | "beside" | "difference">("picture");
  const wipeAt = ref(0.5);
  /** Degrees that the wipe's line is turned by. */
  const wipeTurn = ref(0);
  const compDrawer = ref<CompDrawer>("view");
  /** The brush for mattes: pixels of the plate, hardness, code values that it keeps to, steepness that stops it, and whether it takes away. */
  const brush = ref({ radius: 24, hardness: 0.7, edge: 0, stop: 0, erase: false });
  const blink = ref(false);
  const pictureStrength = ref(1);
  const outside = ref(false);
  const drawer = ref<Drawer>("marks");
  const setDrawer = ref<SetDrawer>("build");
  /** Counts wishes to have what is selected fill the view. */
  const framed = ref(0);
  /** Two points that were picked on a prop, in its model's own coordinates. */
  const spanned = shallowRef<{ prop: string; ends: [Vec3, Vec3] } | null>(null);
  /** The point that a prop is turned about in place of its foot. */
  const pivot = shallowRef<{ prop: string; at: Vec3 } | null>(null);
  /** Step that props are moved by, metres; 0 for any. */
  const gridStep = ref(0);
  /** How strongly props are seen while they are placed: less shows the plate before them. */
  const propStrength = ref(1);
  const propDrawer = ref<PropDrawer>("add");
  /** Props that are chosen beside the selected one. */
  const also = shallowRef<string[]>([]);
  /** Chooses one beside what is chosen, or no more. */
  function alsoChoose(id: string): void {
    if (!selected.value) selected.value = id;
    else if (id !== selected.value)
      also.value = also.value.includes(id) ? also.value.filter((other) => other !== id) : [...also.value, id];
  }
  /** Chooses one first; those that were chosen together stay so if it is one of them. */
  function chooseFirst(id: string): void {
    const before = selected.value;
    if (id === before) return;
    const together = also.value.includes(id);
    also.value = together ? [...also.value.filter((other) => other !== id), ...(before ? [before] : [])] : [];
    selected.value = id;
  }
  /** Those of them that go where one goes: all, if it is one of them itself. */
  const beside = (id: string): string[] =>
    id === selected.value || also.value.includes(id)
      ? [selected.value ?? id, ...also.value].filter((other) => other !== id)
      : [];
  const setOverlay = ref<SetOverlayMode>("lines");
  const plane = shallowRef<WorkingPlane | null>(null);
  /** Points of the part that is being drawn, and where the next one would go. */
  const drawn = shallowRef<Drawn[]>([]);
  const aim = shallowRef<Aim | null>(null);
  /** A length that is typed while a point is drawn. */
  const typed = ref("");
  /** Axis that what is dragged keeps to, while its key is held. */
  const heldAxis = ref<"x" | "y" | "z" | null>(null);
  /** Face of the selected part. */
  const face = ref<string | null>(null);
  /** How high the view from outside is cut off, metres; null for whole. */
  const cutAt = ref<number | null>(null);
  const outsideView = ref<OutsideView>("orbit");
  /** Counts turns of the view from outside, so that what lies over it follows. */
  const turned = ref(0);
  /** Place on the plate where the next probe would tell most; null where it is not known to matter. */
  const nextProbe = shallowRef<Vec2 | null>(null);
  /** Temperature of the light on the grey thing that tells the plate's white balance. */
  const greyUnder = ref(5500);
  const lightDrawer = ref<LightDrawer>("sources");
  /** What the picture of the surroundings tells of itself, while its card is open. */
  const around = shallowRef<SurroundingsFacts | null>(null);
  const renderDrawer = ref<RenderDrawer>("render");
  const checks = ref<Checks>({
    grid: "ground",
    gridAt: 0,
    corner: false,
    pole: false,
    person: false,
    checker: false,
    cross: false,
    ghosts: true,
    enlarge: false,
    stand: [0, 0, 0],
  });
  /** Strength of the plate under marks and view. */
  const plateStrength = ref(1);
  const overlayStrength = ref(1);
  /** An edge that is tried elsewhere without being counted. */
  const trial = shallowRef<{ of: string; axis: string; points: Vec2[] } | null>(null);
  const proposals = shallowRef<Proposal[]>([]);
  /** What the lines found on the plate say of the lens. */
  const foundLens = shallowRef<FoundLens | null>(null);
  const lit = ref<number | null>(null);
  const preset = shallowRef<PresetLength | null>(null);
  /** World point, picked on a model, whose pixel the next click gives. */
  const tieWorld = shallowRef<Vec3 | null>(null);
  const pickingTie = ref(false);
  const stick = ref(false);
  const group = ref("");
  /** The camera that the marks now give is shown, not yet taken. */
  const previewing = ref(false);
  /** Axis that turns about the held point keep to. */
  const turnAxis = ref<"x" | "y" | "z" | "view">("view");
  /** Another camera that is looked through for a while: an alternative, a take. */
  const lookThrough = shallowRef<{ camera: Camera; name: string } | null>(null);

  const toScreen = (p: Vec2): Vec2 => [p[0] * scale.value + offset.value[0], p[1] * scale.value + offset.value[1]];
  const toPlate = (p: Vec2): Vec2 => [(p[0] - offset.value[0]) / scale.value, (p[1] - offset.value[1]) / scale.value];

  function fit(width: number, height: number): void {
    const [w, h] = size.value;
    scale.value = Math.max(0.02, Math.min((w - 24) / width, (h - 24) / height));
    offset.value = [(w - width * scale.value) / 2, (h - height * scale.value) / 2];
  }

  /** Shows a part of the plate, by pixels that must be in it, with room around. */
  function fitTo(pixels: readonly Vec2[]): void {
    const [us, vs] = [pixels.map((p) => p[0]), pixels.map((p) => p[1])];
    const [left, top] = [Math.min(...us), Math.min(...vs)];
    const [wide, tall] = [Math.max(...us) - left, Math.max(...vs) - top];
    const [w, h] = size.value;
    scale.value = Math.min(16, Math.max(0.02, Math.min(w / (wide * 1.5 + 1), h / (tall * 1.5 + 1))));
    offset.value = [w / 2 - (left + wide / 2) * scale.value, h / 2 - (top + tall / 2) * scale.value];
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
    drawn.value = [];
    aim.value = null;
    typed.value = "";
    if (next !== "length") preset.value = null;
    if (next !== "tie") tieWorld.value = null;
  }

  function enter(next: StepName): void {
    step.value = next;
    choose("pick");
    selected.value = null;
    also.value = [];
    face.value = null;
    trial.value = null;
    lookThrough.value = null;
    pickingTie.value = false;
    if (!["props", "set", "camera"].includes(next)) outside.value = false;
  }

  /** Pixels of the window a pixel that is pointed at has: the plate's, or one when looking from outside. */
  const deskScale = computed(() => (outside.value ? 1 : scale.value));
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
    box,
    sillDown,
    compare,
    wipeAt,
    wipeTurn,
    compDrawer,
    brush,
    blink,
    pictureStrength,
    outside,
    drawer,
    lightDrawer,
    around,
    nextProbe,
    greyUnder,
    setDrawer,
    propDrawer,
    propStrength,
    spanned,
    framed,
    also,
    pivot,
    gridStep,
    beside,
    alsoChoose,
    chooseFirst,
    setOverlay,
    plane,
    drawn,
    aim,
    typed,
    face,
    heldAxis,
    cutAt,
    outsideView,
    turned,
    renderDrawer,
    checks,
    plateStrength,
    overlayStrength,
    trial,
    proposals,
    foundLens,
    lit,
    preset,
    tieWorld,
    pickingTie,
    stick,
    group,
    turnAxis,
    previewing,
    lookThrough,
    marking,
    deskScale,
    toScreen,
    toPlate,
    fit,
    fitTo,
    zoomAt,
    choose,
    enter,
  };
});
