import type { Facet } from "#core/match/gauges";
import type { Face } from "#core/set/face";
import { faceNormal, facePlane } from "#core/set/face";
import { allFaces } from "#core/set/faces";
import type { SetRecord } from "#core/set/parts/index";

const facet = (face: Face): Facet => ({ plane: facePlane(face), ring: face.rings[0] });

/** All faces of the set that can be pointed at. */
export const facetsOf = (set: SetRecord): Facet[] => [...allFaces(set)].map(({ face }) => facet(face));

/** The upright ones. */
export const wallsOf = (set: SetRecord): Facet[] =>
  [...allFaces(set)].filter(({ face }) => Math.abs(faceNormal(face)[2]) < 0.1).map(({ face }) => facet(face));
