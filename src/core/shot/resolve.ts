import type { Draft } from "immer";
import type { Vec3 } from "../math/vec3.ts";
import { distance } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane, projectPoint } from "../optics/camera.ts";
import type { SolveAnswer } from "../match/request.ts";
import { evidenceKey } from "./assemble.ts";
import type { SetVertex, Shot } from "./schema.ts";

/** One thing that a new camera moves, for the list that is shown before it is taken. */
export interface Movement {
  id: string;
  name: string;
  /** Metres that its world position changes. */
  metres: number;
  /** Pixels that it moves on the plate. */
  pixels: number;
  /** A vertex whose pixel no longer meets the ground keeps its metres. */
  lost: boolean;
}

/**
 * Puts a newly solved camera into the shot by the rule of docs/design.md section 1: set vertices placed on the plate
 * follow the plate on their own plane, typed ones keep their metres; props keep their metres, or the pixel of their
 * foot, as chosen. A camera without uncertainty is one matched by hand. Changes the draft and returns what moved.
 */
export function takeCamera(
  draft: Draft<Shot> | Shot,
  answer: Pick<SolveAnswer, "camera" | "sigma" | "rmsPx">,
): Movement[] {
  const { camera, sigma } = answer;
  if (!camera) return [];
  const old = draft.solved?.camera as Camera | undefined;
  const next: Camera = {
    focalPx: camera.focalPx,
    principal: [...camera.principal],
    distortion: { ...camera.distortion },
    rotation: camera.rotation.map((row) => [...row]) as Camera["rotation"],
    position: [...camera.position],
  };
  draft.solved = {
    camera: next,
    evidence: evidenceKey(draft as Shot),
    rmsPx: answer.rmsPx,
    sigma: sigma && {
      ...sigma,
      rotationDeg: [...sigma.rotationDeg],
      positionM: sigma.positionM && [...sigma.positionM],
    },
  };
  if (!old) return [];
  const movements: Movement[] = [];
  const note = (id: string, name: string, before: Vec3, after: Vec3, lost = false) => {
    const [p, q] = [projectPoint(old, before), projectPoint(next, after)];
    const pixels = p && q ? Math.hypot(p[0] - q[0], p[1] - q[1]) : 0;
    const metres = distance(before, after);
    if (metres > 5e-4 || pixels > 0.05 || lost) movements.push({ id, name, metres, pixels, lost });
  };
  const follow = (vertex: Draft<SetVertex> | SetVertex, id: string, name: string) => {
    const before = [...vertex.world] as Vec3;
    if (!vertex.pixel) {
      note(id, name, before, before);
      return;
    }
    const after = pixelOnPlane(next, vertex.pixel, groundPlane(before[2]));
    if (after) vertex.world = after;
    note(id, name, before, after ?? before, !after);
  };
  for (const surface of Object.values(draft.set)) {
    if (surface.kind === "ground")
      surface.vertices.forEach((v, i) => follow(v, surface.id, `${surface.name}, corner ${i + 1}`));
    if (surface.kind === "post") follow(surface.foot, surface.id, surface.name);
  }
  for (const prop of Object.values(draft.props)) {
    const before = [...prop.placement.position] as Vec3;
    let after = before;
    let lost = false;
    if (prop.keeps === "picture") {
      const pixel = projectPoint(old, before);
      const found = pixel && pixelOnPlane(next, pixel, groundPlane(before[2]));
      if (found) after = found;
      else lost = true;
    }
    prop.placement.position = after;
    note(prop.id, prop.name, before, after, lost);
  }
  return movements;
}

/** The camera alone, as an answer, for one that was matched by hand. */
export function handAnswer(camera: Camera): Pick<SolveAnswer, "camera" | "sigma" | "rmsPx"> {
  return { camera: { ...camera, fovDeg: { horizontal: 0, vertical: 0 } }, sigma: null, rmsPx: null };
}
