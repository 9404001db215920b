import type { Mesh, Model } from "#core/props/model";
import { glbOf, modelOfGlb } from "./glb.ts";
import { Builder, hardEdges } from "./shapes.ts";
import { buoyPaint, galvanised } from "./textures.ts";

/** A channel buoy on its stand, 2.05 m high: painted steel with rust, an opaque white lantern. */

enum Part {
  Body,
  Stand,
  Lantern,
  Collar,
}

function buoyMeshes(): Mesh[] {
  const body = new Builder();
  const stand = new Builder();
  const lantern = new Builder();
  const collar = new Builder();
  const foot: [number, number, number] = [0, 0, 0.34];
  const hull: [number, number][] = [
    [0, 0],
    [0.3, 0.02],
    [0.5, 0.12],
    [0.535, 0.2],
    [0.535, 0.46],
    [0.5, 0.54],
    [0.34, 0.6],
    [0.3, 0.62],
    [0.215, 1.16],
    [0.2, 1.2],
    [0, 1.2],
  ];
  body.lathe(foot, hardEdges(hull), 72);
  collar.lathe(
    foot,
    hardEdges([
      [0.54, 0.305],
      [0.562, 0.31],
      [0.562, 0.355],
      [0.54, 0.36],
    ]),
    72,
  );
  collar.lathe(
    [0, 0, 1.54],
    hardEdges([
      [0, 0],
      [0.25, 0],
      [0.25, 0.03],
      [0, 0.03],
    ]),
    48,
  );
  lantern.lathe(
    [0, 0, 1.57],
    hardEdges([
      [0.1, 0],
      [0.13, 0.02],
      [0.13, 0.22],
      [0.115, 0.27],
      [0.07, 0.31],
      [0, 0.325],
    ]),
    40,
  );
  collar.lathe(
    [0, 0, 1.885],
    [
      [0.035, 0],
      [0.03, 0.09],
      [0.012, 0.15],
      [0, 0.165],
    ],
    20,
  );
  for (let k = 0; k < 3; k++) {
    const a = (k * 2 * Math.PI) / 3;
    const [c, s] = [Math.cos(a), Math.sin(a)];
    collar.bar([0.2 * c, 0.2 * s, 1.57], [0.2 * c, 0.2 * s, 1.86], 0.011, 10);
  }
  collar.lathe(
    [0, 0, 1.86],
    hardEdges([
      [0.18, 0],
      [0.22, 0],
      [0.22, 0.022],
      [0.18, 0.022],
      [0.18, 0],
    ]),
    40,
  );
  // Stand: a welded square of angle steel on four raked legs, with a shoe each.
  const [top, base] = [0.37, 0.52];
  const height = 0.42;
  for (const [x, y] of [
    [1, 1],
    [-1, 1],
    [-1, -1],
    [1, -1],
  ]) {
    stand.bar([base * x, base * y, 0.02], [top * x, top * y, height], 0.034, 14);
    stand.box([base * x - 0.08, base * y - 0.08, 0], [base * x + 0.08, base * y + 0.08, 0.022]);
  }
  const w = 0.035;
  for (const s of [-1, 1]) {
    stand.box([-top - w, s * top - w, height - w], [top + w, s * top + w, height + w]);
    stand.box([s * top - w, -top + w, height - w], [s * top + w, top - w, height + w]);
    stand.bar([-0.47, s * 0.47, 0.17], [0.47, s * 0.47, 0.17], 0.016, 10);
    stand.bar([s * 0.47, -0.47, 0.17], [s * 0.47, 0.47, 0.17], 0.016, 10);
  }
  return [body.build(Part.Body), stand.build(Part.Stand), lantern.build(Part.Lantern), collar.build(Part.Collar)];
}

/** The buoy as a GLB file. */
export function buoyGlb(): Promise<Uint8Array> {
  const paint = buoyPaint();
  const steel = galvanised();
  const meshes = buoyMeshes();
  // The hull's texture spans its whole profile once.
  const { uvs } = meshes[Part.Body];
  for (let i = 1; i < uvs!.length; i += 2) uvs![i] = 1 - uvs![i] / 2.2;
  return glbOf("channel buoy", meshes, [
    { name: "painted steel", texture: paint.colour, surface: paint.surface, metallic: 0 },
    { name: "galvanised steel", texture: steel.colour, surface: steel.surface },
    { name: "lantern", color: [0.74, 0.74, 0.71], roughness: 0.35 },
    { name: "collar", color: [0.06, 0.055, 0.05], roughness: 0.6 },
  ]);
}

/** The buoy as the tracer sees it: read back from its own file. */
export const buoyModel = async (): Promise<Model> => modelOfGlb(await buoyGlb());
