import { Body, Equator, Horizon, Observer } from "astronomy-engine";
import { toDegrees, toRadians } from "../math/vec3.ts";
import type { Almanac } from "./schema.ts";
import type { SightedSun } from "./sightings/solve.ts";

/** The sun by place and time, from a library that is kept for it. Degrees throughout. */

export interface SunPlace {
  /** Clockwise from true north. */
  bearingDeg: number;
  /** Above the horizon, as it is seen through the air. */
  elevationDeg: number;
}

/** Where the sun stands at a moment, with standard refraction. */
export function sunAt(latitude: number, longitude: number, moment: Date, metres = 0): SunPlace {
  const observer = new Observer(latitude, longitude, metres);
  const equator = Equator(Body.Sun, moment, observer, true, true);
  const { azimuth, altitude } = Horizon(moment, observer, equator.ra, equator.dec, "normal");
  return { bearingDeg: azimuth, elevationDeg: altitude };
}

/** The moment that a clock showed. */
export const momentOf = ({ clock, zoneMinutes }: Pick<Almanac, "clock" | "zoneMinutes">): Date =>
  new Date(Date.parse(`${clock}:00Z`) - zoneMinutes * 60_000);

/** A moment as its clock shows it. */
export const clockOf = (moment: Date, zoneMinutes: number): string =>
  new Date(moment.getTime() + zoneMinutes * 60_000).toISOString().slice(0, 16);

export const almanacSun = (almanac: Almanac): SunPlace => sunAt(almanac.latitude, almanac.longitude, momentOf(almanac));

/** Azimuth in the world, clockwise from +Y, of a bearing; null while nobody knows where north is. */
export const worldAzimuth = ({ northDeg }: Almanac, bearingDeg: number): number | null =>
  northDeg === null ? null : (((bearingDeg - northDeg) % 360) + 360) % 360;

/** A place of the sun on the day's arc. */
export interface ArcPoint extends SunPlace {
  clock: string;
}

/** The day's arc in steps of minutes, while the sun is up. */
export function dayArc(almanac: Almanac, stepMinutes = 30): ArcPoint[] {
  const midnight = momentOf({ ...almanac, clock: `${almanac.clock.slice(0, 10)}T00:00` }).getTime();
  return Array.from({ length: Math.floor(1440 / stepMinutes) + 1 }, (_, i): ArcPoint => {
    const moment = new Date(midnight + i * stepMinutes * 60_000);
    return { ...sunAt(almanac.latitude, almanac.longitude, moment), clock: clockOf(moment, almanac.zoneMinutes) };
  }).filter(({ elevationDeg }) => elevationDeg > 0);
}

/** Direction of a bearing's and a height's difference: the angle between two places of the sun. */
function apart(a: SunPlace, b: SunPlace): number {
  const [e, f] = [toRadians(a.elevationDeg), toRadians(b.elevationDeg)];
  const turn = toRadians(a.bearingDeg - b.bearingDeg);
  const cosine = Math.sin(e) * Math.sin(f) + Math.cos(e) * Math.cos(f) * Math.cos(turn);
  return toDegrees(Math.acos(Math.min(1, Math.max(-1, cosine))));
}

/**
 * Times of the day at which the sun stood where a sighting has it: the best one where north is known, else one before and
 * one after noon at its height. Clocks, the nearest to the given one first; none where the sun never stands so high.
 */
export function timesOfSun(almanac: Almanac, seen: { azimuthDeg: number; elevationDeg: number }): string[] {
  const arc = dayArc(almanac, 1);
  if (arc.length === 0) return [];
  const { northDeg } = almanac;
  if (northDeg !== null) {
    const at = { bearingDeg: seen.azimuthDeg + northDeg, elevationDeg: seen.elevationDeg };
    const best = arc.reduce((a, b) => (apart(b, at) < apart(a, at) ? b : a));
    return apart(best, at) < 5 ? [best.clock] : [];
  }
  const found: string[] = [];
  for (let i = 1; i < arc.length; i++) {
    const [a, b] = [arc[i - 1].elevationDeg - seen.elevationDeg, arc[i].elevationDeg - seen.elevationDeg];
    if (a === 0 || a * b < 0) found.push((Math.abs(a) < Math.abs(b) ? arc[i - 1] : arc[i]).clock);
  }
  const minutes = (clock: string) => Math.abs(Date.parse(`${clock}Z`) - Date.parse(`${almanac.clock}Z`));
  return found.sort((a, b) => minutes(a) - minutes(b));
}

/** Compass bearing of +Y by which a sighted sun stands where the almanac has it. */
export const northFrom = (almanac: Almanac, azimuthDeg: number): number =>
  ((((almanacSun(almanac).bearingDeg - azimuthDeg) % 360) + 540) % 360) - 180;

/** How sighting and almanac go together, in a sentence. */
export function compareSuns(almanac: Almanac, sighted: SightedSun): { agrees: boolean; sentence: string } {
  const by = almanacSun(almanac);
  const height = toDegrees(sighted.elevation);
  const sigma = toDegrees(sighted.sigma.elevation);
  const says = `The shadow says ${height.toFixed(1)}° ± ${sigma.toFixed(1)}, the almanac ${by.elevationDeg.toFixed(1)}°`;
  const off = Math.abs(by.elevationDeg - height);
  const allowed = Math.max(0.5, 2 * sigma);
  if (off <= allowed) return { agrees: true, sentence: `${says}: they agree.` };
  const clock = momentOf(almanac).getTime();
  for (const hours of [1, -1, 2, -2]) {
    const other = sunAt(almanac.latitude, almanac.longitude, new Date(clock + hours * 3_600_000));
    if (Math.abs(other.elevationDeg - height) > allowed) continue;
    const early = hours > 0 ? "slow" : "fast";
    return {
      agrees: false,
      sentence: `${says}: the clock may be ${Math.abs(hours)} h ${early}, as on ${hours > 0 ? "winter" : "summer"} time.`,
    };
  }
  return { agrees: false, sentence: `${says}: check the date, the place, or the marks.` };
}
