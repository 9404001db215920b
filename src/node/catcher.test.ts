import { describe, expect, test } from "@jest/globals";
import { flagsOf } from "#core/set/roles";
import { compositeLinear } from "#core/comp/composite";
import type { Vec3 } from "#core/math/vec3";
import { normalize } from "#core/math/vec3";
import { noDistortion } from "#core/optics/distortion";
import type { Camera } from "#core/optics/camera";
import type { Material } from "#core/props/model";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { developFilm } from "#core/trace/film";
import type { PropPiece, TraceScene } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { emptyScene, lookAt, meanOf, quadModel, withModels } from "../testing/render.ts";
import { renderScene } from "./renderScene.ts";

/**
 * A catcher stands for a real surface: with the picture of that surface as the plate, the composite must be the picture
 * in which the prop really stands on it. Both pictures are path-traced here, the surface as a model with a BSDF.
 */

const SIZE = 40;
const SAMPLES = 384;
const ALBEDO: Vec3 = [0.3, 0.24, 0.16];
const LIFT = 0.25;

const from = (height: number): Camera => ({
  ...lookAt([0, -2.2, height], [0, 0, 0.12], 70),
  principal: [SIZE / 2, SIZE / 2],
  distortion: noDistortion(),
});

type Light = Pick<TraceScene, "sun" | "sky" | "lamps">;

const lamp = {
  name: "window",
  kind: "rectangle" as const,
  position: [0.2, 2.4, 0.9] as Vec3,
  facing: [0, -1, 0] as Vec3,
  across: [1, 0, 0] as Vec3,
  size: [1.2, 1] as [number, number],
  radiance: [8, 9, 10] as Vec3,
};

const box = (material: Partial<Material> = {}): PropPiece => {
  const model = primitiveModel("box", [0.6, 0.2, 0.15], 0.6, 0);
  model.materials = [{ ...model.materials[0], ...material }];
  return { model, placement: { ...standing([0, 0.1, 0]), scale: [0.4, 0.3, LIFT] } };
};

/** Index of the dielectric that reflects a share of what index 1.5 does at normal incidence: F0 = ((n - 1) / (n + 1))^2. */
const indexOf = (share: number): number => {
  const root = Math.sqrt(share * ((1.5 - 1) / (1.5 + 1)) ** 2);
  return share > 0 ? (1 + root) / (1 - root) : 1.5;
};

/** Mean colours of the picture's nine parts: the composite's over those of the real thing. */
async function againstTruth(
  camera: Camera,
  light: Light,
  gloss: { specular: number; roughness: number },
  prop: PropPiece,
) {
  const ground = quadModel([-3, -3, 0], [6, 0, 0], [0, 6, 0], {
    baseColor: [...ALBEDO, 1],
    index: indexOf(gloss.specular),
    specular: gloss.specular > 0 ? 1 : 0,
    roughness: gloss.roughness,
  });
  const floor = { model: ground, placement: standing() };
  const base: TraceScene = { ...emptyScene(camera), ...light, frame: { width: SIZE, height: SIZE } };
  const settings = { width: SIZE, height: SIZE, seed: 2, maxDepth: 6 };
  const picture = async (props: PropPiece[]) => {
    const film = await renderScene({ ...base, props }, settings, { samples: SAMPLES });
    const out = new Float32Array(SIZE * SIZE * 3);
    for (let i = 0; i < SIZE * SIZE; i++)
      for (let k = 0; k < 3; k++) {
        const f = i * film.layout.stride;
        out[i * 3 + k] = film.pixels[f + L.FILM_PROP + k] / film.pixels[f + L.FILM_SAMPLES];
      }
    return out;
  };
  const [without, truth] = [await picture([floor]), await picture([floor, prop])];
  const plate = { width: SIZE, height: SIZE, pixels: without, linear: without };
  const { positions, indices } = ground.meshes[0];
  const film = await renderScene(
    {
      ...base,
      picture: false,
      plate,
      props: [prop],
      set: [{ positions, indices, flags: flagsOf("catcher"), albedo: ALBEDO, ...gloss }],
    },
    settings,
    { samples: SAMPLES, fillSamples: 96 },
  );
  const composite = compositeLinear(plate, developFilm(film.pixels, SIZE, SIZE, film.layout));
  const ratios: number[] = [];
  for (let part = 0; part < 9; part++) {
    const sums = [0, 0];
    for (let y = 0; y < SIZE; y++)
      for (let x = 0; x < SIZE; x++) {
        if (Math.floor((y / SIZE) * 3) * 3 + Math.floor((x / SIZE) * 3) !== part) continue;
        for (let k = 0; k < 3; k++) {
          sums[0] += composite[(y * SIZE + x) * 3 + k];
          sums[1] += truth[(y * SIZE + x) * 3 + k];
        }
      }
    ratios.push(sums[0] / sums[1]);
  }
  return ratios;
}

