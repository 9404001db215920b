import { sunDirection } from "../light/rig.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, dot, normalize, scale } from "../math/vec3.ts";
import { pixelDirection } from "../optics/camera.ts";
import { faceNormal } from "../set/face.ts";
import { pickFace } from "../set/pick.ts";
import { materialAt } from "../set/surface.ts";
import type { Seen } from "./scene.ts";

/** What a glossy surface's gloss lets through to its matt part, and what gloss it has there. */
export interface UnderGloss {
  /** Weight of the gloss, 0 for a matt surface. */
  weight: number;
  /** Share of the sun's light, and of what comes from all around, that reaches the matt part. */
  sun: number;
  around: number;
}

export const MATT: UnderGloss = { weight: 0, sun: 1, around: 1 };

/** Fresnel reflectance of a dielectric for unpolarised light (Born and Wolf, Principles of Optics, section 1.5). */
export function fresnel(cosine: number, index: number): number {
  const c = Math.min(1, Math.max(0, cosine));
  const t = Math.sqrt(Math.max(0, 1 - (1 - c * c) / (index * index)));
  const s = (c - index * t) / (c + index * t);
  const p = (t - index * c) / (t + index * c);
  return (s * s + p * p) / 2;
}

/** Index of the gloss whose reflectance at normal incidence is so many times that of 1.5. */
export function glossIndex(weight: number): number {
  const root = Math.sqrt(0.04 * weight);
  return (1 + root) / (1 - root);
}

const STEPS = 12;

/** What lies under the gloss where plate pixels show one face of the set, in the mean. */
export function underGloss(shot: Seen, pixels: readonly Vec2[]): UnderGloss {
  const all = pixels.map((pixel) => underGlossAt(shot, pixel));
  const mean = (key: keyof UnderGloss) => all.reduce((sum, at) => sum + at[key], 0) / all.length;
  return { weight: mean("weight"), sun: mean("sun"), around: mean("around") };
}

/** The same at one of them: as the tracer weighs it, by the half vector (glTF 2.0, appendix B). */
function underGlossAt(shot: Seen, pixel: Vec2): UnderGloss {
  const camera = shot.solved?.camera;
  const picked = camera && pickFace(shot.set, camera, pixel);
  const material = picked && materialAt(shot, picked.part, picked.face.id);
  if (!material || material.gloss === 0) return MATT;
  const index = glossIndex(material.gloss);
  const back = scale(pixelDirection(camera, pixel), -1);
  const through = (to: Vec3) => 1 - fresnel(Math.sqrt(Math.max(0, (1 + dot(back, to)) / 2)), index);
  const plain = faceNormal(picked.face);
  const n = dot(plain, back) < 0 ? scale(plain, -1) : plain;
  const u = normalize(Math.abs(n[2]) < 0.9 ? [n[1], -n[0], 0] : [0, n[2], -n[1]]);
  const v: Vec3 = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
  let sum = 0;
  // Even in the square of the sine: as light from all around falls on a surface.
  for (let i = 0; i < STEPS; i++)
    for (let j = 0; j < STEPS; j++) {
      const sine = Math.sqrt((i + 0.5) / STEPS);
      const turn = ((j + 0.5) / STEPS) * 2 * Math.PI;
      const flat = add(scale(u, sine * Math.cos(turn)), scale(v, sine * Math.sin(turn)));
      sum += through(add(flat, scale(n, Math.sqrt(1 - sine * sine))));
    }
  return { weight: material.gloss, sun: through(sunDirection(shot)), around: sum / (STEPS * STEPS) };
}
