import { luminance } from "../colour/srgb.ts";
import type { Vec3 } from "../math/vec3.ts";
import type { PlatePart } from "../plate/schema.ts";
import { kelvinColour } from "./kelvin.ts";
import { LAMPS } from "./lamps.ts";
import type { LightPart, ShotLamp } from "./schema.ts";
import { clearDaylight } from "./skies/physical.ts";

/** Light in the units of photometry, by what the plate's white is in cd/m². */

/** Share of the light in the lens's field that reaches the sensor (ISO 12232:2019, annex, for a typical lens). */
const LENS = 0.65;
/** Lux seconds that saturate a sensor of speed 1 (ISO 12232:2019, saturation-based speed). */
const SATURATION = 78;

/** Luminance of the plate's white by its exposure, cd/m²: saturation-based speed, 78 N² / (0.65 S t). */
export const whiteOfExposure = ({ seconds, aperture, iso }: Exposure): number =>
  (SATURATION * aperture * aperture) / (LENS * iso * seconds);

export interface Exposure {
  seconds: number;
  aperture: number;
  iso: number;
}

/** Exposure value at ISO 100 of an exposure. */
export const exposureValue = ({ seconds, aperture, iso }: Exposure): number =>
  Math.log2((aperture * aperture) / seconds) - Math.log2(iso / 100);

/** Luminance of the plate's white, cd/m²: as typed, else by its exposure; null where nobody knows. */
export function whiteLuminance(shot: PlatePart & LightPart): number | null {
  if (shot.light.whiteCd !== null) return shot.light.whiteCd;
  const { exposure } = shot.plates.main.exif;
  return exposure ? whiteOfExposure(exposure) : null;
}

/** Area that shines, square metres. */
function areaOf({ kind, size }: ShotLamp): number {
  const { traced } = LAMPS[kind];
  if (traced === "rectangle") return size[0] * size[1];
  return (traced === "sphere" ? Math.PI : Math.PI / 4) * size[0] * size[0];
}

/** Integral of a spot's share times the cosine over its cone: full up to the inner angle, smoothly dark at the outer. */
function coneIntegral(innerDeg: number, outerDeg: number): number {
  const [inner, outer] = [Math.min(innerDeg, outerDeg), outerDeg].map((d) => Math.cos((d * Math.PI) / 180));
  const steps = 2000;
  let sum = 0;
  for (let i = 0; i < steps; i++) {
    const c = outer + ((i + 0.5) / steps) * (1 - outer);
    const t = Math.min(1, Math.max(0, (c - outer) / Math.max(1e-6, inner - outer)));
    sum += t * t * (3 - 2 * t) * c;
  }
  return (2 * Math.PI * sum * (1 - outer)) / steps;
}

/** Flux of a lamp over its radiance, m² sr: π times the area of what shines evenly (Lambert). */
export function fluxOverRadiance(lamp: ShotLamp): number {
  if (LAMPS[lamp.kind].cone) return areaOf(lamp) * coneIntegral(lamp.cone.innerDeg, lamp.cone.outerDeg);
  return Math.PI * areaOf(lamp);
}

/** Lumens that a lamp sends out, where the plate's white is so many cd/m². */
export const lumensOf = (lamp: ShotLamp, whiteCd: number): number =>
  fluxOverRadiance(lamp) * luminance(...lamp.colour) * lamp.level * whiteCd;

/** Level at which a lamp sends out so many lumens. */
export const levelOfLumens = (lamp: ShotLamp, lumens: number, whiteCd: number): number =>
  lumens / Math.max(1e-12, lumensOf({ ...lamp, level: 1 }, whiteCd));

/** Lux on a surface that faces the lamp, straight ahead of it at a distance in metres; infinite on the lamp itself. */
export function luxAhead(lamp: ShotLamp, metres: number, whiteCd: number): number {
  const radiance = luminance(...lamp.colour) * lamp.level * whiteCd;
  const { traced } = LAMPS[lamp.kind];
  if (traced === "sphere") {
    const share = lamp.profile?.values[0] ?? 1;
    // A sphere of even radiance: π L (r/d)².
    return (Math.PI * radiance * share * (lamp.size[0] / 2) ** 2) / metres ** 2;
  }
  return (
    Math.PI * radiance * (traced === "rectangle" ? rectangleAhead(lamp.size, metres) : discAhead(lamp.size[0], metres))
  );
}

/** View factor of a disc from a point on its axis, which faces it. */
const discAhead = (diameter: number, d: number): number => (diameter / 2) ** 2 / ((diameter / 2) ** 2 + d * d);

/** View factor of a rectangle from a point on its axis, which faces it (four corners of Howell's catalogue, B-3). */
function rectangleAhead([w, h]: readonly [number, number], d: number): number {
  const [x, y] = [w / (2 * d), h / (2 * d)];
  const [p, q] = [Math.sqrt(1 + x * x), Math.sqrt(1 + y * y)];
  return (2 / Math.PI) * ((x / p) * Math.atan(y / p) + (y / q) * Math.atan(x / q));
}

/** Level at which a lamp brings so many lux straight ahead. */
export const levelOfLux = (lamp: ShotLamp, lux: number, metres: number, whiteCd: number): number =>
  lux / Math.max(1e-12, luxAhead({ ...lamp, level: 1 }, metres, whiteCd));

/** Lux on level ground under an overcast sky, the sun at a height (IESNA Lighting Handbook, daylight availability, from memory). */
const overcastLux = (up: number): number => 300 + 21_000 * Math.max(0, up);

/**
 * Sun and sky in the plate's units by its exposure alone, where nothing was measured: what clear air sends down at that height
 * of the sun, over the luminance that the plate shows as white; good to a stop. Irradiance of the sun on what faces it,
 * radiance of the even sky; colours as the plate is balanced.
 */
export function daylightOfExposure(
  turbidity: number,
  sun: Vec3,
  plate: { whiteCd: number; whiteKelvin: number | null; overcast: boolean },
): { sun: Vec3; sky: Vec3 } {
  const air = clearDaylight(turbidity, sun);
  const neutral = plate.whiteKelvin === null ? ([1, 1, 1] as Vec3) : kelvinColour(plate.whiteKelvin);
  const seen = (c: Vec3) => {
    const balanced = c.map((v, k) => v / Math.max(1e-6, neutral[k])) as Vec3;
    const level = luminance(...c) / luminance(...balanced);
    return balanced.map((v) => (v * level) / plate.whiteCd) as Vec3;
  };
  if (!plate.overcast) return { sun: seen(air.sun), sky: seen(air.sky) };
  // Clouds are white: as much of every colour.
  const grey = overcastLux(sun[2]) / Math.PI / plate.whiteCd;
  return { sun: [0, 0, 0], sky: [grey, grey, grey] };
}
