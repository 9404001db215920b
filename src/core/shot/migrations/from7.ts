import type { Migration } from "./document.ts";
import { entries } from "./document.ts";

interface OldLight {
  sighting: object | null;
  sun: object;
  lit: object | null;
  shaded: object | null;
  sunIrradiance: number[];
  skyRadiance: number[];
  lamps: Record<string, object>;
}

/** Version 8: sources that share strength, tint and whom they light; skies of several kinds; any number of sightings and probes. */
export const from7: Migration = (old) => {
  const { sighting, lit, shaded, sunIrradiance, skyRadiance, sun, lamps, ...rest } = old.light as OldLight;
  const source = { strength: 1, tint: [1, 1, 1], lights: "all" };
  const probe = (id: string, from: object | null, of: string) =>
    from ? { [id]: { ...from, id, sun: of, card: null, muted: false } } : {};
  return {
    ...old,
    version: 8,
    light: {
      ...rest,
      sun: { ...source, ...sun, irradiance: sunIrradiance },
      sky: { ...source, on: true, radiance: skyRadiance, spread: { kind: "even" } },
      lamps: entries(lamps, (lamp) => ({ ...source, ...lamp })),
      sightings: sighting ? { "sighting-1": { ...sighting, id: "sighting-1", kind: "upright", muted: false } } : {},
      probes: { ...probe("probe-1", lit, "lit"), ...probe("probe-2", shaded, "shaded") },
      almanac: null,
    },
  };
};
