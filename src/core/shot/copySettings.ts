import { STAGE_LABELS, STAGE_NAMES } from "../comp/stages/index.ts";
import { inPixelsOf, timesThePixels } from "./plateVersion.ts";
import { sourcesOf } from "./references.ts";
import type { Shot } from "./schema.ts";

/** Settings that one shot takes over from another, part by part. Marks, set and props are of their own plate and stay. */
export interface CopiedPart {
  id: string;
  label: string;
  /** The part's place in the document. */
  path: readonly string[];
  /** Taken only where it is named: nobody wants another photograph's camera by chance. */
  onlyNamed?: boolean;
}

const part = (label: string, ...path: string[]): CopiedPart => ({ id: path.join("."), label, path });

export const COPIED_PARTS: CopiedPart[] = [
  ...STAGE_NAMES.map((name) => part(`Comp: ${STAGE_LABELS[name].toLowerCase()}`, "comp", name)),
  part("Comp: mattes", "comp", "mattes"),
  part("Light: sun", "light", "sun"),
  part("Light: sky", "light", "sky"),
  part("Light: lamps", "light", "lamps"),
  part("Light: level of the props", "light", "propLevel"),
  part("Light: density of the shadow", "light", "density"),
  part("Light: colour of the shadow", "light", "tint"),
  part("How finals are rendered", "render"),
  part("Focus", "focus"),
  part("Unit", "unit"),
  { ...part("Lens and how it is solved", "lens"), onlyNamed: true },
  { ...part("Camera", "solved"), onlyNamed: true },
];

const at = (shot: Shot, path: readonly string[]): unknown =>
  path.reduce<unknown>((value, key) => (value as Record<string, unknown> | null)?.[key], shot);

/** One value that would change. */
export interface SettingChange {
  name: string;
  from: string;
  to: string;
}

/** Another shot as its pixels count in this one's frame, where both frames have the same shape; else as it is. */
function counted(to: Shot, from: Shot): Shot {
  const scale = timesThePixels(from.plates.main, to.plates.main);
  return scale ? inPixelsOf(from, scale) : from;
}

/**
 * Why a part of another shot cannot be taken; null where it can. Lenses count in pixels of their own frame, and in one of
 * another shape they would stretch what is rendered.
 */
export function untakeable(to: Shot, from: Shot, { onlyNamed }: CopiedPart): string | null {
  if (!onlyNamed || timesThePixels(from.plates.main, to.plates.main)) return null;
  const [here, there] = [to, from].map(({ plates: { main } }) => `${main.width} × ${main.height}`);
  return `It is of a frame of another shape, ${there} px, and this plate has ${here}: solve this one by its own marks.`;
}

const UNITS: Record<string, string> = { Px: "px", Deg: "°", Metres: "m", Mm: "mm" };
/** Names within a part, in words: "sigmaPx" is "sigma in px". */
const wordsOf = (key: string): string =>
  key
    .replace(/(?<=.)(Px|Deg|Metres|Mm)$/, (unit) => ` in ${UNITS[unit]}`)
    .replace(/([a-z])([A-Z0-9])/g, "$1 $2")
    .toLowerCase();
const shownValue = (value: unknown): string => {
  if (value === undefined || value === null) return "none";
  if (typeof value === "number") return String(Number(value.toPrecision(4)));
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "string") return value.length > 24 ? `${value.slice(0, 24)}…` : value;
  if (Array.isArray(value)) return value.length > 6 ? `${value.length} values` : value.map(shownValue).join(" ");
  return `${Object.keys(value).length} entries`;
};

/** What a part of one shot would become by another's, value by value; empty where nothing differs. */
export function settingChanges(to: Shot, from: Shot, { path, label }: CopiedPart): SettingChange[] {
  const changes: SettingChange[] = [];
  const compare = (a: unknown, b: unknown, name: string) => {
    if (JSON.stringify(a) === JSON.stringify(b)) return;
    const plain = (v: unknown): v is Record<string, unknown> =>
      typeof v === "object" && v !== null && !Array.isArray(v);
    if (plain(a) && plain(b))
      for (const key of new Set([...Object.keys(a), ...Object.keys(b)]))
        compare(a[key], b[key], name ? `${name}, ${wordsOf(key)}` : wordsOf(key));
    else changes.push({ name: name || label.toLowerCase(), from: shownValue(a), to: shownValue(b) });
  };
  compare(at(to, path), at(counted(to, from), path), "");
  return changes;
}

/**
 * Takes parts of one shot over into a draft of another; those that cannot be taken are left out. Stages that are held to
 * mattes which the other shot does not bring along are held to none.
 */
export function copySettings(draft: Shot, from: Shot, ids: readonly string[]): void {
  const source = counted(draft, from);
  for (const part of COPIED_PARTS) {
    const { id, path } = part;
    if (!ids.includes(id) || untakeable(draft, from, part)) continue;
    const holder = at(draft, path.slice(0, -1)) as Record<string, unknown>;
    holder[path[path.length - 1]] = JSON.parse(JSON.stringify(at(source, path)));
    // The other shot's props are not here.
    if (path[0] === "light") for (const source of sourcesOf(draft)) source.except = [];
  }
  const { comp } = draft;
  for (const name of STAGE_NAMES) {
    const own = comp[name];
    if (own.matte !== null && !comp.mattes[own.matte]) own.matte = null;
  }
}
