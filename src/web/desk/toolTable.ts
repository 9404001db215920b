import type { MeasureName } from "#core/set/measures";
import { MEASURES, MEASURE_NAMES } from "#core/set/measures";
import { PARTS, PART_NAMES } from "#core/set/parts/index";
import type { PartName } from "#core/set/parts/index";
import type { CompDrawer, StepName, Tool } from "../stores/desk.ts";

/** The one list of tools: it feeds buttons, keys, the sheet of keys, the line of hints and the palette. */

export interface ToolRow {
  step: StepName;
  /** Key in its step; null for a tool that only its button takes up. */
  key: string | null;
  label: string;
  icon: string;
  /** What each click does, by its number; the last one goes on. */
  hints: string[];
  /** The drawer of the comp that it belongs to: it opens with the tool, and the tool ends with it. */
  drawer?: CompDrawer;
  /** Clicks, by their number from 0, that are aimed at something rendered: the loupe shows the picture for them. */
  onPicture?: readonly number[];
}

const mark = (step: StepName, key: string | null, label: string, icon: string, ...hints: string[]): ToolRow => ({
  step,
  key,
  label,
  icon,
  hints,
});

const inComp = (drawer: CompDrawer, key: string | null, label: string, icon: string, ...hints: string[]): ToolRow => ({
  ...mark("comp", key, label, icon, ...hints),
  drawer,
});

