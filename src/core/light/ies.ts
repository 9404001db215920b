/** Photometric files: what a luminaire sends where, as ANSI/IES LM-63 writes it (1986 to 2019). */

/** Why a photometric file cannot be read, in a sentence for its user. */
export class IesError extends Error {}

/** A luminaire's candelas by direction, type C: vertical angles from straight down, horizontal ones around it, degrees. */
export interface IesFile {
  vertical: number[];
  horizontal: number[];
  /** By horizontal angle, then by vertical angle, with multiplier and ballast factor. */
  candela: number[][];
  /** Its luminous opening, metres: width, length, height; 0 for a point. */
  opening: [number, number, number];
  /** What the file calls it. */
  name: string;
}

const MOST = { bytes: 4 << 20, angles: 1000, values: 200_000 };
const FEET = 0.3048;

const damaged = (what: string): IesError =>
  new IesError(`The photometric file is damaged: ${what}. Get it again from the luminaire's maker.`);

/** Reads a photometric file of type C. Throws IesError. */
export function readIes(bytes: Uint8Array): IesFile {
  if (bytes.length > MOST.bytes) throw new IesError("That is no photometric file: such files have some kilobytes.");
  const text = String.fromCharCode(...Array.from(bytes, (b) => (b === 0 ? 32 : b)).slice(0, 60_000)) + rest(bytes);
  const tilt = /(?:^|\r|\n)[ \t]*TILT[ \t]*=[ \t]*(\S+)[^\r\n]*(?:\r\n|\r|\n)/.exec(text);
  if (!tilt) throw new IesError("That is no photometric file: it has no line TILT=.");
  if (!["NONE", "INCLUDE"].includes(tilt[1].toUpperCase()))
    throw new IesError("The photometric file needs another file for its tilt. Get one with TILT=NONE.");
  const words = text.slice(tilt.index + tilt[0].length).match(/[^\s,]+/g) ?? [];
  const numbers = new Numbers(words);
  if (tilt[1].toUpperCase() === "INCLUDE") {
    numbers.next("the tilt");
    numbers.list(2 * numbers.count("angles of its tilt"), "the tilt");
  }
  numbers.list(2, "its lamps");
  const multiplier = numbers.next("its multiplier");
  const vertical = numbers.count("vertical angles");
  const horizontal = numbers.count("horizontal angles");
  if (vertical * horizontal > MOST.values) throw damaged(`it says that it has ${vertical * horizontal} values`);
  const type = numbers.next("its type");
  const feet = numbers.next("its unit") === 1;
  if (type !== 1) throw new IesError("The photometric file is of type A or B, as floodlights' are. Get one of type C.");
  const opening = numbers.list(3, "its size").map((x) => Math.abs(x) * (feet ? FEET : 1));
  const [ballast, future] = numbers.list(3, "its ballast");
  const factor = multiplier * ballast * (future > 0 && future !== 1 ? future : 1);
  const file: IesFile = {
    vertical: ascending(numbers.list(vertical, "its vertical angles"), "vertical"),
    horizontal: ascending(numbers.list(horizontal, "its horizontal angles"), "horizontal"),
    candela: Array.from({ length: horizontal }, () =>
      numbers.list(vertical, "its candelas").map((c) => Math.max(0, c * factor)),
    ),
    opening: [opening[0], opening[1], opening[2]],
    name: nameIn(text.slice(0, tilt.index)),
  };
  if (!file.candela.some((row) => row.some((c) => c > 0))) throw new IesError("The photometric file sends no light.");
  return file;
}

/** What lies beyond the part that is spread into one call. */
function rest(bytes: Uint8Array): string {
  let text = "";
  for (let i = 60_000; i < bytes.length; i++) text += String.fromCharCode(bytes[i] || 32);
  return text;
}

class Numbers {
  private at = 0;
  constructor(private readonly words: readonly string[]) {}

