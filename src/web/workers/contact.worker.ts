import { expose } from "comlink";
import type { Rested } from "#core/contact/rest";
import { dropped, pushDistance, rested } from "#core/contact/rest";
import type { Solid } from "#core/contact/solid";
import { solidOf, solidOfModel } from "#core/contact/solid";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import type { Placement } from "#core/props/transform";

/** Triangles in the world that a prop can touch. */
export interface SupportMesh {
  positions: Float32Array;
  indices: Uint32Array;
}

export interface ContactJob {
  model: Pick<Model, "meshes">;
  placement: Placement;
  supports: SupportMesh[];
}

const solidsOf = ({ model, supports }: ContactJob): { own: Solid; others: Solid[] } => ({
  own: solidOfModel({ ...model, materials: [], textures: [] }),
  others: supports.map(({ positions, indices }) => solidOf(positions, indices)),
});

/** Contact of a prop with set and props, away from the page. */
const contact = {
  /** Down until it touches; tipping until it stands where that is asked. */
  rest(job: ContactJob, tip: boolean): Rested | null {
    const { own, others } = solidsOf(job);
    return (tip ? rested : dropped)(own, job.placement, others);
  },
  push(job: ContactJob, direction: Vec3): number | null {
    const own = solidOfModel({ ...job.model, materials: [], textures: [] });
    return pushDistance(own, job.placement, job.supports, direction, solidOf);
  },
};
export type Contact = typeof contact;
expose(contact);
