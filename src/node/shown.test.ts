import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import type { Material } from "#core/props/model";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { flagsOf } from "#core/set/roles";
import { denoiseFilm } from "#core/trace/denoise";
import { PROOF_SUMS, developFilm } from "#core/trace/film";
import { SOFT } from "#core/trace/filter";
import type { SetPiece, TraceScene } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { SIZE, emptyScene, lookAt, quadModel } from "../testing/render.ts";
import { renderScene } from "./renderScene.ts";

/** A level board of two metres to each side at a height, of one colour. */
const board = (z: number, colour: Vec3, facesUp: boolean): SetPiece => ({
  positions: new Float32Array([-2, -2, z, 2, -2, z, 2, 2, z, -2, 2, z]),
  indices: new Uint32Array(facesUp ? [0, 1, 2, 0, 2, 3] : [0, 2, 1, 0, 3, 2]),
  flags: flagsOf("solid"),
  albedo: colour,
  specular: 0,
  roughness: 0.5,
});

const below: Vec3 = [0.6, 0.3, 0.1];
const above: Vec3 = [0.2, 0.4, 0.8];

/** What a prop seen from straight above shows of a board below it and one above the camera: mean of the picture. */
async function shown(model: TraceScene["props"][number]["model"]): Promise<Vec3> {
  const scene: TraceScene = {
    ...emptyScene(lookAt([0, 0, 3], [0, 0, 0])),
    set: [board(-1, below, true), board(4, above, false)],
    sky: [1, 1, 1],
    props: [{ model, placement: standing([0, 0, 0]) }],
  };
  const film = await renderScene(
    scene,
    { width: SIZE, height: SIZE, seed: 5, maxDepth: 8, sums: PROOF_SUMS },
    { samples: 1, threads: 1, fillSamples: 0 },
  );
  const sum: Vec3 = [0, 0, 0];
  for (let f = 0; f < film.pixels.length; f += film.layout.stride)
    for (let k = 0; k < 3; k++) sum[k] += film.pixels[f + film.layout.features + L.FEATURE_SHOWN + k];
  return sum.map((v) => v / (SIZE * SIZE)) as Vec3;
}
const pane = (material: Partial<Material>) =>
  quadModel([-1, -1, 0.2], [2, 0, 0], [0, 2, 0], { specular: 1, ...material });
/** The share of all that is shown, below 1. */
const within = (v: Vec3): Vec3 => v.map((x) => x / (1 + x)) as Vec3;
const near = (is: Vec3, should: Vec3, by: number) => {
  for (let k = 0; k < 3; k++) expect(Math.abs(is[k] - should[k])).toBeLessThan(by);
};

describe("what smooth surfaces show", () => {
  test("a mirror shows what is over it, in its own colour; a rough or a matt surface nothing", async () => {
    const metal = { metallic: 1, baseColor: [0.9, 0.5, 0.3, 1] as [number, number, number, number] };
    near(await shown(pane({ ...metal, roughness: 0 })), within([0.9 * 0.2, 0.5 * 0.4, 0.3 * 0.8]), 1e-4);
    near(await shown(pane({ ...metal, roughness: 0.3 })), [0, 0, 0], 1e-9);
    near(await shown(pane({ roughness: 1, specular: 0 })), [0, 0, 0], 1e-9);
    // Fresnel's equations at normal incidence: ((n - 1) / (n + 1))², 4 % for an index of 1.5.
    near(await shown(pane({ roughness: 0 })), within(above.map((v) => 0.04 * v) as Vec3), 1e-4);
  });

  test("panes and blocks of glass show both sides: 1/13 mirrored and 12/13 let through for an index of 1.5", async () => {
    // Two faces of reflectance r, with all that runs to and fro between them (Stokes 1862): R = 2r / (1 + r).
    const both = within(above.map((v, k) => v / 13 + (12 / 13) * below[k]) as Vec3);
    const glass = { transmission: 1, roughness: 0, baseColor: [1, 1, 1, 1] as [number, number, number, number] };
    near(await shown(pane({ ...glass, thin: true })), both, 1e-4);
    const block = primitiveModel("box", [1, 1, 1], 0, 0);
    block.materials[0] = { ...block.materials[0], ...glass, thin: false };
    // A way that holds less than 0.4 % of the light is left.
    near(await shown(block), both, 0.004);
    // Beer and Lambert: half of the light is left by one metre of the block.
    block.materials[0] = { ...block.materials[0], absorption: [Math.LN2, Math.LN2, Math.LN2] };
    const r = 0.04;
    const inside = (1 - r) ** 2 / (1 - (r / 2) ** 2);
    near(
      await shown(block),
      within(above.map((v, k) => v * (r + (inside * r) / 4) + (below[k] * inside) / 2) as Vec3),
      0.004,
    );
  });
});

test("boards of two greys behind glass are told apart by the denoiser, which without what the glass shows blurs them", async () => {
  const size = 64;
  const strip = (i: number): SetPiece => ({
    ...board(-1, [0, 0, 0], true),
    positions: new Float32Array(
      [i, -2, -1, i + 1, -2, -1, i + 1, 2, -1, i, 2, -1].map((v, k) => (k % 3 ? v : v / 4 - 2)),
    ),
    albedo: i % 2 ? [0.3, 0.3, 0.3] : [0.4, 0.4, 0.4],
  });
  const glass = {
    transmission: 1,
    roughness: 0,
    thin: true,
    baseColor: [1, 1, 1, 1] as [number, number, number, number],
  };
  const scene: TraceScene = {
    ...emptyScene(lookAt([0, 0, 6], [0, 0, 0], 60)),
    set: Array.from({ length: 16 }, (_, i) => strip(i)),
    sky: [0.5, 0.5, 0.5],
    // A small bright lamp makes much noise.
    lamps: [
      {
        name: "lamp",
        kind: "sphere",
        position: [0, 0, 0.6],
        facing: [0, 0, -1],
        across: [1, 0, 0],
        size: [0.3, 0.3],
        radiance: [80, 80, 80],
      },
    ],
    props: [
      {
        model: quadModel([-2, -2, 0], [4, 0, 0], [0, 4, 0], { specular: 1, ...glass }),
        placement: standing([0, 0, 0]),
      },
    ],
  };
  const film = (seed: number, samples: number) =>
    renderScene(scene, { width: size, height: size, seed, maxDepth: 8, filter: SOFT, sums: PROOF_SUMS }, { samples });
  const [noisy, good] = [await film(1, 4), await film(2, 1024)];
  const truth = developFilm(good.pixels, size, size, good.layout).prop;
  const error = () => {
    const { prop } = denoiseFilm(noisy.pixels, size, size, noisy.layout);
    let sum = 0;
    for (let i = 0; i < prop.length; i += 4) if (prop[i + 3] === 1) sum += (prop[i] - truth[i]) ** 2;
    return sum;
  };
  const told = error();
  const { stride, features } = noisy.layout;
  for (let f = features + L.FEATURE_SHOWN; f < noisy.pixels.length; f += stride) noisy.pixels.fill(0, f, f + 3);
  expect(told).toBeLessThan(0.3 * error());
});
