import type { Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { rotationFromAngles } from "#core/optics/camera";
import type { Model, Texture } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import type { Placement } from "#core/props/transform";
import { standing } from "#core/props/transform";
import type { Picture } from "#core/trace/scene";
import { fractal, hash2, smoothstep } from "./noise.ts";
import type { Place } from "./photograph.ts";
import { Builder } from "./shapes.ts";
import { boards, limewash, masonry, paint, slate, tarredIron } from "./textures.ts";

/**
 * The slipway under an overcast sky. The world lies on the ramp: Z is its normal, +Y leads up it. What is level stands
 * leant against that by the ramp's slope.
 */

const frame = { width: 1200, height: 800 };

export const SLOPE = toRadians(6.5);

/** The level parts of the place: their own coordinates are upright. */
export const level: Placement = { ...standing(), lean: [-SLOPE, 0] };

/** Upright, in ramp coordinates. */
export const UP: Vec3 = [0, Math.sin(SLOPE), Math.cos(SLOPE)];

export const camera: Camera = {
  focalPx: 905,
  principal: [600, 400],
  distortion: { k1: -0.03, k2: 0, k3: 0, p1: 0, p2: 0 },
  rotation: rotationFromAngles({ heading: toRadians(-6), tilt: toRadians(-9.5), roll: toRadians(0.5) }),
  position: [1.15, -6.6, 1.58],
};

export const boatPlace: Placement = {
  position: [-0.35, -0.2, 0],
  turn: toRadians(28),
  lean: [0, toRadians(19.5)],
  scale: [1, 1, 1],
};

/** Mean reflectance of the ramp's concrete. */
export const RAMP_ALBEDO: Vec3 = [0.262, 0.25, 0.222];
export const WALL_ALBEDO: Vec3 = [0.25, 0.23, 0.19];

export const HALF_WIDTH = 3.4;
/** Level height of the quay above the ramp's zero. */
export const QUAY = 2.15;

/** Straight things along an axis, from - to +. */
export const straightEdges: { id: string; axis: "x" | "y"; from: Vec3; to: Vec3 }[] = [
  ...[-4, -1, 2, 5].map((y) => ({
    id: `cross joint ${y}`,
    axis: "x" as const,
    from: [-HALF_WIDTH, y, 0] as Vec3,
    to: [HALF_WIDTH, y, 0] as Vec3,
  })),
  ...[-1.7, 0, 1.7].map((x) => ({
    id: `long joint ${x}`,
    axis: "y" as const,
    from: [x, -4.5, 0] as Vec3,
    to: [x, 16, 0] as Vec3,
  })),
  { id: "left foot", axis: "y", from: [-HALF_WIDTH, -3, 0], to: [-HALF_WIDTH, 16, 0] },
  { id: "right foot", axis: "y", from: [HALF_WIDTH, -1, 0], to: [HALF_WIDTH, 16, 0] },
];

enum M {
  Ramp,
  Wall,
  Coping,
  Water,
  Lime,
  Slate,
  Door,
  Iron,
  Quay,
  Rope,
}

/** Cast concrete in bays of 1.7 by 3 m, worn, stained, with weed in the joints. */
const concrete = (): Texture =>
  paint(2048, (u, v) => {
    const fu = (u * 4) % 1;
    const fv = (v * 2.266667) % 1;
    const joint = Math.min(Math.min(fu, 1 - fu) * 1.7, Math.min(fv, 1 - fv) * 3);
    const wobble = 0.004 * (fractal(u, v, 60, 2, 601) - 0.5);
    const bay = hash2(Math.floor(u * 4), Math.floor(v * 2.266667), 602);
    const grain = 0.74 + 0.52 * fractal(u, v, 300, 3, 603);
    const pebbles = fractal(u, v, 420, 2, 604) > 0.68 ? 1.18 : 1;
    const stain = smoothstep(0.42, 0.72, fractal(u, v, 9, 5, 605));
    const run = smoothstep(0.5, 0.85, fractal(u, v * 0.18, 46, 3, 606));
    const crack = smoothstep(0.0, 0.012, Math.abs(fractal(u, v, 7, 4, 607) - 0.5));
    const tone = (0.88 + 0.22 * bay) * grain * pebbles * (1 - 0.32 * stain) * (1 - 0.22 * run) * (0.72 + 0.28 * crack);
    const c: Vec3 = [0.36 * tone, 0.342 * tone, 0.3 * tone];
    const weed = 1 - smoothstep(0.004, 0.024, joint + wobble * 5);
    return [c[0] + (0.07 - c[0]) * weed, c[1] + (0.072 - c[1]) * weed, c[2] + (0.05 - c[2]) * weed];
  });

function rampModel(): Model {
  const ramp = new Builder().quad([-HALF_WIDTH, -14, 0], [2 * HALF_WIDTH, 0, 0], [0, 34.5, 0], 6.8, [0, -14 / 6.8]);
  return {
    meshes: [ramp.build(0)],
    materials: [plainMaterial({ name: "ramp", baseColor: [1, 1, 1, 1], baseTexture: 0, roughness: 0.85, index: 1.4 })],
    textures: [concrete()],
  };
}

function levelModel(): Model {
  const wall = new Builder();
  const coping = new Builder();
  const quay = new Builder();
  const lime = new Builder();
  const roof = new Builder();
  const door = new Builder();
  const iron = new Builder();
  const rope = new Builder();
  const w = HALF_WIDTH;
  const end = 18.6;
  // Side walls from the water to the head of the ramp, and the quay behind them.
  wall.quad([-w, end, -3], [0, -end - 14, 0], [0, 0, QUAY + 3], 2.2);
  wall.quad([w, -14, -3], [0, end + 14, 0], [0, 0, QUAY + 3], 2.2);
  for (const s of [-1, 1]) {
    coping.box([s < 0 ? -w - 0.42 : w - 0.03, -14, QUAY - 0.02], [s < 0 ? -w + 0.03 : w + 0.42, end, QUAY + 0.12], 1.3);
    quay.quad([s < 0 ? -40 : w + 0.4, -14, QUAY], [40 - w - 0.4, 0, 0], [0, 60, 0], 5);
  }
  quay.quad([-w - 0.4, end, QUAY], [2 * w + 0.8, 0, 0], [0, 30, 0], 5);
  wall.quad([-w, end + 0.4, 0], [2 * w, 0, 0], [0, 0, QUAY], 2.2);
  // Boathouse at the head, a shed beside it, a low wall.
  const [x0, x1, y0, y1, e, r] = [-4.2, 2.6, 23, 31, QUAY + 3.1, QUAY + 5.6];
  lime.quad([x0, y0, QUAY], [1.5, 0, 0], [0, 0, e - QUAY], 4);
  lime.quad([x1 - 1.5, y0, QUAY], [1.5, 0, 0], [0, 0, e - QUAY], 4);
  lime.quad([x0 + 1.5, y0, QUAY + 2.75], [x1 - x0 - 3, 0, 0], [0, 0, e - QUAY - 2.75], 4);
  lime.triangle([x0, y0, e], [x1, y0, e], [(x0 + x1) / 2, y0, r], 4);
  lime.quad([x0, y1, QUAY], [0, y0 - y1, 0], [0, 0, e - QUAY], 4);
  lime.quad([x1, y0, QUAY], [0, y1 - y0, 0], [0, 0, e - QUAY], 4);
  door.quad([x0 + 1.5, y0 + 0.15, QUAY], [x1 - x0 - 3, 0, 0], [0, 0, 2.75], 1.25);
  iron.box([(x0 + x1) / 2 - 0.02, y0 + 0.12, QUAY], [(x0 + x1) / 2 + 0.02, y0 + 0.15, QUAY + 2.75]);
  roof.quad([x0 - 0.3, y1, e - 0.22], [0, y0 - 0.3 - y1, 0], [(x1 - x0) / 2 + 0.3, 0, r - e + 0.22], 2.4);
  roof.quad([x1 + 0.3, y0 - 0.3, e - 0.22], [0, y1 - y0 + 0.3, 0], [-(x1 - x0) / 2 - 0.3, 0, r - e + 0.22], 2.4);
  lime.box([6.2, 21, QUAY], [11, 26, QUAY + 2.4], 4);
  roof.quad([5.9, 20.7, QUAY + 2.3], [5.4, 0, 0], [0, 3, 1.4], 2.4);
  roof.quad([11.3, 26.3, QUAY + 2.3], [-5.4, 0, 0], [0, -2.6, 1.4], 2.4);
  door.quad([7.6, 20.99, QUAY], [0.95, 0, 0], [0, 0, 2.0], 1.25);
  wall.box([-22, 24, QUAY], [-4.6, 24.4, QUAY + 1.3], 2.2);
  // Rings, a ladder and fenders on the walls; a winch at the head.
  for (let k = 0; k < 5; k++) {
    const [y, z] = [-2 + k * 4.2, 0.55 + k * 0.32];
    for (const s of [-1, 1]) {
      iron.bar([s * w, y, z + 0.1], [s * (w - 0.06), y, z + 0.1], 0.02, 8);
      for (let i = 0; i < 12; i++) {
        const at = (n: number): Vec3 => [
          s * (w - 0.05),
          y + 0.09 * Math.sin((n / 6) * Math.PI),
          z + 0.01 + 0.09 * Math.cos((n / 6) * Math.PI),
        ];
        rope.bar(at(i), at(i + 1), 0.012, 6);
      }
    }
  }
  for (const y of [3.1, 3.5]) iron.bar([-w + 0.07, y, 0.25], [-w + 0.07, y, QUAY + 0.1], 0.02, 8);
  for (let z = 0.45; z < QUAY; z += 0.28) iron.bar([-w + 0.07, 3.1, z], [-w + 0.07, 3.5, z], 0.014, 8);
  for (const [x, y] of [
    [-4.1, 2],
    [4.2, 6],
    [-4.1, 12],
    [4.2, 15],
  ]) {
    iron.lathe(
      [x, y, QUAY + 0.05],
      [
        [0.24, 0],
        [0.2, 0.08],
        [0.15, 0.3],
        [0.2, 0.46],
        [0.21, 0.52],
        [0.12, 0.57],
        [0, 0.58],
      ],
      32,
    );
  }
  iron.box([-0.9, 19.6, QUAY], [0.2, 20.1, QUAY + 0.5]);
  iron.bar([-1.0, 19.85, QUAY + 0.55], [0.3, 19.85, QUAY + 0.55], 0.16, 20);
  const textures: Texture[] = [];
  const put = (t: Texture) => textures.push(t) - 1;
  const [stone, render, slates, leaf, tar] = [
    put(masonry()),
    put(limewash()),
    put(slate()),
    put(boards([0.16, 0.06, 0.045])),
    put(tarredIron()),
  ];
  const white: [number, number, number, number] = [1, 1, 1, 1];
  const matte = { roughness: 0.95, index: 1.33 };
  const materials = [];
  materials[M.Ramp] = plainMaterial();
  materials[M.Wall] = plainMaterial({ name: "wall", baseColor: [0.9, 0.9, 0.88, 1], baseTexture: stone, ...matte });
  materials[M.Coping] = plainMaterial({ name: "coping", baseColor: [1.1, 1.08, 1, 1], baseTexture: stone, ...matte });
  materials[M.Water] = plainMaterial({
    name: "water",
    baseColor: [0.02, 0.032, 0.03, 1],
    roughness: 0.15,
    index: 1.33,
  });
  materials[M.Lime] = plainMaterial({ name: "limewash", baseColor: white, baseTexture: render, ...matte });
  materials[M.Slate] = plainMaterial({ name: "slate", baseColor: white, baseTexture: slates, roughness: 0.6 });
  materials[M.Door] = plainMaterial({ name: "doors", baseColor: white, baseTexture: leaf, roughness: 0.6 });
  materials[M.Iron] = plainMaterial({ name: "iron", baseColor: white, baseTexture: tar, roughness: 0.6 });
  materials[M.Quay] = plainMaterial({ name: "quay", baseColor: [0.3, 0.29, 0.265, 1], ...matte });
  materials[M.Rope] = plainMaterial({ name: "rings", baseColor: [0.1, 0.06, 0.04, 1], roughness: 0.7 });
  const water = new Builder().quad([-60, -90, -1.05], [120, 0, 0], [0, 81.5, 0], 9);
  return {
    meshes: [
      wall.build(M.Wall),
      coping.build(M.Coping),
      quay.build(M.Quay),
      lime.build(M.Lime),
      roof.build(M.Slate),
      door.build(M.Door),
      iron.build(M.Iron),
      rope.build(M.Rope),
      water.build(M.Water),
    ],
    materials,
    textures,
  };
}

/** Radiance of the sky overhead. */
export const ZENITH: Vec3 = [1.0, 1.05, 1.12];

/** Overcast sky (CIE S 011, the overcast standard: L = Lz (1 + 2 sin γ) / 3) with soft clouds, and the far water below. */
export function overcast(): Picture {
  const [width, height] = [512, 256];
  const pixels = new Float32Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    const polar = ((y + 0.5) / height) * Math.PI;
    for (let x = 0; x < width; x++) {
      const turn = ((x + 0.5) / width - 0.5) * 2 * Math.PI;
      const d: Vec3 = [Math.sin(polar) * Math.sin(turn), Math.sin(polar) * Math.cos(turn), Math.cos(polar)];
      const up = d[0] * UP[0] + d[1] * UP[1] + d[2] * UP[2];
      const cloud = 1 + 0.22 * (fractal((x + 0.5) / width, (y + 0.5) / height, 6, 5, 611) - 0.5);
      for (let k = 0; k < 3; k++) {
        pixels[(y * width + x) * 3 + k] = up > 0 ? ((ZENITH[k] * (1 + 2 * up)) / 3) * cloud : 0.07;
      }
    }
  }
  return { width, height, pixels };
}

export const slipway = (): Place => ({
  name: "slipway",
  frame,
  camera,
  light: { sun: null, sky: [0, 0, 0], environment: overcast(), backdrop: null },
  pieces: [
    { model: rampModel(), placement: standing() },
    { model: levelModel(), placement: level },
  ],
  exif: {
    taken: "2026:06:19 07:20:02",
    focal: "270/10",
    equivalent: "27",
    stop: "56/10",
    exposure: "1/200",
    speed: "200",
  },
});
