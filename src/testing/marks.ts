import type { RequestEdge } from "#core/match/request";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, scale, sub, toRadians } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { WorldEdge } from "./fisher.ts";
import { between, gaussian } from "./random.ts";

/** Random cameras and marks of a made-up place, as a user would see and set them. */

export const FRAME: Frame = { width: 1920, height: 1280 };
export const AXES: Record<string, Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

export function randomCamera(random: () => number, k1 = 0, principal: Vec2 = [960, 640]): Camera {
  return {
    focalPx: between(random, 1000, 2600),
    principal,
    distortion: { ...noDistortion(), k1 },
    rotation: rotationFromAngles({
      heading: toRadians(between(random, 15, 75)),
      tilt: toRadians(between(random, -25, -6)),
      roll: toRadians(between(random, -3, 3)),
    }),
    position: [0, 0, between(random, 1.2, 3)],
  };
}

const inFrame = (p: Vec2 | null): p is Vec2 =>
  p !== null && p[0] > 0 && p[1] > 0 && p[0] < FRAME.width && p[1] < FRAME.height;

export interface RandomMark {
  edge: RequestEdge;
  world: WorldEdge;
}

/** A visible edge along `axis` of at least 150 px, with its noise-free marks and world points. Throws where none is found. */
export function randomEdge(random: () => number, camera: Camera, axis: string, id: string, count = 2): RandomMark {
  for (let attempt = 0; attempt < 3000; attempt++) {
    const heading = Math.atan2(camera.rotation[2][0], camera.rotation[2][1]) + between(random, -0.6, 0.6);
    const reach = between(random, 3, 14);
    const from: Vec3 = [reach * Math.sin(heading), reach * Math.cos(heading), between(random, 0, 3)];
    const to = add(from, scale(AXES[axis], between(random, 0.8, 6)));
    const points = Array.from({ length: count }, (_, i) => add(from, scale(sub(to, from), i / (count - 1))));
    const pixels = points.map((p) => projectPoint(camera, p));
    if (!pixels.every(inFrame)) continue;
    const [a, b] = [pixels[0], pixels[count - 1]] as Vec2[];
    if (Math.hypot(a[0] - b[0], a[1] - b[1]) < 150) continue;
    return {
      edge: { id, axis, points: pixels as Vec2[], sigmaPx: 1 },
      world: { axis: AXES[axis], points, sigma: 1 },
    };
  }
  throw new Error(`This camera hardly sees an edge along ${axis}.`);
}

export const randomEdges = (
  random: () => number,
  camera: Camera,
  axes: string,
  perAxis: number,
  count = 2,
): RandomMark[] =>
  [...axes].flatMap((axis) =>
    Array.from({ length: perAxis }, (_, i) => randomEdge(random, camera, axis, `${axis}${i}`, count)),
  );

/** Marks as a hand sets them: every coordinate off by its own standard deviation. */
export function noisy(random: () => number, edge: RequestEdge): RequestEdge {
  const s = edge.sigmaPx ?? 1;
  return { ...edge, points: edge.points.map(([u, v]) => [u + s * gaussian(random), v + s * gaussian(random)]) };
}

/** A world point seen by the camera. */
export function randomTie(random: () => number, camera: Camera): { world: Vec3; pixel: Vec2 } {
  for (;;) {
    const world: Vec3 = [between(random, -2, 11), between(random, -2, 11), between(random, 0, 3)];
    const pixel = projectPoint(camera, world);
    if (inFrame(pixel)) return { world, pixel };
  }
}
