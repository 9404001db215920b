import type { Vec3 } from "../math/vec3.ts";
import { distance } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane } from "../optics/camera.ts";
import { shotFrame } from "../plate/schema.ts";
import { plainProp } from "../props/schema.ts";
import type { Prop } from "../props/schema.ts";
import { groundHeight } from "../set/pieces.ts";
import { pickFace } from "../set/pick.ts";
import type { Seen } from "./scene.ts";

/**
 * A mirror ball on what the middle of the picture shows: in it the proof tells what of the place is there for
 * reflections. With the hidden parts marked, what the plate does not show has one loud colour.
 */

/** Diameter as a share of the distance from the camera. */
const SIZE = 0.22;
/** A colour that no place has. */
export const HIDDEN_COLOUR: Vec3 = [0.9, 0.02, 0.6];

/** Where the ball stands: below the middle of the picture, on a face or the ground; null where there is neither. */
function standOf(shot: Seen, camera: Camera): Vec3 | null {
  const { width, height } = shotFrame(shot);
  for (const share of [0.62, 0.72, 0.82, 0.92]) {
    const pixel: [number, number] = [width / 2, height * share];
    const picked = pickFace(shot.set, camera, pixel);
    if (picked) return picked.world;
    const ground = pixelOnPlane(camera, pixel, groundPlane(groundHeight(shot)));
    if (ground && distance(ground, camera.position) < 60) return ground;
  }
  return null;
}

/** The shot with a mirror ball in place of its props; the shot itself where the ball has nowhere to stand. */
export function withMirrorBall<S extends Seen>(shot: S, marked: boolean): S {
  const camera = shot.solved?.camera;
  const position = camera ? standOf(shot, camera as Camera) : null;
  if (!camera || !position) return shot;
  const size = SIZE * distance(position, camera.position as Vec3);
  const ball: Prop = {
    id: "mirror-ball",
    name: "Mirror ball",
    source: {
      kind: "shape",
      shape: { kind: "sphere", size: [1, 1, 1] },
      colour: [0.98, 0.98, 0.98],
      roughness: 0,
      metallic: 1,
    },
    placement: { position, turnDeg: 0, leanDeg: [0, 0], scale: [size, size, size] },
    keeps: "metres",
    ...plainProp(),
  };
  if (!marked) return { ...shot, props: { [ball.id]: ball } };
  const materials = Object.fromEntries(
    Object.entries(shot.materials).map(([id, material]) => [
      id,
      { ...material, gloss: 0, albedo: { ...material.albedo, colour: HIDDEN_COLOUR } },
    ]),
  );
  return { ...shot, props: { [ball.id]: ball }, materials };
}
