import type { Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { rotationFromAngles } from "#core/optics/camera";
import type { Mesh, Model, Texture } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import type { Placement } from "#core/props/transform";
import { standing } from "#core/props/transform";
import type { Picture } from "#core/trace/scene";
import type { Region } from "#core/trace/tiles";
import type { Place } from "./photograph.ts";
import { SUN_ANGULAR_RADIUS } from "#core/trace/scene";
import { directionFromAngles } from "#core/light/sun";
import { fractal, randomFrom, smoothstep } from "./noise.ts";
import { Builder } from "./shapes.ts";
import { boards, limewash, masonry, paving, ripples, slate, tarredIron } from "./textures.ts";

/** The quay of a made-up port town. World origin: the ice house's near corner on the paving; +Y leads up the quay. */

export const frame: Frame = { width: 1620, height: 1080 };

export const camera: Camera = {
  focalPx: 1236,
  principal: [frame.width / 2, frame.height / 2],
  distortion: { k1: -0.032, k2: 0, k3: 0, p1: 0, p2: 0 },
  rotation: rotationFromAngles({ heading: toRadians(9.5), tilt: toRadians(-5.2), roll: toRadians(0.7) }),
  position: [-4.6, -10.9, 1.62],
};

export const sun = {
  direction: directionFromAngles(toRadians(121), toRadians(37)),
  irradiance: [3.15, 2.95, 2.55] as Vec3,
  angularRadius: SUN_ANGULAR_RADIUS,
};

/** Radiance of the sky. */
export const sky: Vec3 = [0.235, 0.285, 0.365];

/** Height of the quay above the water. */
const QUAY_HEIGHT = 1.9;
const QUAY_EDGE = -8.2;

export const iceHouse = {
  width: 6.4,
  depth: 8.6,
  eaves: 3.3,
  ridge: 5.5,
  door: { left: 2.3, right: 3.55, height: 2.12 },
};

export const bollards: Vec3[] = [
  [-7.3, -4.4, 0],
  [-7.3, 3.6, 0],
  [-7.3, 11.6, 0],
  [-7.3, 19.6, 0],
];

/** The railing guards the basin stairs on the right; its near end post is a little taller. */
export const railing = {
  x: -0.74,
  from: -6.3,
  to: -1.9,
  height: 1.06,
  posts: [-6.3, -5.2, -4.1, -3.0, -1.9],
};

/** Foot and top of the near end post of the railing, and where the shadow of its top falls. */
export function sightingTruth(): { foot: Vec3; top: Vec3; tip: Vec3 } {
  const foot: Vec3 = [railing.x, railing.from, 0];
  const height = 1.36;
  const [dx, dy, dz] = sun.direction;
  return {
    foot,
    top: [foot[0], foot[1], height],
    tip: [foot[0] - (dx / dz) * height, foot[1] - (dy / dz) * height, 0],
  };
}

/** Where the buoy stands in the picture with the prop. */
export const buoyPlace = { position: [-3.55, -4.1, 0] as Vec3, turn: toRadians(25) };

export const buoyPlacement: Placement = { ...standing(buoyPlace.position), turn: buoyPlace.turn };

/** Half in the ice house's shadow: on the border that the house's near corner throws along the paving. */
export const shadePlacement: Placement = { ...standing([-1.75, 1.05, 0]), turn: toRadians(10) };
export const SHADE_REGION: Region = { x0: 540, y0: 330, x1: 960, y1: 680 };

/** Straight things of the scene that run along an axis, from - to +, as a user would mark them. */
export const straightEdges: { id: string; axis: "x" | "y" | "z"; from: Vec3; to: Vec3 }[] = [
  { id: "near joint", axis: "x", from: [-6.0, pavingJoint(57), 0], to: [-1.4, pavingJoint(57), 0] },
  { id: "middle joint", axis: "x", from: [-7.0, pavingJoint(63), 0], to: [-1.5, pavingJoint(63), 0] },
  { id: "lintel", axis: "x", from: [2.1, -0.045, 2.38], to: [3.75, -0.045, 2.38] },
  { id: "plinth front", axis: "x", from: [0.02, 0, 0.55], to: [2.05, 0, 0.55] },
  { id: "quay edge", axis: "y", from: [-7.65, -3, 0.015], to: [-7.65, 15, 0.015] },
  { id: "eaves", axis: "y", from: [-0.28, -0.28, 3.1075], to: [-0.28, 8.88, 3.1075] },
  { id: "plinth side", axis: "y", from: [0, 0.05, 0.55], to: [0, 8.5, 0.55] },
  { id: "rail", axis: "y", from: [-0.74, -5.8, 1.086], to: [-0.74, -2.0, 1.086] },
  { id: "house corner", axis: "z", from: [0, 0, 0.6], to: [0, 0, 3.05] },
  { id: "door jamb", axis: "z", from: [2.3, -0.045, 0], to: [2.3, -0.045, 2.12] },
  { id: "chapel corner", axis: "z", from: [-6.6, 24, 0.1], to: [-6.6, 24, 5.2] },
  { id: "second post", axis: "z", from: [-0.775, -5.235, 0.05], to: [-0.775, -5.235, 1.05] },
];

/** World y of the paving's joint number `k` that runs across the quay. */
function pavingJoint(k: number): number {
  return -40 + 6 * (k / 10 - 0.13);
}

/** Known length: the door's opening, from the paving up its left jamb. */
export const doorHeight = { from: [2.3, -0.045, 0] as Vec3, to: [2.3, -0.045, 2.12] as Vec3, metres: 2.12 };

/** Ground as a user draws it, in plate pixels: the open quay up to the house, stopping short of the water. */
export const groundPixels: [number, number][] = [
  [12, 1070],
  [1610, 1070],
  [1610, 606],
  [1420, 588],
  [1102, 597],
  [892, 528],
  [452, 522],
  [300, 592],
  [12, 742],
];

/** Paving in the sun and in the house's shadow. */
export const probes = { lit: [-4.6, -1.6, 0] as Vec3, shaded: [-1.5, 2.0, 0] as Vec3 };

enum M {
  Paving,
  Water,
  Lime,
  Masonry,
  Slate,
  Door,
  Trim,
  Glass,
  Iron,
  Rail,
  Coping,
  Hill,
  Timber,
  RedHouse,
  Window,
}

function iceHouseMeshes(): Mesh[] {
  const { width: w, depth: d, eaves: e, ridge: r, door } = iceHouse;
  const lime = new Builder();
  const stone = new Builder();
  const roof = new Builder();
  const trim = new Builder();
  const glass = new Builder();
  const doorLeaf = new Builder();
  const plinth = 0.55;
  const size = 4;
  // South gable, with the doorway left open and its reveal.
  const { left, right, height } = door;
  lime.quad([0, 0, plinth], [left, 0, 0], [0, 0, e - plinth], size);
  lime.quad([right, 0, plinth], [w - right, 0, 0], [0, 0, e - plinth], size, [right / size, 0]);
  lime.quad([left, 0, height], [right - left, 0, 0], [0, 0, e - height], size, [left / size, height / size]);
  lime.triangle([0, 0, e], [w, 0, e], [w / 2, 0, r], size);
  lime.quad([0, d, plinth], [0, -d, 0], [0, 0, e - plinth], size, [0.3, 0.1]);
  lime.quad([w, 0, plinth], [0, d, 0], [0, 0, e - plinth], size);
  lime.quad([w, d, plinth], [-w, 0, 0], [0, 0, e - plinth], size);
  lime.triangle([w, d, e], [0, d, e], [w / 2, d, r], size);
  stone.box([0, 0, 0], [left, 0.1, plinth], 2);
  stone.box([right, 0, 0], [w, 0.1, plinth], 2);
  stone.box([0, 0, 0], [0.1, d, plinth], 2);
  // Door: stone surround, boarded leaf set back.
  const reveal = 0.22;
  trim.box([left - 0.2, -0.045, 0], [left, 0.05, height], 1.3);
  trim.box([right, -0.045, 0], [right + 0.2, 0.05, height], 1.3);
  trim.box([left - 0.2, -0.045, height], [right + 0.2, 0.05, height + 0.26], 1.3);
  trim.box([left, 0, 0], [right, reveal + 0.1, 0.04], 1.3);
  lime.quad([left, 0, 0], [0, reveal, 0], [0, 0, height], size);
  lime.quad([right, reveal, 0], [0, -reveal, 0], [0, 0, height], size);
  lime.quad([left, 0, height], [right - left, 0, 0], [0, reveal, 0], size);
  doorLeaf.quad([left, reveal, 0.04], [right - left, 0, 0], [0, 0, height - 0.04], 1.25);
  const iron = new Builder();
  for (const z of [0.4, 1.7]) iron.box([left + 0.04, reveal - 0.02, z], [right - 0.2, reveal, z + 0.06]);
  iron.box([right - 0.2, reveal - 0.05, 1.02], [right - 0.12, reveal, 1.12]);
  // Hatch in the gable, under a hoisting beam.
  trim.box([w / 2 - 0.5, -0.04, 3.35], [w / 2 + 0.5, 0.03, 3.43], 1.3);
  trim.box([w / 2 - 0.5, -0.04, 4.35], [w / 2 + 0.5, 0.03, 4.47], 1.3);
  trim.box([w / 2 - 0.5, -0.04, 3.43], [w / 2 - 0.4, 0.03, 4.35], 1.3);
  trim.box([w / 2 + 0.4, -0.04, 3.43], [w / 2 + 0.5, 0.03, 4.35], 1.3);
  doorLeaf.quad([w / 2 - 0.4, -0.01, 3.43], [0.8, 0, 0], [0, 0, 0.92], 1.25);
  const timber = new Builder();
  timber.box([w / 2 - 0.08, -0.75, 4.62], [w / 2 + 0.08, 0, 4.8]);
  // Windows of the west side.
  for (const y of [1.7, 5.4]) {
    const [y1, low, high] = [y + 1.15, 1.15, 2.35];
    trim.box([-0.05, y - 0.14, low - 0.12], [0.02, y1 + 0.14, low], 1.3);
    trim.box([-0.03, y - 0.12, high], [0.02, y1 + 0.12, high + 0.18], 1.3);
    glass.quad([-0.008, y1, low], [0, -(y1 - y), 0], [0, 0, high - low]);
    for (const yy of [y, y + (y1 - y) / 2 - 0.03, y1 - 0.06]) timberFrame(iron, [-0.03, yy, low], [0, yy + 0.06, high]);
    for (const z of [low, low + 0.58, high - 0.06]) timberFrame(iron, [-0.03, y, z], [0, y1, z + 0.06]);
  }
  // Right of the door a small window.
  glass.quad([4.6, -0.008, 1.25], [0.9, 0, 0], [0, 0, 1]);
  trim.box([4.46, -0.05, 1.13], [5.64, 0.02, 1.25], 1.3);
  trim.box([4.48, -0.03, 2.25], [5.62, 0.02, 2.42], 1.3);
  for (const x of [4.6, 5.02, 5.44]) timberFrame(iron, [x, -0.03, 1.25], [x + 0.06, 0, 2.25]);
  for (const z of [1.25, 1.72, 2.19]) timberFrame(iron, [4.6, -0.03, z], [5.5, 0, z + 0.06]);
  // Roof with an overhang, its underside closed.
  const o = 0.28;
  const slope = (r - e) / (w / 2);
  const low = e - o * slope;
  roof.quad([-o, d + o, low], [0, -d - 2 * o, 0], [w / 2 + o, 0, r - low], 2.4);
  roof.quad([w + o, -o, low], [0, d + 2 * o, 0], [-w / 2 - o, 0, r - low], 2.4);
  const t = 0.09;
  timber.quad([-o, -o, low - t], [0, d + 2 * o, 0], [w / 2 + o, 0, r - low], 1);
  timber.quad([w + o, d + o, low - t], [0, -d - 2 * o, 0], [-w / 2 - o, 0, r - low], 1);
  timber.quad([-o, d + o, low - t], [0, -d - 2 * o, 0], [0, 0, t], 1);
  for (const y of [-o]) {
    timber.quad([-o, y, low - t], [w / 2 + o, 0, r - low], [0, 0, t], 1);
    timber.quad([w / 2, y, r - t], [w / 2 + o, 0, low - r], [0, 0, t], 1);
  }
  return [
    lime.build(M.Lime),
    stone.build(M.Masonry),
    roof.build(M.Slate),
    trim.build(M.Coping),
    glass.build(M.Glass),
    doorLeaf.build(M.Door),
    iron.build(M.Trim),
    timber.build(M.Timber),
  ];
}

const timberFrame = (b: Builder, low: Vec3, high: Vec3) => b.box(low, high);

function chapelMeshes(): Mesh[] {
  const stone = new Builder();
  const roof = new Builder();
  const dark = new Builder();
  const trim = new Builder();
  const [x0, x1, y0, y1, e, r] = [-6.6, -0.2, 24, 38, 5.6, 9.4];
  const mid = (x0 + x1) / 2;
  stone.quad([x0, y0, 0], [x1 - x0, 0, 0], [0, 0, e], 2.6);
  stone.triangle([x0, y0, e], [x1, y0, e], [mid, y0, r], 2.6);
  stone.quad([x0, y1, 0], [0, y0 - y1, 0], [0, 0, e], 2.6);
  stone.quad([x1, y0, 0], [0, y1 - y0, 0], [0, 0, e], 2.6);
  roof.quad([x0 - 0.3, y1, e - 0.3], [0, y0 - y1 - 0.3, 0], [mid - x0 + 0.3, 0, r - e + 0.3], 2.4);
  roof.quad([x1 + 0.3, y0 - 0.3, e - 0.3], [0, y1 - y0, 0], [mid - x1 - 0.3, 0, r - e + 0.3], 2.4);
  // Verge stones, belfry with its opening, cross.
  const verge = 0.3;
  for (const [a, b] of [
    [x0 - 0.3, mid],
    [x1 + 0.3, mid],
  ]) {
    const lo: Vec3 = [a, y0 - 0.12, e - 0.35];
    trim.quad(lo, [b - a, 0, r - e + 0.35], [0, 0, verge], 1.3);
    trim.quad([a, y0 - 0.12, e - 0.35 + verge], [b - a, 0, r - e + 0.35], [0, 0.4, 0], 1.3);
  }
  stone.box([mid - 0.75, y0 - 0.1, r - 0.5], [mid - 0.4, y0 + 0.7, r + 1.5], 2.6);
  stone.box([mid + 0.4, y0 - 0.1, r - 0.5], [mid + 0.75, y0 + 0.7, r + 1.5], 2.6);
  stone.box([mid - 0.75, y0 - 0.1, r + 1.5], [mid + 0.75, y0 + 0.7, r + 1.85], 2.6);
  dark.lathe(
    [mid, y0 + 0.3, r + 0.55],
    [
      [0.34, 0],
      [0.27, 0.2],
      [0.2, 0.5],
      [0.06, 0.6],
    ],
    20,
  );
  trim.box([mid - 0.05, y0 + 0.2, r + 1.85], [mid + 0.05, y0 + 0.3, r + 2.75]);
  trim.box([mid - 0.28, y0 + 0.2, r + 2.3], [mid + 0.28, y0 + 0.3, r + 2.4]);
  // Pointed window and door, as dark panels in stone frames.
  const arch = (cx: number, foot: number, half: number, rise: number, straight: number, front: number) => {
    dark.quad([cx - half, front, foot], [2 * half, 0, 0], [0, 0, straight]);
    const n = 8;
    for (let i = 0; i < n; i++) {
      const s = (q: number) => half * Math.cos((q / n) * Math.PI * 0.5) ** 0.8;
      const z = (q: number) => foot + straight + rise * Math.sin((q / n) * Math.PI * 0.5);
      const [a, b] = [s(i), s(i + 1)];
      dark.triangle([cx - a, front, z(i)], [cx + a, front, z(i)], [cx + b, front, z(i + 1)]);
      dark.triangle([cx - a, front, z(i)], [cx + b, front, z(i + 1)], [cx - b, front, z(i + 1)]);
    }
    trim.box([cx - half - 0.2, front - 0.06, foot - 0.18], [cx + half + 0.2, front + 0.05, foot], 1.3);
    trim.box([cx - half - 0.16, front - 0.04, foot], [cx - half, front + 0.05, foot + straight], 1.3);
    trim.box([cx + half, front - 0.04, foot], [cx + half + 0.16, front + 0.05, foot + straight], 1.3);
  };
  arch(mid, 3.5, 0.75, 1.1, 1.5, y0 - 0.01);
  arch(mid, 0, 0.85, 1.0, 1.7, y0 - 0.01);
  return [stone.build(M.Masonry), roof.build(M.Slate), dark.build(M.Window), trim.build(M.Coping)];
}

function quayMeshes(): Mesh[] {
  const pave = new Builder();
  const coping = new Builder();
  const wall = new Builder();
  const iron = new Builder();
  const rail = new Builder();
  const timber = new Builder();
  pave.quad([QUAY_EDGE + 0.55, -40, 0], [60, 0, 0], [0, 110, 0], 6, [0.07, 0.13]);
  // Coping stones along the edge, each a little different in height.
  const random = randomFrom(7);
  for (let y = -40; y < 70; y += 1.6) {
    const lift = 0.012 + 0.01 * random();
    coping.box([QUAY_EDGE, y + 0.008, -0.5], [QUAY_EDGE + 0.55, y + 1.592, lift], 1.3);
  }
  wall.quad([QUAY_EDGE + 0.03, 70, -QUAY_HEIGHT - 1], [0, -110, 0], [0, 0, QUAY_HEIGHT + 0.6], 2.6);
  for (const foot of bollards) {
    iron.lathe(
      foot,
      [
        [0.27, 0],
        [0.27, 0.05],
        [0.2, 0.08],
        [0.165, 0.2],
        [0.15, 0.36],
        [0.16, 0.44],
        [0.215, 0.5],
        [0.235, 0.55],
        [0.215, 0.6],
        [0.13, 0.635],
        [0, 0.645],
      ],
      40,
    );
  }
  const { x, height, posts } = railing;
  posts.forEach((y, i) => {
    const tall = i === 0 ? 1.36 : height + 0.05;
    rail.box([x - 0.035, y - 0.035, 0], [x + 0.035, y + 0.035, tall]);
    rail.box([x - 0.07, y - 0.07, 0], [x + 0.07, y + 0.07, 0.03]);
  });
  for (const z of [height, 0.62, 0.2]) rail.bar([x, railing.from, z], [x, railing.to, z], z === height ? 0.026 : 0.017);
  // Landward: a low wall that ends the open quay, and crates by the ice house.
  wall.box([10, -30, 0], [10.5, 40, 1.25], 2.6);
  coping.box([9.94, -30, 1.25], [10.56, 40, 1.36], 1.3);
  const crate = (cx: number, cy: number, cz: number, turn: number) => {
    const [c, s] = [Math.cos(turn), Math.sin(turn)];
    const at = (u: number, v: number, z: number): Vec3 => [cx + c * u - s * v, cy + s * u + c * v, cz + z];
    const edge = (p: Vec3, q: Vec3): Vec3 => [q[0] - p[0], q[1] - p[1], q[2] - p[2]];
    for (const z of [0.01, 0.13, 0.25]) {
      for (const [u0, v0, u1, v1] of [
        [-0.4, -0.25, 0.4, -0.25],
        [0.4, -0.25, 0.4, 0.25],
        [0.4, 0.25, -0.4, 0.25],
        [-0.4, 0.25, -0.4, -0.25],
      ]) {
        const p = at(u0, v0, z);
        timber.quad(p, edge(p, at(u1, v1, z)), [0, 0, 0.095], 0.8);
        const q = at(u1 * 0.95, v1 * 0.93, z);
        timber.quad(q, edge(q, at(u0 * 0.95, v0 * 0.93, z)), [0, 0, 0.095], 0.8);
      }
    }
    const p = at(-0.4, -0.25, 0.02);
    timber.quad(p, edge(p, at(0.4, -0.25, 0.02)), edge(p, at(-0.4, 0.25, 0.02)), 0.8);
  };
  crate(-0.75, 3.2, 0, 0.1);
  crate(-0.72, 3.22, 0.355, 0.02);
  crate(-0.78, 4.2, 0, -0.06);
  return [
    pave.build(M.Paving),
    coping.build(M.Coping),
    wall.build(M.Masonry),
    iron.build(M.Iron),
    rail.build(M.Rail),
    timber.build(M.Timber),
  ];
}

function farShoreMeshes(): Mesh[] {
  const water = new Builder()
    .quad([-160, -60, -QUAY_HEIGHT], [160 + QUAY_EDGE + 0.2, 0, 0], [0, 320, 0], 9)
    .build(M.Water);
  const hill = new Builder();
  const houses = new Builder();
  const limes = new Builder();
  const roofs = new Builder();
  const windows = new Builder();
  hill.box([-260, 150, -4], [120, 152, 0.4], 20);
  const random = randomFrom(19);
  for (let i = 0; i < 15; i++) {
    const x = -128 + i * 8.4 + random() * 2;
    const y = 128 + random() * 12;
    const w = 5.5 + random() * 3;
    const h = 4.6 + random() * 3.2;
    const body = random() < 0.35 ? houses : limes;
    body.box([x, y, -1.2], [x + w, y + 6, h], 5);
    const r = h + 1.8 + random();
    roofs.quad([x - 0.3, y - 0.3, h], [w + 0.6, 0, 0], [0, 3.3, r - h], 2.4);
    roofs.quad([x + w + 0.3, y + 6.3, h], [-w - 0.6, 0, 0], [0, -3.3, r - h], 2.4);
    body.triangle([x, y + 6, h], [x, y, h], [x, y + 3, r]);
    body.triangle([x + w, y, h], [x + w, y + 6, h], [x + w, y + 3, r]);
    for (let k = 0; k < 3; k++)
      windows.quad([x + 0.8 + k * (w - 1.6) * 0.37, y - 0.02, h - 2], [0.8, 0, 0], [0, 0, 1.2]);
  }
  // The quay's far arm closes the basin.
  const stone = new Builder().box([-150, 120, -3], [QUAY_EDGE, 127, -0.2], 2.6);
  return [
    water,
    hill.build(M.Hill),
    houses.build(M.RedHouse),
    limes.build(M.Lime),
    roofs.build(M.Slate),
    windows.build(M.Window),
    stone.build(M.Masonry),
  ];
}

/** The town as one model, in world metres. */
export function quayModel(): Model {
  const textures: Texture[] = [];
  const put = (t: Texture) => textures.push(t) - 1;
  const stones = paving();
  const [pave, paveNormal] = [put(stones.colour), put(stones.normal)];
  const water = put(ripples());
  const lime = put(limewash());
  const stone = put(masonry());
  const slates = put(slate());
  const door = put(boards([0.055, 0.15, 0.16]));
  const iron = put(tarredIron());
  const timber = put(boards([0.25, 0.2, 0.14]));
  const matte = { index: 1.33, roughness: 0.95 };
  const materials = [];
  materials[M.Paving] = plainMaterial({
    name: "paving",
    baseColor: [1, 1, 1, 1],
    baseTexture: pave,
    normalTexture: paveNormal,
    normalScale: 0.6,
    roughness: 0.8,
    index: 1.42,
  });
  materials[M.Water] = plainMaterial({
    name: "water",
    baseColor: [0.012, 0.03, 0.032, 1],
    roughness: 0.08,
    index: 1.33,
    normalTexture: water,
    normalScale: 0.5,
    seesBackdrop: true,
  });
  materials[M.Lime] = plainMaterial({ name: "limewash", baseColor: [1, 1, 1, 1], baseTexture: lime, ...matte });
  materials[M.Masonry] = plainMaterial({ name: "masonry", baseColor: [1, 1, 1, 1], baseTexture: stone, ...matte });
  materials[M.Slate] = plainMaterial({ name: "slate", baseColor: [1, 1, 1, 1], baseTexture: slates, roughness: 0.6 });
  materials[M.Door] = plainMaterial({ name: "door", baseColor: [1, 1, 1, 1], baseTexture: door, roughness: 0.55 });
  materials[M.Trim] = plainMaterial({ name: "frames", baseColor: [0.05, 0.055, 0.05, 1], roughness: 0.5 });
  materials[M.Glass] = plainMaterial({
    name: "glass",
    baseColor: [0.012, 0.014, 0.015, 1],
    roughness: 0.05,
    seesBackdrop: true,
  });
  materials[M.Iron] = plainMaterial({ name: "bollards", baseColor: [1, 1, 1, 1], baseTexture: iron, roughness: 0.6 });
  materials[M.Rail] = plainMaterial({ name: "railing", baseColor: [0.5, 0.5, 0.48, 1], roughness: 0.5 });
  materials[M.Coping] = plainMaterial({ name: "coping", baseColor: [1.1, 1.08, 1.0, 1], baseTexture: stone, ...matte });
  materials[M.Hill] = plainMaterial({ name: "shore", baseColor: [0.07, 0.09, 0.06, 1], ...matte });
  materials[M.Timber] = plainMaterial({ name: "timber", baseColor: [1, 1, 1, 1], baseTexture: timber, ...matte });
  materials[M.RedHouse] = plainMaterial({ name: "red house", baseColor: [0.2, 0.1, 0.075, 1], ...matte });
  materials[M.Window] = plainMaterial({ name: "dark window", baseColor: [0.02, 0.022, 0.025, 1], roughness: 0.2 });
  const meshes = [...quayMeshes(), ...iceHouseMeshes(), ...chapelMeshes(), ...farShoreMeshes()];
  return { meshes, materials, textures };
}

/** What the camera sees behind everything: a clear sky with thin cloud and a line of hills; light comes from `sky`. */
export function backdrop(): Picture {
  const width = 2048;
  const height = 1024;
  const pixels = new Float32Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    const up = Math.cos(((y + 0.5) / height) * Math.PI);
    for (let x = 0; x < width; x++) {
      const u = (x + 0.5) / width;
      const ridge = 0.018 + 0.05 * fractal(u, 0.37, 24, 5, 201) * smoothstep(0.1, 0.5, fractal(u, 0.11, 6, 2, 202));
      const at = (y * width + x) * 3;
      let c: Vec3;
      if (up < ridge) {
        const haze = smoothstep(-0.02, ridge, up);
        c = [0.17 + 0.05 * haze, 0.21 + 0.06 * haze, 0.25 + 0.09 * haze];
      } else {
        const t = Math.pow(Math.max(0, Math.min(1, up)), 0.55);
        c = [0.56 - 0.42 * t, 0.63 - 0.36 * t, 0.68 - 0.22 * t];
        const height = Math.max(0.06, up);
        const cloud =
          smoothstep(0.52, 0.78, fractal(u, 0.06 / height, 10, 6, 203)) *
          smoothstep(0.03, 0.12, up) *
          (1 - smoothstep(0.5, 0.9, up));
        c = [
          c[0] + (0.82 - c[0]) * cloud * 0.75,
          c[1] + (0.82 - c[1]) * cloud * 0.75,
          c[2] + (0.83 - c[2]) * cloud * 0.75,
        ];
      }
      pixels.set([c[0] * 1.3, c[1] * 1.3, c[2] * 1.3], at);
    }
  }
  return { width, height, pixels };
}

export const quay = (): Place => ({
  name: "quay",
  frame,
  camera,
  light: { sun, sky, backdrop: backdrop() },
  pieces: [{ model: quayModel(), placement: standing() }],
  exif: {
    taken: "2026:06:18 09:42:10",
    focal: "275/10",
    equivalent: "27",
    stop: "8/1",
    exposure: "1/320",
    speed: "200",
  },
});
