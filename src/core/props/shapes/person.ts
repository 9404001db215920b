import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { Positive } from "../../schema/fields.ts";
import type { Mesh } from "../model.ts";
import type { ShapeKind } from "./kind.ts";
import type { Profile } from "./revolve.ts";
import { arc, revolve } from "./revolve.ts";
import { stretched } from "./sized.ts";

/** A plain figure of a person, for size. */
const PersonSchema = v.object({ kind: v.literal("person"), height: Positive });
type Person = v.InferOutput<typeof PersonSchema>;

const ball = (): Profile => arc(0, 0, 0.5, -90, 90, 16);

/** A rounded limb from one point to another, of two radii. */
function limb(from: Vec3, to: Vec3, low: number, high: number): Mesh {
  const d = to.map((x, k) => x - from[k]) as Vec3;
  const l = Math.hypot(...d);
  const profile: Profile = [...arc(0, 0, low, -90, 0, 6), ...arc(0, l, high, 0, 90, 6)];
  const mesh = revolve(profile);
  const w: Vec3 = [d[0] / l, d[1] / l, d[2] / l];
  const u: Vec3 = Math.abs(w[0]) < 0.9 ? [1, 0, 0] : [0, 1, 0];
  const along = u[0] * w[0] + u[1] * w[1] + u[2] * w[2];
  const a = u.map((x, k) => x - along * w[k]) as Vec3;
  const al = Math.hypot(...a);
  const [ax, ay, az] = a.map((x) => x / al);
  const b: Vec3 = [w[1] * az - w[2] * ay, w[2] * ax - w[0] * az, w[0] * ay - w[1] * ax];
  const turned = (list: Float32Array, o: Vec3) => {
    const out = new Float32Array(list.length);
    for (let i = 0; i < list.length; i += 3)
      out.set(
        [0, 1, 2].map((k) => o[k] + list[i] * [ax, ay, az][k] + list[i + 1] * b[k] + list[i + 2] * w[k]),
        i,
      );
    return out;
  };
  return { ...mesh, positions: turned(mesh.positions, from), normals: turned(mesh.normals, [0, 0, 0]) };
}

function lump(at: Vec3, size: Vec3): Mesh {
  const mesh = stretched(revolve(ball()), size);
  return { ...mesh, positions: mesh.positions.map((x, i) => x + at[i % 3]) };
}

function joined(meshes: Mesh[]): Mesh {
  const [positions, normals, indices]: [number[], number[], number[]] = [[], [], []];
  for (const mesh of meshes) {
    const first = positions.length / 3;
    positions.push(...mesh.positions);
    normals.push(...mesh.normals);
    for (const i of mesh.indices) indices.push(first + i);
  }
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: null,
    indices: new Uint32Array(indices),
    material: 0,
  };
}

/** Of 1 m height, in shares of it as drawing books have them: eight heads, the hip half way up. */
function figure(): Mesh {
  const sides = [-1, 1].flatMap((s) => [
    limb([s * 0.06, 0, 0.03], [s * 0.055, 0, 0.27], 0.022, 0.034),
    limb([s * 0.055, 0, 0.27], [s * 0.05, 0, 0.5], 0.034, 0.052),
    lump([s * 0.06, -0.035, 0.0151], [0.055, 0.15, 0.03]),
    limb([s * 0.135, 0.005, 0.48], [s * 0.13, 0.01, 0.64], 0.016, 0.021),
    limb([s * 0.13, 0.01, 0.64], [s * 0.115, 0, 0.8], 0.021, 0.031),
    lump([s * 0.137, 0, 0.445], [0.03, 0.045, 0.09]),
  ]);
  return joined([
    ...sides,
    lump([0, 0, 0.52], [0.19, 0.13, 0.15]),
    limb([0, 0, 0.55], [0, 0, 0.74], 0.065, 0.08),
    lump([0, 0.005, 0.75], [0.23, 0.14, 0.2]),
    limb([0, 0, 0.82], [0, -0.005, 0.89], 0.032, 0.028),
    lump([0, -0.01, 0.9345], [0.088, 0.108, 0.131]),
  ]);
}

let kept: Mesh | null = null;

export const person: ShapeKind<Person> = {
  title: "person",
  icon: "pi-user",
  schema: PersonSchema,
  start: () => ({ kind: "person", height: 1.75 }),
  mesh: ({ height }) => stretched((kept ??= figure()), [height, height, height]),
  fields: (shape) => [
    { key: "height", label: "height", unit: "length", value: shape.height, least: 0.1, put: (s, x) => (s.height = x) },
  ],
};