  next(what: string): number {
    const value = Number(this.words[this.at++]);
    if (!Number.isFinite(value)) throw damaged(`${what} is missing`);
    return value;
  }
  count(what: string): number {
    const value = this.next(`the number of ${what}`);
    if (!Number.isInteger(value) || value < 1 || value > MOST.angles)
      throw damaged(`it says that it has ${value} ${what}`);
    return value;
  }
  list(length: number, what: string): number[] {
    return Array.from({ length }, () => this.next(what));
  }
}

function ascending(angles: number[], what: string): number[] {
  if (angles.some((a, i) => i > 0 && a <= angles[i - 1]) || angles.some((a) => a < -180 || a > 360))
    throw damaged(`its ${what} angles do not go up`);
  return angles;
}

function nameIn(head: string): string {
  const keyed = /\[LUMINAIRE\][ \t]*([^\r\n]*)/.exec(head) ?? /\[LUMCAT\][ \t]*([^\r\n]*)/.exec(head);
  return (keyed?.[1] ?? "").trim().slice(0, 120);
}

/** Candelas in a direction: `down` degrees from straight down, `around` degrees, between the file's angles; 0 beyond them. */
export function candelaAt(file: IesFile, down: number, around: number): number {
  const { vertical, horizontal, candela } = file;
  const place = placeIn(vertical, down);
  if (!place) return 0;
  const row = (i: number) => candela[i][place.low] * (1 - place.t) + candela[i][place.high] * place.t;
  const turn = placeIn(horizontal, foldedAround(horizontal, around));
  return turn ? row(turn.low) * (1 - turn.t) + row(turn.high) * turn.t : row(0);
}

/** A horizontal angle where the file has it: what it leaves out by symmetry is the mirrored part. */
function foldedAround(horizontal: readonly number[], around: number): number {
  const [first, last] = [horizontal[0], horizontal[horizontal.length - 1]];
  const a = ((around % 360) + 360) % 360;
  if (horizontal.length === 1) return first;
  if (last <= 90) return a % 180 > 90 ? 180 - (a % 180) : a % 180;
  if (first >= 90 && last <= 270) return a < 90 ? 180 - a : a > 270 ? 540 - a : a;
  if (last <= 180) return a > 180 ? 360 - a : a;
  return a;
}

function placeIn(angles: readonly number[], angle: number): { low: number; high: number; t: number } | null {
  const last = angles.length - 1;
  if (angle < angles[0] - 1e-6 || (angle > angles[last] + 1e-6 && last > 0)) return null;
  let low = 0;
  while (low < last - 1 && angles[low + 1] <= angle) low++;
  const high = Math.min(last, low + 1);
  const span = angles[high] - angles[low];
  return { low, high, t: span > 0 ? Math.min(1, Math.max(0, (angle - angles[low]) / span)) : 0 };
}

/** A luminaire's distribution as a document keeps it. */
export interface Profile {
  name: string;
  /** 1 for a luminaire that is the same all around, else one for every 15 degrees. */
  columns: 1 | 24;
  /** By column, at every degree from straight down, over the mean of all directions. */
  values: number[];
  /** Lumens that the file says it sends out. */
  lumens: number;
}

const ROWS = 181;
const AROUND = 24;

/** A photometric file as a profile: its candelas over their mean, whose sum is the luminaire's lumens. */
export function profileOf(file: IesFile): Profile {
  const columns = file.horizontal.length === 1 ? 1 : AROUND;
  const values = Array.from({ length: columns * ROWS }, (_, i) =>
    candelaAt(file, i % ROWS, (Math.floor(i / ROWS) * 360) / columns),
  );
  const mean = meanOf(values, columns);
  return {
    name: file.name,
    columns,
    values: values.map((v) => Number((v / mean).toPrecision(5))),
    lumens: Number((4 * Math.PI * mean).toPrecision(5)),
  };
}

/** Mean over all directions, each row by its zone's solid angle. */
function meanOf(values: readonly number[], columns: number): number {
  const zone = (i: number) => {
    const [a, b] = [Math.max(0, i - 0.5), Math.min(180, i + 0.5)].map((d) => Math.cos((d * Math.PI) / 180));
    return (a - b) / 2;
  };
  return values.reduce((sum, v, i) => sum + (v * zone(i % ROWS)) / columns, 0);
}
