import type { Vec3 } from "../math/vec3.ts";
import { leastAlong } from "./model.ts";
import type { Model } from "./model.ts";
import type { Placement } from "./transform.ts";
import { placementRotation } from "./transform.ts";

/** The placement scaled all round by a share, with its lowest point and its place over the ground kept. */
export function grown(model: Model, placement: Placement, share: number): Placement {
  const lowest = (p: Placement) =>
    leastAlong(
      model,
      placementRotation(p)[2].map((r, k) => r * p.scale[k]),
    );
  const scaled: Placement = { ...placement, scale: placement.scale.map((s) => s * share) as Vec3 };
  const [x, y, z] = placement.position;
  return { ...scaled, position: [x, y, z + lowest(placement) - lowest(scaled)] };
}
