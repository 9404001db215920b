import type { ShotLamp } from "./schema.ts";

type Lamps = Readonly<Record<string, ShotLamp>>;

/** The lamp that this one shines like, in the end; itself where none is named, or one that is gone. */
export function leaderOf(lamps: Lamps, id: string): string {
  const met = new Set([id]);
  let at = id;
  for (;;) {
    const next = lamps[at].like;
    if (next === null || !lamps[next] || met.has(next)) return at;
    met.add(next);
    at = next;
  }
}

/** Lamps that have one colour and level with this one, and it: windows that look at one sky. */
export const alikeTo = (lamps: Lamps, id: string): ShotLamp[] =>
  Object.values(lamps).filter((lamp) => leaderOf(lamps, lamp.id) === leaderOf(lamps, id));

/** Gives a lamp's colour and level to those that shine like it. */
export function shareShine(lamps: Lamps, id: string): void {
  const { colour, level } = lamps[id];
  for (const lamp of alikeTo(lamps, id)) Object.assign(lamp, { colour: [...colour], level });
}

/** Has a lamp shine like another from now on, or by itself for null. */
export function shineLike(lamps: Lamps, id: string, other: string | null): void {
  lamps[id].like = other;
  if (other !== null) shareShine(lamps, other);
}

/** Takes a lamp out of those that shine alike: the rest stay alike. */
export function partFrom(lamps: Lamps, id: string): void {
  const followers = Object.values(lamps).filter(({ like }) => like === id);
  const heir = lamps[id].like ?? followers[0]?.id ?? null;
  for (const lamp of followers) lamp.like = lamp.id === heir ? null : heir;
}
