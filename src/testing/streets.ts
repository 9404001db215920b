import type { Vec2, Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { focalFromEquivalent, projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { Line } from "#core/detect/lines";
import { between, gaussian, seeded } from "./random.ts";

/** A made street as a detector gives it: straight segments of houses at random headings, roofs, fences, bends and clutter. */
export interface Street {
  frame: Frame;
  camera: Camera;
  lines: Line[];
  /** What each line is of. */
  kinds: ("upright" | "level" | "slope" | "clutter")[];
}

const FRAME: Frame = { width: 1620, height: 1080 };
/** The shortest segment that is found, as a share of the diagonal. */
const SHORTEST = 0.03;

/** Street number `seed`: 2 to 6 houses, lenses of 20 to 85 mm equivalent, ends off by 0.3 to 1 px. */
export function makeStreet(seed: number): Street {
  const random = seeded(seed * 7919 + 101);
  const pick = (low: number, high: number) => between(random, low, high);
  const equivalent = Math.exp(pick(Math.log(20), Math.log(85)));
  const camera: Camera = {
    focalPx: focalFromEquivalent(equivalent, FRAME),
    principal: [FRAME.width / 2, FRAME.height / 2],
    distortion: noDistortion(),
    rotation: rotationFromAngles({
      heading: 0,
      tilt: toRadians(pick(-9, 11)),
      roll: toRadians(0.8 * gaussian(random)),
    }),
    position: [0, 0, pick(1.3, 2.2)],
  };
  const noise = pick(0.3, 1);
  const lines: Line[] = [];
  const kinds: Street["kinds"] = [];
  const diagonal = Math.hypot(FRAME.width, FRAME.height);

  const put = (a: Vec2, b: Vec2, kind: Street["kinds"][number]) => {
    const clipped = clip(a, b);
    if (!clipped) return;
    const noisy = clipped.map(([u, v]): Vec2 => [u + noise * gaussian(random), v + noise * gaussian(random)]);
    const [from, to] = random() < 0.5 ? [noisy[0], noisy[1]] : [noisy[1], noisy[0]];
    if (Math.hypot(from[0] - to[0], from[1] - to[1]) < SHORTEST * diagonal) return;
    lines.push({ from, to });
    kinds.push(kind);
  };
  /** A straight thing: missed at times, broken at times. */
  const draw = (p: Vec3, q: Vec3, kind: Street["kinds"][number], seen = 0.65) => {
    if (random() > seen) return;
    const cut = random() < 0.3 ? pick(0.3, 0.7) : 1;
    const parts =
      cut === 1
        ? [[0, 1]]
        : [
            [0, cut - 0.03],
            [cut + 0.03, 1],
          ];
    for (const [s, t] of parts) {
      const at = (x: number): Vec3 => [0, 1, 2].map((k) => p[k] + (q[k] - p[k]) * x) as Vec3;
      const [a, b] = [projectPoint(camera, at(s)), projectPoint(camera, at(t))];
      if (a && b) put(a, b, kind);
    }
  };

  const houses = 2 + Math.floor(random() * 5);
  // Streets have a heading that houses keep to roughly, or not at all.
  const common = pick(0, 90);
  for (let h = 0; h < houses; h++) {
    const spread = (equivalent < 50 ? 0.75 : 0.6) * Math.atan(FRAME.width / 2 / camera.focalPx);
    const distance = pick(7, 14) * Math.max(1, equivalent / 35) * (1 + 0.4 * h);
    const bearing = pick(-spread, spread);
    const centre: Vec2 = [distance * Math.sin(bearing), distance * Math.cos(bearing)];
    const heading = toRadians(random() < 0.35 ? common : pick(0, 90));
    drawHouse(centre, heading);
  }
  if (random() < 0.6) drawFence();
  for (let n = Math.floor(pick(3, 14)); n > 0; n--) {
    const [u, v, turn, long] = [pick(0, FRAME.width), pick(0, FRAME.height), pick(0, Math.PI), pick(65, 260)];
    put([u, v], [u + long * Math.cos(turn), v + long * Math.sin(turn)], "clutter");
  }
  if (random() < 0.5) drawBend();
  return { frame: FRAME, camera, lines, kinds };

  function drawHouse([cx, cy]: Vec2, heading: number): void {
    const [wide, deep] = [pick(5, 11), pick(4, 8)];
    const [eaves, ridge] = [pick(2.6, 6), pick(1.5, 3)];
    // Walls are square to a quarter of a degree, corners upright to a seventh.
    const square = toRadians(90 + 0.25 * gaussian(random));
    const along: Vec2 = [Math.cos(heading), Math.sin(heading)];
    const across: Vec2 = [Math.cos(heading + square), Math.sin(heading + square)];
    const at = (s: number, t: number, z: number): Vec3 => [
      cx + along[0] * (s - 0.5) * wide + across[0] * (t - 0.5) * deep,
      cy + along[1] * (s - 0.5) * wide + across[1] * (t - 0.5) * deep,
      z,
    ];
    const leaning = (p: Vec3, height: number): Vec3 => [
      p[0] + 0.0025 * height * gaussian(random),
      p[1] + 0.0025 * height * gaussian(random),
      p[2] + height,
    ];
    const faces: [number, number, number, number][] = [
      [0, 0, 1, 0],
      [1, 0, 1, 1],
      [1, 1, 0, 1],
      [0, 1, 0, 0],
    ];
    const corners = new Set<string>();
    for (const [s0, t0, s1, t1] of faces) {
      const [p, q] = [at(s0, t0, 0), at(s1, t1, 0)];
      // Seen from outside only: the face looks towards the camera.
      const outward = [q[1] - p[1], p[0] - q[0]];
      if (outward[0] * -p[0] + outward[1] * -p[1] <= 0) continue;
      draw(p, q, "level");
      draw([p[0], p[1], eaves], [q[0], q[1], eaves], "level", 0.85);
      for (const [s, t] of [
        [s0, t0],
        [s1, t1],
      ]) {
        if (corners.has(`${s}${t}`)) continue;
        corners.add(`${s}${t}`);
        draw(at(s, t, 0), leaning(at(s, t, 0), eaves), "upright", 0.85);
      }
      const windows = Math.floor(pick(1, 4));
      for (let w = 0; w < windows; w++) {
        const [l, r] = [(w + 0.25) / windows, (w + 0.75) / windows];
        const [sill, head] = [eaves - 2, eaves - 0.7];
        const on = (x: number, z: number) => at(s0 + (s1 - s0) * x, t0 + (t1 - t0) * x, z);
        draw(on(l, sill), on(r, sill), "level", 0.5);
        draw(on(l, head), on(r, head), "level", 0.5);
        draw(on(l, sill), leaning(on(l, sill), head - sill), "upright", 0.5);
        draw(on(r, sill), leaning(on(r, sill), head - sill), "upright", 0.5);
      }
      // Gables on the short sides.
      if (s0 === s1) {
        const top = at(s0, 0.5, eaves + ridge);
        draw([p[0], p[1], eaves], top, "slope", 0.8);
        draw([q[0], q[1], eaves], top, "slope", 0.8);
      }
    }
    draw(at(0, 0.5, eaves + ridge), at(1, 0.5, eaves + ridge), "level", 0.8);
  }

  function drawFence(): void {
    const heading = pick(0, Math.PI);
    const from: Vec2 = [pick(-4, 4), pick(5, 12)];
    const step: Vec2 = [1.6 * Math.cos(heading), 1.6 * Math.sin(heading)];
    const posts = Math.floor(pick(3, 8));
    const place = (i: number, z: number): Vec3 => [from[0] + step[0] * i, from[1] + step[1] * i, z];
    for (let i = 0; i < posts; i++) draw(place(i, 0), place(i, 1.1), "upright", 0.5);
    for (const z of [0.5, 1.05]) draw(place(0, z), place(posts - 1, z), "level", 0.8);
  }

  /** A kerb that bends: short pieces at many headings. */
  function drawBend(): void {
    const radius = pick(6, 20);
    const [mx, my] = [pick(-10, 10), pick(4, 14)];
    const start = pick(0, Math.PI);
    for (let i = 0; i < 6; i++) {
      const [a, b] = [start + i * 0.18, start + (i + 1) * 0.18];
      const on = (x: number): Vec3 => [mx + radius * Math.cos(x), my + radius * Math.sin(x), 0];
      draw(on(a), on(b), "level", 0.8);
    }
  }
}

/** The part of a segment within the frame; null where there is none. */
function clip(a: Vec2, b: Vec2): [Vec2, Vec2] | null {
  let [t0, t1] = [0, 1];
  const d: Vec2 = [b[0] - a[0], b[1] - a[1]];
  const sides = [FRAME.width, FRAME.height];
  for (let k = 0; k < 2; k++) {
    for (const [p, q] of [
      [-d[k], a[k]],
      [d[k], sides[k] - a[k]],
    ]) {
      if (p === 0) {
        if (q < 0) return null;
        continue;
      }
      const r = q / p;
      if (p < 0) t0 = Math.max(t0, r);
      else t1 = Math.min(t1, r);
    }
  }
  if (t0 >= t1) return null;
  const at = (t: number): Vec2 => [a[0] + d[0] * t, a[1] + d[1] * t];
  return [at(t0), at(t1)];
}
