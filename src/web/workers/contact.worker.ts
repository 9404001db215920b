import { expose } from "comlink";
import type { Rested } from "#core/contact/rest";
import { dropped, pushDistance, rested } from "#core/contact/rest";
import type { Solid } from "#core/contact/solid";
import { solidOf, solidOfModel } from "#core/contact/solid";
import type { Soup } from "#core/contact/supports";
import { soupNear, wayOf } from "#core/contact/supports";
import { importGlb } from "#core/exchange/gltf";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { modelOf, placementOf, singleModelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";

export interface ContactJob {
  prop: Prop;
  /** Triangles in the world, or a prop as it stands. */
  supports: (Soup | { prop: Prop })[];
}

/** Models whose real meshes are at hand. */
const KEPT = 6;
const models = new Map<string, Model>();
const solids = new WeakMap<Model, Solid>();
const DOWN: Vec3 = [0, 0, -1];

/** Pictures are of no matter to what touches what. */
const noPicture = () => Promise.resolve({ width: 1, height: 1, texels: new Uint8Array(4) });

async function fetched({ source }: Prop): Promise<void> {
  if (source.kind !== "model" || models.has(source.asset)) return;
  const response = await fetch(`/api/assets/${source.asset}`);
  if (!response.ok) throw new Error("A model's file is not on the server any more. Bring it in again.");
  const { model } = await importGlb(new Uint8Array(await response.arrayBuffer()), noPicture);
  models.set(source.asset, model);
}

const propsIn = ({ prop, supports }: ContactJob): Prop[] => [
  prop,
  ...supports.flatMap((support) => ("prop" in support ? [support.prop] : [])),
];

/** The prop's solid in its own coordinates, and everything on its way in the world. */
async function solidsOf(job: ContactJob, direction: Vec3): Promise<{ own: Solid; others: Soup[] } | null> {
  const all = propsIn(job);
  for (const prop of all) await fetched(prop);
  // Looks are of no matter either, and would make another model of each.
  const bare = (prop: Prop): Prop => ({ ...prop, looks: {} });
  const model = singleModelOf(bare(job.prop), models);
  if (!model) return null;
  let own = solids.get(model);
  if (!own) solids.set(model, (own = solidOfModel(model)));
  const way = wayOf(model, placementOf(job.prop), direction);
  const others = job.supports.map((support) =>
    "prop" in support
      ? soupNear(modelOf(bare(support.prop), models) ?? { meshes: [] }, placementOf(support.prop), way)
      : support,
  );
  const needed = new Set(all.map(({ source }) => (source.kind === "model" ? source.asset : "")));
  for (const hash of models.keys()) {
    if (models.size <= KEPT) break;
    if (!needed.has(hash)) models.delete(hash);
  }
  return { own, others };
}

/** Contact of a prop with set and props, on their real meshes, away from the page. */
const contact = {
  /** Lets go of models that are not among those. */
  keepOnly(hashes: string[]): void {
    for (const hash of models.keys()) if (!hashes.includes(hash)) models.delete(hash);
  },
  /** Down until it touches; tipping until it stands where that is asked. */
  async rest(job: ContactJob, tip: boolean): Promise<Rested | null> {
    const found = await solidsOf(job, DOWN);
    if (!found) return null;
    const others = found.others.map(({ positions, indices }) => solidOf(positions, indices));
    return (tip ? rested : dropped)(found.own, placementOf(job.prop), others);
  },
  async push(job: ContactJob, direction: Vec3): Promise<number | null> {
    const found = await solidsOf(job, direction);
    return found && pushDistance(found.own, placementOf(job.prop), found.others, direction, solidOf);
  },
};
export type Contact = typeof contact;
expose(contact);