const dark: Light = { sun: null, sky: [0.05, 0.06, 0.08] };

describe("a catcher stands for a real surface", () => {
  const sunny: Light = {
    sun: { direction: normalize([0.5, 0.8, 0.6]), irradiance: [3, 2.8, 2.4], angularRadius: 0.01 },
    sky: [0.3, 0.4, 0.5],
  };

  test.each<[string, Light, { specular: number; roughness: number }, Partial<Material>]>([
    ["a matt floor before a window", { ...dark, lamps: [lamp] }, { specular: 0, roughness: 1 }, {}],
    ["a polished floor before a window", { ...dark, lamps: [lamp] }, { specular: 1, roughness: 0.4 }, {}],
    ["a mirror-like floor before a window", { ...dark, lamps: [lamp] }, { specular: 1, roughness: 0.1 }, {}],
    ["planed wood of index 1.4 at a slant", { ...dark, lamps: [lamp] }, { specular: 25 / 36, roughness: 0.6 }, {}],
    ["wet ground towards the sun", sunny, { specular: 1, roughness: 0.35 }, {}],
    [
      "a shining prop on a polished floor, beside a lamp",
      { ...dark, lamps: [lamp] },
      { specular: 1, roughness: 0.5 },
      { baseColor: [0, 0, 0, 1], emissive: [1.5, 1, 0.6] },
    ],
    [
      "a metal prop that mirrors a polished floor",
      { ...dark, lamps: [lamp] },
      { specular: 1, roughness: 0.4 },
      { baseColor: [0.9, 0.9, 0.9, 1], metallic: 1, roughness: 0.15 },
    ],
    [
      "tinted glass on a polished floor",
      { ...dark, lamps: [lamp] },
      { specular: 1, roughness: 0.5 },
      { baseColor: [1, 1, 1, 1], transmission: 1, thin: true, roughness: 0 },
    ],
    [
      "a block of glass on a polished floor",
      { ...dark, lamps: [lamp] },
      { specular: 1, roughness: 0.5 },
      { baseColor: [1, 1, 1, 1], transmission: 1, thin: false, roughness: 0 },
    ],
  ])(
    "%s",
    async (_, light, gloss, material) => {
      const ratios = await againstTruth(from(0.9), light, gloss, box(material));
      ratios.forEach((r) => expect(Math.abs(r - 1)).toBeLessThan(0.02));
    },
    120_000,
  );
});

// Seen so low, half the light on the wood is mirrored and never reaches its matt part.
test("a catcher seen at a grazing angle", async () => {
  const light: Light = { ...dark, lamps: [lamp] };
  const ratios = await againstTruth(from(0.3), light, { specular: 1, roughness: 0.6 }, box());
  ratios.forEach((r) => expect(Math.abs(r - 1)).toBeLessThan(0.012));
  // Before the prop, in its shadow.
  ratios.slice(6).forEach((r) => expect(Math.abs(r - 1)).toBeLessThan(0.005));
});

test("a shining surface lights a smoothly shaded ball as a lamp of its size and place does", async () => {
  const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], 1, 0);
  ball.materials = [{ ...ball.materials[0], specular: 0 }];
  const scene = withModels(emptyScene(lookAt([0, -50, 0], [0, 0, 0], 4000)), [ball]);
  const shining = quadModel([1.6, -0.5, -0.5], [0, 0, 1], [0, 1, 0], { baseColor: [0, 0, 0, 1], emissive: [8, 9, 10] });
  const lit = {
    ...lamp,
    position: [1.6, 0, 0] as Vec3,
    facing: [-1, 0, 0] as Vec3,
    across: [0, 1, 0] as Vec3,
    size: [1, 1] as [number, number],
  };
  const settings = { width: 16, height: 16, seed: 3, maxDepth: 2 };
  const mean = async (s: TraceScene) => meanOf(await renderScene(s, settings, { samples: 256 }));
  const byLamp = await mean({ ...scene, lamps: [lit] });
  const bySurface = await mean({ ...scene, props: [...scene.props, { model: shining, placement: standing() }] });
  byLamp.forEach((v, k) => expect(Math.abs(bySurface[k] / v - 1)).toBeLessThan(0.01));
});

