import { seeded } from "../random.ts";

/** Ways to damage files and documents, the same ones at every run. */

export type Random = () => number;
export const randomFrom = seeded;

const pick = <T>(random: Random, list: readonly T[]): T => list[Math.floor(random() * list.length)];

/** Bytes overwritten, cut, doubled, or with a number of theirs made enormous; often near the head, where sizes are told. */
export function damageBytes(bytes: Uint8Array, random: Random): Uint8Array {
  let out = bytes.slice();
  const where = () => Math.floor(random() * (random() < 0.6 ? Math.min(out.length, 1200) : out.length));
  // A single byte often comes through to where pixels and corners are unpacked.
  const times = random() < 0.4 ? 1 : 1 + Math.floor(random() * 5);
  for (let i = 0; i < times && out.length > 8; i++) {
    const at = where();
    const way = random();
    if (way < 0.45) out[at] = Math.floor(random() * 256);
    else if (way < 0.7) {
      const value = pick(random, [0, 1, 0x7fffffff, 0xffffffff, 0x80000000, 100_000_000]);
      const view = new DataView(out.buffer);
      if (at + 4 <= out.length) view.setUint32(at, value, random() < 0.5);
    } else if (way < 0.85) out = out.slice(0, Math.max(8, at));
    else {
      const part = out.slice(at, at + 200);
      const longer = new Uint8Array(out.length + part.length);
      longer.set(out.subarray(0, at));
      longer.set(part, at);
      longer.set(out.subarray(at), at + part.length);
      out = longer;
    }
  }
  return out;
}

const ODD: unknown[] = [
  null,
  true,
  "",
  "a\0b",
  "\ud800",
  -1,
  0,
  0.5,
  1e9,
  1e300,
  4294967295,
  2 ** 53,
  [],
  {},
  [[[[[]]]]],
  { length: 1e9 },
  "x".repeat(5000),
  ["__proto__"],
  "constructor",
  "../../etc/passwd",
  "0".repeat(64),
];

/** JSON with some of its parts replaced by odd ones, left out, or put where they do not belong. */
export function damageJson(value: unknown, random: Random): unknown {
  const copy = structuredClone(value);
  const times = 1 + Math.floor(random() * 3);
  for (let i = 0; i < times; i++) {
    let holder = copy as Record<string, unknown>;
    for (;;) {
      const keys = Object.keys(holder);
      if (keys.length === 0) break;
      const key = pick(random, keys);
      const inner = holder[key];
      if (typeof inner === "object" && inner !== null && random() < 0.75) {
        holder = inner as Record<string, unknown>;
        continue;
      }
      const way = random();
      if (way < 0.7) holder[key] = structuredClone(pick(random, ODD));
      else if (way < 0.85) delete holder[key];
      else {
        // On an array these would make the attacker's own JSON enormous.
        const names = Array.isArray(holder)
          ? ["999", "extra"]
          : ["__proto__x", "length", "constructor", "extra", "9999999"];
        holder[pick(random, names)] = inner;
      }
      break;
    }
  }
  return copy;
}

const KEYS: (string | number)[] = [
  "edges",
  "set",
  "render",
  "passes",
  "plate",
  "length",
  "width",
  "name",
  "props",
  "light",
  "__proto__",
  "constructor",
  "points",
  "vertices",
  "notes",
  -1,
  0,
  1,
  99,
  4294967294,
  4294967295,
  "0",
  "",
  "\0",
];

/** A step whose patches name places that are mostly not there, with values that mostly do not belong. */
export function hostileStep(random: Random, id: string): unknown {
  const patches = () =>
    Array.from({ length: 1 + Math.floor(random() * 4) }, () => ({
      op: pick(random, ["add", "replace", "remove", "test", "copy"].slice(0, random() < 0.97 ? 3 : 5)),
      path: Array.from({ length: Math.floor(random() * 5) }, () => pick(random, KEYS)).filter(
        (k) => k !== -1 || random() < 0.1,
      ),
      value: pick(random, ODD),
    }));
  if (random() < 0.1) return { kind: pick(random, ["undo", "redo", "jump"]), id: pick(random, ODD), step: id };
  return {
    kind: "do",
    edit: {
      id,
      name: random() < 0.9 ? "Edit" : pick(random, ["", "\0", "x".repeat(500)]),
      forward: patches(),
      inverse: random() < 0.5 ? [] : patches(),
    },
  };
}
