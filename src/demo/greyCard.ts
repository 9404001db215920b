import type { Vec3 } from "#core/math/vec3";

/** Mean reflectances of the demo's surfaces, linear Rec. 709, as readings beside a grey card all over them give. */
export const GREY_CARD = {
  paving: [0.303, 0.281, 0.247],
  wallBoards: [0.299, 0.246, 0.178],
  floorBoards: [0.266, 0.204, 0.138],
  benchTop: [0.343, 0.26, 0.172],
  tieBeams: [0.209, 0.162, 0.107],
  paintedFrames: [0.42, 0.4, 0.35],
  barrelStaves: [0.196, 0.128, 0.075],
  masonry: [0.248, 0.224, 0.183],
  concrete: [0.29, 0.276, 0.242],
} satisfies Record<string, Vec3>;
