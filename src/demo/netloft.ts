import type { Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { rotationFromAngles } from "#core/optics/camera";
import type { Model, Texture } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import type { Placement } from "#core/props/transform";
import { standing } from "#core/props/transform";
import type { Lamp } from "#core/trace/scene";
import { fractal, hash2, smoothstep } from "./noise.ts";
import type { Place } from "./photograph.ts";
import { Builder } from "./shapes.ts";
import { boards, paint } from "./textures.ts";

/** The net loft: a timber room above the quay. World origin: its south-west corner on the floor; +Y leads to the gable. */

const frame = { width: 1200, height: 800 };

export const camera: Camera = {
  focalPx: 930,
  principal: [600, 400],
  distortion: { k1: -0.024, k2: 0, k3: 0, p1: 0, p2: 0 },
  rotation: rotationFromAngles({ heading: toRadians(-13), tilt: toRadians(-12.5), roll: toRadians(-0.4) }),
  position: [3.35, 1.15, 1.62],
};

export const room = { width: 5.2, depth: 6.4, eaves: 2.35, ridge: 3.9 };
export const bench = { x0: 1.35, x1: 3.55, y0: 3.0, y1: 3.85, top: 0.78, thick: 0.055 };

const west = [
  { y0: 1.9, y1: 3.0, z0: 1.0, z1: 2.05 },
  { y0: 4.1, y1: 5.2, z0: 1.0, z1: 2.05 },
];
const gable = { x0: 2.05, x1: 3.2, z0: 1.15, z1: 2.2 };
const PANE: Vec3 = [20, 22.2, 24.4];

/** Radiance of a window as a whole: its glazing bars keep back a share of the light. */
const windowRadiance = (width: number, height: number): Vec3 => {
  const open = (1 - 0.036 / width) * (1 - 0.03 / height);
  return [PANE[0] * open, PANE[1] * open, PANE[2] * open];
};

/** Daylight in the windows, as the lamps that it is. */
export const lamps: Lamp[] = [
  ...west.map((w, i) => ({
    name: `west window ${i + 1}`,
    kind: "rectangle" as const,
    position: [0.012, (w.y0 + w.y1) / 2, (w.z0 + w.z1) / 2] as Vec3,
    facing: [1, 0, 0] as Vec3,
    across: [0, 1, 0] as Vec3,
    size: [w.y1 - w.y0, w.z1 - w.z0] as [number, number],
    radiance: windowRadiance(w.y1 - w.y0, w.z1 - w.z0),
  })),
  {
    name: "gable window",
    kind: "rectangle",
    position: [(gable.x0 + gable.x1) / 2, room.depth - 0.012, (gable.z0 + gable.z1) / 2],
    facing: [0, -1, 0],
    across: [1, 0, 0],
    size: [gable.x1 - gable.x0, gable.z1 - gable.z0],
    radiance: windowRadiance(gable.x1 - gable.x0, gable.z1 - gable.z0),
  },
];

export const kettlePlace: Placement = { ...standing([1.98, 3.36, bench.top]), turn: toRadians(-155) };
export const floatPlace: Placement = { ...standing([2.72, 3.4, bench.top]), turn: toRadians(20) };

/** Mean reflectances of the boards, as a grey-card reading would give them. */
export const FLOOR_ALBEDO: Vec3 = [0.235, 0.178, 0.12];
export const WALL_ALBEDO: Vec3 = [0.29, 0.235, 0.17];
export const BENCH_ALBEDO: Vec3 = [0.33, 0.25, 0.165];

/** Straight things along an axis, from - to +, as a user would mark them. */
export const straightEdges: { id: string; axis: "x" | "y" | "z"; from: Vec3; to: Vec3 }[] = [
  { id: "bench front", axis: "x", from: [bench.x0, bench.y0, bench.top], to: [bench.x1, bench.y0, bench.top] },
  { id: "bench back", axis: "x", from: [bench.x0, bench.y1, bench.top], to: [bench.x1, bench.y1, bench.top] },
  {
    id: "gable sill",
    axis: "x",
    from: [gable.x0 - 0.1, 6.3, gable.z0 - 0.06],
    to: [gable.x1 + 0.1, 6.3, gable.z0 - 0.06],
  },
  { id: "bench end", axis: "y", from: [bench.x0, bench.y0, bench.top], to: [bench.x0, bench.y1, bench.top] },
  { id: "bench right end", axis: "y", from: [bench.x1, bench.y0, bench.top], to: [bench.x1, bench.y1, bench.top] },
  { id: "west sill", axis: "y", from: [0.1, 4.0, 0.94], to: [0.1, 5.3, 0.94] },
  { id: "gable jamb", axis: "z", from: [gable.x0, 6.34, gable.z0], to: [gable.x0, 6.34, gable.z1] },
  { id: "window jamb", axis: "z", from: [0.06, 4.1, 1.0], to: [0.06, 4.1, 2.05] },
  {
    id: "bench leg",
    axis: "z",
    from: [bench.x1 - 0.05, bench.y0 + 0.05, 0.02],
    to: [bench.x1 - 0.05, bench.y0 + 0.05, 0.7],
  },
];

enum M {
  Floor,
  Wall,
  Beam,
  Bench,
  Frame,
  Pane,
  Rope,
  Cork,
  Barrel,
  Paper,
}

/** Worn floor boards along v, 1.6 m of them across the texture. */
const floorBoards = (): Texture =>
  paint(1024, (u, v) => {
    const n = 9;
    const i = Math.floor(u * n);
    const fu = u * n - i;
    const end = Math.abs(((v + hash2(i, 4, 401)) % 1) - 0.5) < 0.0022 ? 0.3 : 1;
    const joint = smoothstep(0, 0.035, Math.min(fu, 1 - fu)) * end;
    const grain = 0.72 + 0.56 * fractal(u, v * 0.12, 160, 3, 402);
    const knot = smoothstep(0.74, 0.8, fractal(u, v, 22, 3, 403));
    const wear = smoothstep(0.4, 0.75, fractal(u, v, 4, 4, 404));
    const tone = (0.8 + 0.4 * hash2(i, 2, 405)) * grain * (1 - 0.45 * knot);
    const c: Vec3 = [0.26 + 0.05 * wear, 0.19 + 0.055 * wear, 0.12 + 0.05 * wear];
    return [c[0] * tone * joint + 0.012, c[1] * tone * joint + 0.01, c[2] * tone * joint + 0.008];
  });

const benchTop = (): Texture =>
  paint(1024, (u, v) => {
    const n = 4;
    const i = Math.floor(v * n);
    const fv = v * n - i;
    const joint = smoothstep(0, 0.02, Math.min(fv, 1 - fv));
    const grain = 0.74 + 0.52 * fractal(u * 0.1, v, 170, 3, 411);
    const stain = smoothstep(0.52, 0.72, fractal(u, v, 6, 5, 412));
    const cut = fractal(u, v * 3, 90, 2, 413) > 0.83 ? 0.7 : 1;
    const tone = (0.85 + 0.3 * hash2(i, 7, 414)) * grain * cut * (1 - 0.42 * stain);
    return [0.39 * tone * joint + 0.01, 0.295 * tone * joint + 0.008, 0.195 * tone * joint + 0.006];
  });

function coil(b: Builder, centre: Vec3, radius: number, turns: number, thick: number): void {
  const steps = 40 * turns;
  for (let i = 0; i < steps; i++) {
    const at = (n: number): Vec3 => {
      const a = (n / 40) * 2 * Math.PI;
      const turn = n / 40;
      const r = radius * (1 - 0.08 * (turn % 3));
      return [
        centre[0] + r * Math.cos(a),
        centre[1] + r * Math.sin(a),
        centre[2] + thick + Math.floor(turn / 3) * thick * 1.7,
      ];
    };
    b.bar(at(i), at(i + 1), thick, 9);
  }
}

/** The loft as one model, in world metres. */
export function netloftModel(): Model {
  const { width: w, depth: d, eaves: e, ridge: r } = room;
  const floor = new Builder().quad([0, 0, 0], [w, 0, 0], [0, d, 0], 1.6);
  const wall = new Builder();
  const beam = new Builder();
  const frames = new Builder();
  const pane = new Builder();
  const table = new Builder();
  const rope = new Builder();
  const cork = new Builder();
  const barrel = new Builder();
  const paper = new Builder();
  // West wall around its windows; each window lies in a reveal.
  const reveal = 0.04;
  let y = 0;
  for (const v of west) {
    wall.quad([reveal, y, 0], [0, v.y0 - y, 0], [0, 0, e], 1.25, [y / 1.25, 0]);
    wall.quad([reveal, v.y0, 0], [0, v.y1 - v.y0, 0], [0, 0, v.z0], 1.25, [v.y0 / 1.25, 0]);
    wall.quad([reveal, v.y0, v.z1], [0, v.y1 - v.y0, 0], [0, 0, e - v.z1], 1.25, [v.y0 / 1.25, v.z1 / 1.25]);
    y = v.y1;
    pane.quad([0.012, v.y0, v.z0], [0, v.y1 - v.y0, 0], [0, 0, v.z1 - v.z0]);
    frames.box([0, v.y0 - 0.07, v.z0 - 0.06], [reveal + 0.03, v.y1 + 0.07, v.z0]);
    frames.box([0, v.y0 - 0.07, v.z1], [reveal + 0.005, v.y1 + 0.07, v.z1 + 0.07]);
    for (const at of [v.y0 - 0.07, v.y1]) frames.box([0, at, v.z0], [reveal + 0.005, at + 0.07, v.z1]);
    frames.box([0.015, (v.y0 + v.y1) / 2 - 0.018, v.z0], [0.03, (v.y0 + v.y1) / 2 + 0.018, v.z1]);
    frames.box([0.015, v.y0, (v.z0 + v.z1) / 2 - 0.015], [0.03, v.y1, (v.z0 + v.z1) / 2 + 0.015]);
  }
  wall.quad([reveal, y, 0], [0, d - y, 0], [0, 0, e], 1.25, [y / 1.25, 0]);
  // East and south walls, the gable with its window.
  wall.quad([w, d, 0], [0, -d, 0], [0, 0, e], 1.25);
  wall.quad([w, 0, 0], [-w, 0, 0], [0, 0, e], 1.25);
  wall.triangle([w, 0, e], [0, 0, e], [w / 2, 0, r], 1.25);
  const g = d - reveal;
  wall.quad([0, g, 0], [gable.x0, 0, 0], [0, 0, e], 1.25);
  wall.quad([gable.x1, g, 0], [w - gable.x1, 0, 0], [0, 0, e], 1.25, [gable.x1 / 1.25, 0]);
  wall.quad([gable.x0, g, 0], [gable.x1 - gable.x0, 0, 0], [0, 0, gable.z0], 1.25, [gable.x0 / 1.25, 0]);
  wall.quad([gable.x0, g, gable.z1], [gable.x1 - gable.x0, 0, 0], [0, 0, e - gable.z1], 1.25, [
    gable.x0 / 1.25,
    gable.z1 / 1.25,
  ]);
  wall.triangle([0, g, e], [w, g, e], [w / 2, g, r], 1.25);
  pane.quad([gable.x0, d - 0.012, gable.z0], [gable.x1 - gable.x0, 0, 0], [0, 0, gable.z1 - gable.z0]);
  frames.box([gable.x0 - 0.1, g - 0.04, gable.z0 - 0.06], [gable.x1 + 0.1, d, gable.z0]);
  frames.box([gable.x0 - 0.07, g - 0.005, gable.z1], [gable.x1 + 0.07, d, gable.z1 + 0.07]);
  for (const at of [gable.x0 - 0.07, gable.x1]) frames.box([at, g - 0.005, gable.z0], [at + 0.07, d, gable.z1]);
  frames.box(
    [(gable.x0 + gable.x1) / 2 - 0.018, d - 0.03, gable.z0],
    [(gable.x0 + gable.x1) / 2 + 0.018, d - 0.015, gable.z1],
  );
  frames.box([gable.x0, d - 0.03, 1.66], [gable.x1, d - 0.015, 1.69]);
  // Roof boards between rafters, tie beams.
  wall.quad([0, 0, e], [w / 2, 0, r - e], [0, d, 0], 1.25);
  wall.quad([w, d, e], [-w / 2, 0, r - e], [0, -d, 0], 1.25);
  for (let k = 0; k < 7; k++) {
    const at = 0.15 + (k * (d - 0.4)) / 6;
    beam.box([0, at, e - 0.02], [w, at + 0.11, e + 0.13], 1.6);
    for (const s of [0, 1]) {
      const foot: Vec3 = [s ? w : 0, at, e];
      const step: Vec3 = [s ? -w / 2 : w / 2, 0, r - e];
      beam.quad([foot[0], foot[1], foot[2] - 0.12], step, [0, 0, 0.12], 1.6);
      beam.quad([foot[0], foot[1] + 0.09, foot[2] - 0.12], step, [0, 0, 0.12], 1.6);
      beam.quad([foot[0], foot[1], foot[2] - 0.12], s ? step : [0, 0.09, 0], s ? [0, 0.09, 0] : step, 1.6);
    }
  }
  // The bench.
  const { x0, x1, y0, y1, top, thick } = bench;
  table.quad([x0, y0, top], [x1 - x0, 0, 0], [0, y1 - y0, 0], y1 - y0);
  table.quad([x0, y0, top - thick], [x1 - x0, 0, 0], [0, 0, thick], 0.85);
  table.quad([x1, y0, top - thick], [0, y1 - y0, 0], [0, 0, thick], 0.85);
  table.quad([x0, y1, top - thick], [0, y0 - y1, 0], [0, 0, thick], 0.85);
  table.quad([x1, y1, top - thick], [x0 - x1, 0, 0], [0, 0, thick], 0.85);
  table.quad([x0, y1, top - thick], [x1 - x0, 0, 0], [0, y0 - y1, 0], 0.85);
  for (const x of [x0 + 0.05, x1 - 0.14])
    for (const yy of [y0 + 0.05, y1 - 0.14]) beam.box([x, yy, 0], [x + 0.09, yy + 0.09, top - thick], 0.8);
  beam.box([x0 + 0.1, y1 - 0.12, 0.2], [x1 - 0.1, y1 - 0.07, 0.3], 1.6);
  beam.box([x0 + 0.08, y0 + 0.07, top - thick - 0.11], [x1 - 0.08, y0 + 0.1, top - thick], 1.6);
  // What a loft is full of.
  coil(rope, [0.9, 4.6, 0], 0.3, 8, 0.017);
  coil(rope, [4.35, 4.2, 0], 0.34, 11, 0.02);
  for (let k = 0; k < 9; k++) {
    const x = 3.75 + k * 0.14;
    rope.bar([x, 6.24, 2.1], [x + 0.05, 6.25, 0.55 + 0.1 * hash2(k, 1, 421)], 0.012, 8);
    rope.bar([x + 0.05, 6.2, 2.1], [x - 0.03, 6.2, 0.7 + 0.15 * hash2(k, 2, 421)], 0.01, 8);
  }
  frames.box([3.6, 6.12, 2.08], [5.05, 6.3, 2.14]);
  for (let k = 0; k < 7; k++) {
    const at: Vec3 = [0.35 + 0.16 * (k % 4), 5.75 - 0.17 * Math.floor(k / 4), 0.09 + 0.0 * k];
    cork.lathe(
      [at[0], at[1], 0],
      [
        [0, 0],
        [0.075, 0.01],
        [0.085, 0.05],
        [0.085, 0.12],
        [0.07, 0.16],
        [0, 0.17],
      ],
      24,
    );
  }
  barrel.lathe(
    [4.6, 5.3, 0],
    [
      [0, 0],
      [0.24, 0],
      [0.27, 0.15],
      [0.29, 0.38],
      [0.27, 0.62],
      [0.24, 0.77],
      [0.225, 0.77],
      [0.225, 0.74],
      [0, 0.74],
    ],
    40,
  );
  for (const z of [0.1, 0.28, 0.5, 0.66])
    frames.lathe(
      [4.6, 5.3, z],
      [
        [0.284 - Math.abs(z - 0.38) * 0.1, 0],
        [0.294 - Math.abs(z - 0.38) * 0.1, 0.004],
        [0.294 - Math.abs(z - 0.38) * 0.1, 0.034],
        [0.284 - Math.abs(z - 0.38) * 0.1, 0.038],
      ],
      40,
    );
  paper.box([3.05, 3.45, top], [3.33, 3.66, top + 0.012]);
  paper.box([3.08, 3.47, top + 0.012], [3.34, 3.67, top + 0.03]);
  const textures: Texture[] = [];
  const put = (t: Texture) => textures.push(t) - 1;
  const [floorAt, wallAt, benchAt, barrelAt] = [
    put(floorBoards()),
    put(boards([0.31, 0.255, 0.185])),
    put(benchTop()),
    put(boards([0.2, 0.13, 0.075])),
  ];
  const white: [number, number, number, number] = [1, 1, 1, 1];
  const materials = [];
  materials[M.Floor] = plainMaterial({ name: "floor", baseColor: white, baseTexture: floorAt, roughness: 0.55 });
  materials[M.Wall] = plainMaterial({
    name: "wall",
    baseColor: white,
    baseTexture: wallAt,
    roughness: 0.85,
    index: 1.4,
  });
  materials[M.Beam] = plainMaterial({
    name: "beams",
    baseColor: [0.7, 0.66, 0.6, 1],
    baseTexture: wallAt,
    roughness: 0.8,
    index: 1.4,
  });
  materials[M.Bench] = plainMaterial({
    name: "bench",
    baseColor: white,
    baseTexture: benchAt,
    roughness: 0.6,
    index: 1.4,
  });
  materials[M.Frame] = plainMaterial({ name: "frames", baseColor: [0.42, 0.4, 0.35, 1], roughness: 0.5 });
  materials[M.Pane] = plainMaterial({ name: "panes", baseColor: [0, 0, 0, 1], emissive: PANE, specular: 0 });
  materials[M.Rope] = plainMaterial({ name: "rope", baseColor: [0.33, 0.25, 0.15, 1], roughness: 0.9, index: 1.3 });
  materials[M.Cork] = plainMaterial({ name: "cork", baseColor: [0.26, 0.14, 0.075, 1], roughness: 0.9, index: 1.3 });
  materials[M.Barrel] = plainMaterial({ name: "barrel", baseColor: white, baseTexture: barrelAt, roughness: 0.6 });
  materials[M.Paper] = plainMaterial({ name: "log books", baseColor: [0.16, 0.2, 0.22, 1], roughness: 0.6 });
  const meshes = [
    floor.build(M.Floor),
    wall.build(M.Wall),
    beam.build(M.Beam),
    table.build(M.Bench),
    frames.build(M.Frame),
    pane.build(M.Pane),
    rope.build(M.Rope),
    cork.build(M.Cork),
    barrel.build(M.Barrel),
    paper.build(M.Paper),
  ];
  return { meshes, materials, textures };
}

export const netloft = (): Place => ({
  name: "netloft",
  frame,
  camera,
  light: { sun: null, sky: [0, 0, 0], backdrop: null },
  pieces: [{ model: netloftModel(), placement: standing() }],
  exif: {
    taken: "2026:06:18 15:05:40",
    focal: "275/10",
    equivalent: "28",
    stop: "40/10",
    exposure: "1/60",
    speed: "800",
  },
});
