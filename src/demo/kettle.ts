import type { Vec3 } from "#core/math/vec3";
import type { Mesh } from "#core/props/model";
import { fractal, smoothstep } from "./noise.ts";
import { Builder, hardEdges } from "./shapes.ts";
import { paint } from "./textures.ts";
import { glbOf } from "./glb.ts";

/** What stands on the loft's bench: a copper kettle, 24 cm high with its handle, and a glass net float of 26 cm. */

function arc(b: Builder, from: number, to: number, at: (angle: number) => Vec3, radius: number, steps: number): void {
  for (let i = 0; i < steps; i++) {
    const [p, q] = [from + ((to - from) * i) / steps, from + ((to - from) * (i + 1)) / steps];
    b.bar(at(p), at(q), radius, 14);
  }
}

/** The kettle: spun copper with a spout, a brass handle and a knob. */
export function kettleGlb(): Promise<Uint8Array> {
  const body = new Builder();
  body.lathe(
    [0, 0, 0],
    hardEdges([
      [0, 0],
      [0.098, 0.001],
      [0.106, 0.006],
      [0.11, 0.02],
      [0.108, 0.05],
      [0.1, 0.085],
      [0.086, 0.112],
      [0.066, 0.13],
      [0.052, 0.136],
    ]),
    96,
  );
  const lid = new Builder();
  lid.lathe(
    [0, 0, 0],
    hardEdges([
      [0.056, 0.134],
      [0.057, 0.14],
      [0.045, 0.149],
      [0.02, 0.155],
      [0.0, 0.157],
    ]),
    64,
  );
  // The spout rises from the belly and narrows.
  const spout: [Vec3, number][] = [
    [[0.085, 0, 0.045], 0.022],
    [[0.12, 0, 0.062], 0.0185],
    [[0.142, 0, 0.09], 0.0155],
    [[0.157, 0, 0.118], 0.013],
    [[0.175, 0, 0.132], 0.0115],
  ];
  for (let i = 0; i + 1 < spout.length; i++)
    body.bar(spout[i][0], spout[i + 1][0], (spout[i][1] + spout[i + 1][1]) / 2, 24);
  const brass = new Builder();
  brass.lathe(
    [0, 0, 0.155],
    hardEdges([
      [0.006, 0],
      [0.007, 0.008],
      [0.014, 0.018],
      [0.012, 0.028],
      [0, 0.033],
    ]),
    32,
  );
  for (const s of [-1, 1]) brass.bar([0, s * 0.062, 0.128], [0, s * 0.078, 0.165], 0.006, 12);
  arc(brass, 0, Math.PI, (a) => [0, 0.078 * Math.cos(a), 0.165 + 0.07 * Math.sin(a)], 0.0065, 20);
  const meshes: Mesh[] = [body.build(0), lid.build(0), brass.build(1)];
  const tarnish = (u: number, v: number) => smoothstep(0.42, 0.8, fractal(u, v, 7, 5, 301));
  const colour = paint(512, (u, v) => {
    const t = tarnish(u, v);
    const d = 0.92 + 0.14 * (fractal(u, v, 40, 3, 302) - 0.5);
    return [(0.93 - 0.5 * t) * d, (0.62 - 0.36 * t) * d, (0.5 - 0.31 * t) * d];
  });
  const surface = paint(
    512,
    (u, v) => [0, 0.2 + 0.3 * tarnish(u, v) + 0.08 * (fractal(u, v, 60, 2, 303) - 0.5), 1],
    false,
  );
  for (const mesh of meshes) for (let i = 1; i < mesh.uvs!.length; i += 2) mesh.uvs![i] *= 3;
  return glbOf("copper kettle", meshes, [
    { name: "copper", texture: colour, surface, metallic: 1 },
    { name: "brass", color: [0.78, 0.6, 0.3], metallic: 1, roughness: 0.32 },
  ]);
}

export const FLOAT_RADIUS = 0.13;
const GLASS = 0.009;

/** The net float: a blown glass sphere with its seal, lying in a ring of rope. */
export function floatGlb(): Promise<Uint8Array> {
  const ring = 0.021;
  const rest = 0.07;
  // The sphere lies in the ring: their centres are the sum of the radii apart.
  const height = ring + Math.sqrt((FLOAT_RADIUS + ring) ** 2 - rest ** 2);
  const sphere = (radius: number, inwards: boolean): Builder => {
    const b = new Builder();
    const rows = 48;
    const profile = Array.from({ length: rows + 1 }, (_, i): [number, number] => {
      const a = ((i / rows) * 2 - 1) * (Math.PI / 2);
      return [radius * Math.cos(a), radius * Math.sin(a)];
    });
    b.lathe([0, 0, height], inwards ? profile.reverse() : profile, 96);
    return b;
  };
  const rope = new Builder();
  const strands = 3;
  const steps = 140;
  for (let k = 0; k < strands; k++) {
    for (let i = 0; i < steps; i++) {
      const at = (n: number): Vec3 => {
        const a = (n / steps) * 2 * Math.PI;
        const twist = a * 14 + (k * 2 * Math.PI) / strands;
        const r = rest + 0.0085 * Math.cos(twist);
        return [r * Math.cos(a), r * Math.sin(a), ring + 0.0085 * Math.sin(twist)];
      };
      rope.bar(at(i), at(i + 1), 0.0115, 9);
    }
  }
  const hemp = paint(128, (u, v) => {
    const t = 0.7 + 0.5 * fractal(u, v, 20, 3, 311);
    return [0.34 * t, 0.26 * t, 0.16 * t];
  });
  return glbOf(
    "net float",
    [sphere(FLOAT_RADIUS, false).build(0), sphere(FLOAT_RADIUS - GLASS, true).build(0), rope.build(1)],
    [
      { name: "green glass", roughness: 0, glass: { index: 1.52, color: [0.2, 0.62, 0.42], metres: 0.02 } },
      { name: "hemp", texture: hemp, roughness: 0.9 },
    ],
  );
}