const OWN: Record<Exclude<Tool, `part-${PartName}` | `measure-${MeasureName}` | "pick">, ToolRow> = {
  "edge-x": mark("camera", "x", "edge along X", "pi-minus", "Edge along X: click its − end", "now its + end"),
  "edge-y": mark("camera", "y", "edge along Y", "pi-minus", "Edge along Y: click its − end", "now its + end"),
  "edge-z": mark("camera", "z", "edge along Z", "pi-minus", "Edge along Z: click its lower end", "now its upper end"),
  "edge-any": mark(
    "camera",
    "q",
    "edge, direction from the picture",
    "pi-minus",
    "Straight edge, direction from the picture: click one end",
    "now the other",
  ),
  "edge-level": mark(
    "camera",
    "e",
    "level edge",
    "pi-minus",
    "Level edge of its own direction: click one end",
    "now the other",
  ),
  "edge-free": mark(
    "camera",
    "j",
    "parallel edge",
    "pi-minus",
    "Parallel edge of its own direction: click one end",
    "now the other",
  ),
  curve: mark(
    "camera",
    "r",
    "curved edge",
    "pi-wave-pulse",
    "Straight thing that the lens bends: click along it; Enter ends",
    "go on along it; Enter ends",
  ),
  origin: mark("camera", "o", "origin", "pi-plus-circle", "Click the world's origin on the ground"),
  horizon: mark(
    "camera",
    "h",
    "horizon",
    "pi-minus",
    "Click a point of the true horizon (sea, plain, or where level things meet)",
  ),
  tie: mark("camera", "i", "tie point", "pi-map-marker", "Tie point: click the pixel whose world point is known"),
  length: mark(
    "camera",
    "l",
    "known length",
    "pi-arrows-h",
    "Known length: click its start on the ground",
    "now its end",
  ),
  tape: mark("camera", "m", "tape", "pi-arrows-h", "Tape: click one end on the ground or the set", "now the other"),
  line: mark(
    "camera",
    "n",
    "line on the ground",
    "pi-minus",
    "Line on the ground: click its start",
    "now a second point; it goes on and up the walls",
  ),
  division: mark(
    "camera",
    "s",
    "divide",
    "pi-table",
    "Divide: click the four corners of something rectangular, going round",
    "second corner",
    "third corner",
    "last corner",
  ),
  hold: mark(
    "camera",
    null,
    "hold a point",
    "pi-lock",
    "Click the point that hand moves keep on its pixel (on the ground or the set)",
  ),
  "plane-face": mark("set", null, "of a face", "pi-clone", "Click a face: what is drawn next lies on its plane"),
  "plane-side": mark(
    "set",
    null,
    "on a side",
    "pi-arrows-v",
    "Click a side of a face: what is drawn next lies on the upright plane over it",
  ),
  "plane-points": mark(
    "set",
    null,
    "three points",
    "pi-share-alt",
    "Click the first of three points that the plane goes through",
    "now the second",
    "now the third",
  ),
  "shell-face": mark("set", "e", "pull", "pi-upload", "Pull: press on a face and drag it along its normal"),
  "shell-inset": mark(
    "set",
    "n",
    "inset",
    "pi-window-maximize",
    "Face within a face: click its corners on one face; Enter or the first corner closes it",
  ),
  "shell-cut": mark("set", "x", "cut", "pi-pencil", "Cut: click a side of a face", "now another side of the same face"),
  "shell-around": mark(
    "set",
    "l",
    "cut around",
    "pi-sync",
    "Cut around: click a side; the cut goes round through the four-sided faces",
  ),
  "pick-material": mark(
    "set",
    null,
    "colour from the plate",
    "pi-eye",
    "Press on the plate and drag over the patch whose colour the material shall have",
  ),
  sighting: mark(
    "light",
    "s",
    "sight a shadow",
    "pi-sun",
    "Sun: click the foot of something upright",
    "now its top",
    "now the tip of its shadow on the ground or a face",
  ),
  "shadow-pair": mark(
    "light",
    "l",
    "a point and its shadow",
    "pi-link",
    "Sun: click any point whose shadow can be told, high or low",
    "now that point's shadow",
  ),
  "shadow-edge": mark(
    "light",
    "e",
    "an edge of the set and its shadow",
    "pi-objects-column",
    "Sun: click a straight edge of the set that throws a shadow",
    "now a point of that shadow's edge on the plate, far from the first",
    "now another point of the same shadow's edge",
  ),
  "ball-light": mark(
    "light",
    "k",
    "highlight on a ball",
    "pi-circle",
    "Sun: click the middle of something round and shiny: a ball, a buoy, a lamp's globe",
    "now a point of its rim",
    "now where it mirrors the sun",
  ),
  "post-light": mark(
    "light",
    "j",
    "highlight on a post",
    "pi-pause",
    "Sun: click the left outline of something round, upright and shiny: a post, a pipe, a bottle",
    "now its right outline",
    "now the streak in which it mirrors the sun",
  ),
  penumbra: mark(
    "light",
    "i",
    "softness from a shadow's edge",
    "pi-circle-off",
    "Softness: click beside the edge of a shadow, in the full light",
    "now across the edge, in the full shade",
  ),
  pin: mark(
    "props",
    "i",
    "pin to the plate",
    "pi-map-marker",
    "Pin: click a point of the chosen prop",
    "now where the plate shows it",
    "a second point of the prop; Enter keeps it moved only",
    "now where the plate shows that: it is turned and scaled to fit",
  ),
  span: mark(
    "props",
    "u",
    "known size on the prop",
    "pi-arrows-h",
    "Known size: click a point of the chosen prop",
    "now the other; then type how far they are apart",
  ),
  align: mark(
    "props",
    "l",
    "align",
    "pi-arrows-alt",
    "Align: click an edge of the set, or a wall; the chosen prop is turned along it",
  ),
  pivot: mark(
    "props",
    "o",
    "turn about a point",
    "pi-sync",
    "Turn about: click the point that the chosen prop shall be turned about",
  ),
  neutral: mark(
    "light",
    "y",
    "white balance by a grey thing",
    "pi-palette",
    "White balance: click something grey or white, evenly lit by the light whose temperature is typed beside",
  ),
  "level-line": mark(
    "light",
    "u",
    "what is level, by the horizon",
    "pi-minus",
    "Level: click the horizon, as of the sea, or where something level and far off meets it",
    "now a second place of it, far to the side",
  ),
  lit: mark("light", "n", "probe in the sun", "pi-sun", "Click a surface in full sun"),
  shaded: mark("light", "m", "probe in the shade", "pi-cloud", "Click the same surface where no sun comes"),
  probe: mark(
    "light",
    "o",
    "probe anywhere",
    "pi-eye",
    "Click an evenly lit piece of any surface; the set tells what sun comes there",
  ),
  shadow: mark(
    "light",
    "h",
    "shaded region",
    "pi-cloud",
    "Shade that the plate already has: click around it; Enter closes it",
  ),
  "lamp-place": mark(
    "light",
    null,
    "place lamp",
    "pi-lightbulb",
    "Click the ground, or what else is below the lamp: it keeps its height",
  ),
  "lamp-hang": mark(
    "light",
    null,
    "hang on a face",
    "pi-lightbulb",
    "Click what the lamp shall hang on: a wall, a ceiling, a prop; it shines away from it",
  ),
  "lamp-window": mark(
    "light",
    null,
    "fill a window",
    "pi-stop",
    "Click a corner of the window on its wall",
    "now the corner across: the lamp is as large as that",
  ),
  "turn-sky": mark(
    "light",
    "a",
    "turn the surroundings",
    "pi-globe",
    "Press on the plate and drag: the surroundings turn, and what was under the pointer stays there",
  ),
  "lamp-aim": mark("light", null, "aim lamp", "pi-lightbulb", "Click what the lamp shall shine on"),
  "lamp-highlight": mark(
    "light",
    null,
    "highlight here",
    "pi-star",
    "Click where the lamp shall be mirrored: it goes, as far away as it is, to where that point mirrors it",
  ),
  "lamp-shadow": mark(
    "light",
    null,
    "shadow there",
    "pi-arrow-down-right",
    "Click a point of a prop or the set that shall throw the lamp's shadow",
    "now where its shadow shall fall: the lamp goes behind the first point, as far away as it is",
  ),
  focus: {
    ...mark(
      "render",
      "o",
      "focus",
      "pi-bullseye",
      "Click what shall be in focus: a prop or the set, as the proof shows it",
    ),
    onPicture: [0],
  },
  "soft-edge": inComp(
    "match",
    "e",
    "softness of an edge",
    "pi-minus",
    "Softness: click one end of an edge as far away as the prop",
    "now the other",
  ),
  "grain-area": inComp(
    "match",
    "g",
    "flat part for the grain",
    "pi-stop",
    "Grain: click a corner of a flat, even part of the plate",
    "now the corner across",
  ),
  "tone-pair": {
    ...inComp(
      "tone",
      "k",
      "pair of tones",
      "pi-palette",
      "Pair of tones: click it on the plate",
      "now what should look like it, on the prop",
    ),
    onPicture: [1],
  },
  "matte-curve": inComp(
    "mattes",
    "m",
    "curve of a matte",
    "pi-pencil",
    "Curve of a matte: click along the border",
    "go on along the border; the first point or Enter closes it",
  ),
  "matte-brush": inComp(
    "mattes",
    "u",
    "brush of a matte",
    "pi-pencil",
    "Brush: press and paint over what stands in front",
  ),
  "matte-colour": inComp(
    "mattes",
    null,
    "colour of a matte",
    "pi-palette",
    "Click a colour on the plate; click again for more",
  ),
  closer: mark(
    "render",
    "j",
    "look closer",
    "pi-search-plus",
    "Look closer: click one corner of the part to render",
    "now the corner across",
  ),
};

