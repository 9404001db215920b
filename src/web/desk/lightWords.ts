import { toDegrees } from "#core/math/vec3";
import { anglesFromDirection } from "#core/light/sun";
import { sunDirection } from "#core/light/rig";
import type { Shot } from "#core/shot/schema";

const lampsOn = (shot: Shot): number => Object.values(shot.light.lamps).filter((l) => l.on).length;

/** True once something was said of the light: a sighted or a switched-off sun, a probe, a lamp, a marked shade. */
export const lightIsSet = ({ light }: Shot): boolean =>
  Object.keys(light.sightings).length > 0 ||
  Object.keys(light.probes).length > 0 ||
  light.almanac !== null ||
  light.sky.spread.kind !== "even" ||
  !light.sun.on ||
  Object.keys(light.lamps).length > 0 ||
  Object.keys(light.shadows).length > 0;

/** What lights the shot, in few words. */
export function lightWord(shot: Shot): string {
  const lamps = lampsOn(shot);
  const lit = lamps > 0 ? `${lamps} ${lamps === 1 ? "lamp" : "lamps"}` : "";
  const { sun: ownSun, sky, sightings } = shot.light;
  const sighted = Object.keys(sightings).length > 0;
  if (!ownSun.on) {
    const overhead = sky.on ? (sky.spread.kind === "overcast" ? "overcast" : "sky") : "";
    return [overhead, lit].filter(Boolean).join(", ") || "no light";
  }
  const azimuth = toDegrees(anglesFromDirection(sunDirection(shot)).azimuth).toFixed(0);
  const sun = sighted ? `sun at ${azimuth}°` : lightIsSet(shot) ? `sun ${azimuth}°, typed` : "not sighted";
  return lit && sighted ? `${sun}, ${lit}` : sun;
}
