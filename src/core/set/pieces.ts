import type { LightPart } from "../light/schema.ts";
import type { SetPiece } from "../trace/scene.ts";
import type { SetPart } from "./schema.ts";
import { surfaceMesh } from "./surfaces.ts";

/** The set as the tracer takes it. */

/** The ground's mean height: of its polygons' vertices, 0 without any. */
export const floorHeight = (shot: SetPart): number => {
  const heights = Object.values(shot.set).flatMap((s) =>
    s.kind === "ground" ? s.vertices.map((v) => v.world[2]) : [],
  );
  return heights.length > 0 ? heights.reduce((a, b) => a + b, 0) / heights.length : 0;
};

export function setPieces(shot: SetPart & LightPart): SetPiece[] {
  const { albedo, gloss, glossRoughness } = shot.light;
  return Object.values(shot.set).flatMap((surface) => {
    const mesh = surfaceMesh(shot.set, surface);
    if (!mesh) return [];
    return [
      {
        ...mesh,
        catcher: surface.role === "catcher",
        albedo: albedo.colour,
        // Wet or polished is the ground; what stands on it stays matt.
        specular: surface.kind === "ground" ? gloss : 0,
        roughness: glossRoughness,
      },
    ];
  });
}