const drawing = (name: PartName): [Tool, ToolRow][] => {
  const { draw } = PARTS[name];
  if (!draw) return [];
  const { key, label, icon, hints } = draw;
  return [[`part-${name}`, { step: "set", key, label, icon, hints }]];
};

const measuring = (name: MeasureName): [Tool, ToolRow] => {
  const { title, icon, key, hints } = MEASURES[name];
  return [`measure-${name}`, { step: "set", key, label: title.toLowerCase(), icon, hints }];
};

/** Every tool but the bare pointer. */
export const TOOLS = new Map<Tool, ToolRow>([
  ...PART_NAMES.flatMap(drawing),
  ...MEASURE_NAMES.map(measuring),
  ...(Object.entries(OWN) as [Tool, ToolRow][]),
]);

/** The kind of part that a tool draws; null for other tools. */
export function partOfTool(tool: Tool): PartName | null {
  return tool.startsWith("part-") ? (tool.slice(5) as PartName) : null;
}

/** What a tool measures; null for other tools. */
export function measureOfTool(tool: Tool): MeasureName | null {
  return tool.startsWith("measure-") ? (tool.slice(8) as MeasureName) : null;
}

/** What a tool wants of the next click. */
export function prompt(tool: Tool, count: number): string {
  const hints = TOOLS.get(tool)?.hints ?? [""];
  return hints[Math.min(count, hints.length - 1)];
}

/** The tool of a key in a step. */
export function toolOfKey(step: StepName, key: string): Tool | null {
  for (const [tool, row] of TOOLS) if (row.step === step && row.key === key) return tool;
  return null;
}