test("without the props a shining one is dark, also on what stands where the plate does not show it", async () => {
  const side = 24;
  const panel = (corner: Vec3, u: Vec3, v: Vec3) => {
    const { positions, indices } = quadModel(corner, u, v, { baseColor: [1, 1, 1, 1] }).meshes[0];
    return {
      positions,
      indices,
      albedo: [0.8, 0.8, 0.8] as Vec3,
      specular: 0,
      roughness: 1,
      flags: flagsOf("catcher"),
    };
  };
  // A wall behind the camera, close to a floor whose light from there is most of what it gets.
  const scene = (shine: number): TraceScene => ({
    ...emptyScene(lookAt([0, -2.2, 1.2], [0, 0, 0], 40)),
    picture: false,
    frame: { width: side, height: side },
    plate: { width: side, height: side, pixels: new Float32Array(side * side * 3).fill(0.2) },
    sky: [0.02, 0.02, 0.02],
    set: [panel([-3, -3, 0], [6, 0, 0], [0, 6, 0]), panel([-3, -3, 0], [0, 0, 3], [6, 0, 0])],
    props: [box({ baseColor: [0, 0, 0, 1], emissive: [shine, shine, shine] })],
  });
  const sums = async (shine: number) => {
    const settings = { width: side, height: side, seed: 3, maxDepth: 6 };
    const { pixels, layout } = await renderScene(scene(shine), settings, { samples: 192 });
    let [without, bounced] = [0, 0];
    for (let i = 0; i < side * side; i++)
      for (let g = 0; g < layout.groups.length; g++) {
        const at = i * layout.stride + layout.lights + g * L.LIGHT_FLOATS;
        without += pixels[at + 3];
        bounced += pixels[at];
      }
    return { without, bounced };
  };
  const [dark, shining] = [await sums(1e-6), await sums(20)];
  expect(shining.bounced).toBeGreaterThan(2 * dark.bounced);
  expect(Math.abs(shining.without / dark.without - 1)).toBeLessThan(0.005);
});

test("where a catcher fills a quarter of the pixels, the rest of them keeps its light", async () => {
  const size = 16;
  // A black square of eight metres hangs four above the ground, over the camera: its configuration factor is four times
  // that of a square over an element at its corner (Howell, Menguc, Daun and Siegel, Thermal Radiation Heat Transfer, B-4).
  const covered = (4 / (2 * Math.PI)) * 2 * Math.SQRT1_2 * Math.atan(Math.SQRT1_2);
  const black: Partial<Material> = { baseColor: [0, 0, 0, 1], specular: 0, roughness: 1 };
  const roof = { model: quadModel([-4, -4, 4], [8, 0, 0], [0, 8, 0], black), placement: standing() };
  /** Strips a fifth of a millimetre apart, a quarter as wide; a pixel is three quarters of a millimetre. */
  const strips = Array.from({ length: 100 }, (_, i) => (i - 50) * 2e-4);
  const positions = strips.flatMap((x) => [x, -0.1, 0, x + 5e-5, -0.1, 0, x + 5e-5, 0.1, 0, x, 0.1, 0]);
  const indices = strips.flatMap((_, i) => [0, 1, 2, 0, 2, 3].map((k) => 4 * i + k));
  const film = await renderScene(
    {
      ...emptyScene(lookAt([0, 0, 3], [0, 0, 0])),
      picture: false,
      sky: [1, 1, 1],
      plate: { width: 1, height: 1, pixels: new Float32Array([0.4, 0.4, 0.4]) },
      set: [
        {
          positions: new Float32Array(positions),
          indices: new Uint32Array(indices),
          flags: flagsOf("catcher"),
          albedo: [0.3, 0.3, 0.3],
          specular: 0,
          roughness: 0.5,
        },
      ],
      props: [roof],
    },
    { width: size, height: size, seed: 4, maxDepth: 4 },
    { samples: 256, threads: 2, fillSamples: 16 },
  );
  const { ratio } = developFilm(film.pixels, size, size, film.layout);
  const mean = ratio.reduce((sum, r) => sum + r, 0) / ratio.length;
  expect(mean).toBeCloseTo(1 - covered / 4, 2);
});
