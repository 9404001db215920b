import type { SolveRequest } from "#core/match/request";
import { solve } from "#core/match/solve";
import type { Mat3, Vec2, Vec3 } from "#core/math/vec3";
import { multiply, rotationFromVector, toRadians, transpose } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { orientationAngles, rotationFromAngles } from "#core/optics/camera";
import { bounds } from "./fisher.ts";
import type { Unknown, WorldTie } from "./fisher.ts";
import type { RandomMark } from "./marks.ts";
import { FRAME, noisy, randomCamera, randomEdges, randomTie } from "./marks.ts";
import { between, gaussian, seeded } from "./random.ts";

/**
 * Errors of many random requests against the Cramér-Rao bound of each, computed apart from the solver. A program of its
 * own: in the test runner's sandbox the same sums take thirty times as long. Writes one JSON line per kind of request.
 */

interface Case {
  name: string;
  unknowns: Unknown[];
  /** Evidence besides marks: the slope of a value by the unknowns, over its standard deviation. */
  prior?: (camera: Camera) => number[];
  /** Index, among the bounds, of the value that is judged, and how to read it. */
  judged: number;
  read: (camera: Camera) => number;
  /** The error itself, where it is not a difference of what is read. */
  error?: (found: Camera, camera: Camera) => number;
  make: (random: () => number) => {
    camera: Camera;
    marks: RandomMark[];
    ties: { world: WorldTie; pixel: Vec2 }[];
    request: Partial<SolveRequest>;
  };
}

const focal = (c: Camera) => c.focalPx;

/** Small rotation, about the camera's own axes, from the true to the found one. */
function rotationError(found: Mat3, camera: Mat3): Vec3 {
  const d = multiply(found, transpose(camera));
  return [(d[2][1] - d[1][2]) / 2, (d[0][2] - d[2][0]) / 2, (d[1][0] - d[0][1]) / 2];
}

/** Derivative of the roll by small turns about the camera's own axes. */
const rollSlope = (camera: Camera): number[] =>
  [0, 1, 2].map((i) => {
    const w: Vec3 = [0, 0, 0];
    w[i] = 1e-6;
    const roll = (r: Mat3) => orientationAngles(r).roll;
    return (roll(multiply(rotationFromVector(w), camera.rotation)) - roll(camera.rotation)) / 1e-6;
  });

const CASES: Case[] = [
  {
    name: "three directions",
    unknowns: ["rotation", "focal"],
    judged: 3,
    read: focal,
    make: (random) => {
      const camera = randomCamera(random);
      return { camera, marks: randomEdges(random, camera, "xyz", 4), ties: [], request: {} };
    },
  },
  {
    name: "two directions",
    unknowns: ["rotation", "focal"],
    judged: 3,
    read: focal,
    make: (random) => {
      const camera = randomCamera(random);
      return { camera, marks: randomEdges(random, camera, "xy", 6), ties: [], request: {} };
    },
  },
  {
    // The solver takes such a camera as held level to half a degree; these were held like that.
    name: "one direction with a known lens",
    unknowns: ["rotation"],
    judged: 1,
    read: () => 0,
    error: (found, camera) => rotationError(found.rotation, camera.rotation)[1],
    prior: (camera) => rollSlope(camera).map((s) => s / toRadians(0.5)),
    make: (random) => {
      const level = randomCamera(random);
      const { heading, tilt } = orientationAngles(level.rotation);
      const roll = toRadians(0.5) * gaussian(random);
      const camera = { ...level, rotation: rotationFromAngles({ heading, tilt, roll }) };
      return {
        camera,
        marks: randomEdges(random, camera, "x", 6),
        ties: [],
        request: { lens: { focalPx: camera.focalPx, solve: [] } },
      };
    },
  },
  {
    name: "three directions with the principal point free",
    unknowns: ["rotation", "focal", "principal"],
    judged: 3,
    read: focal,
    make: (random) => {
      const camera = randomCamera(random, 0, [between(random, 860, 1060), between(random, 560, 720)]);
      return {
        camera,
        marks: randomEdges(random, camera, "xyz", 6),
        ties: [],
        request: { lens: { solve: ["focal", "principal"] } },
      };
    },
  },
  {
    name: "three directions with k1 free, from polylines of five points",
    unknowns: ["rotation", "focal", "k1"],
    judged: 4,
    read: (c) => c.distortion.k1,
    make: (random) => {
      const camera = randomCamera(random, between(random, -0.06, 0.03));
      return {
        camera,
        marks: randomEdges(random, camera, "xyz", 4, 5),
        ties: [],
        request: { lens: { solve: ["focal", "k1"] } },
      };
    },
  },
  {
    name: "tie points only",
    unknowns: ["rotation", "focal", "position"],
    judged: 3,
    read: focal,
    make: (random) => {
      const camera = randomCamera(random);
      const ties = Array.from({ length: 10 }, () => randomTie(random, camera)).map(({ world, pixel }) => ({
        world: { world, sigma: 1 },
        pixel,
      }));
      return { camera, marks: [], ties, request: {} };
    },
  },
  {
    name: "edges with tie points",
    unknowns: ["rotation", "focal", "position"],
    judged: 3,
    read: focal,
    make: (random) => {
      const camera = randomCamera(random);
      const ties = Array.from({ length: 4 }, () => randomTie(random, camera)).map(({ world, pixel }) => ({
        world: { world, sigma: 1 },
        pixel,
      }));
      return { camera, marks: randomEdges(random, camera, "xy", 3), ties, request: {} };
    },
  },
];

/** Requests of each kind. */
const REQUESTS = Number(process.argv[2] ?? 400);

export interface Outcome {
  name: string;
  /** Root mean square and median of error over bound. */
  rms: number;
  median: number;
  lost: number;
  requests: number;
}

/** The result, or null for a place in which no marks could be made. */
function attempt<T>(make: () => T): T | null {
  try {
    return make();
  } catch {
    return null;
  }
}

function summarise(name: string, errors: number[], lost: number): Outcome {
  const rms = Math.sqrt(errors.reduce((s, e) => s + e * e, 0) / errors.length);
  const median = errors.map(Math.abs).sort((a, b) => a - b)[errors.length >> 1];
  return { name, rms, median, lost, requests: errors.length + lost };
}

function runCase({ name, unknowns, judged, read, error: errorOf, prior, make }: Case): Outcome {
  const random = seeded(name.length * 31 + 7);
  const errors: number[] = [];
  let lost = 0;
  while (errors.length + lost < REQUESTS) {
    const made = attempt(() => make(random));
    if (!made) continue;
    const { camera, marks, ties, request } = made;
    const limit = bounds(
      camera,
      unknowns,
      marks.map((m) => m.world),
      ties.map((t) => t.world),
      prior ? [prior(camera)] : [],
    );
    // A bound of over 4 % of the focal length is no longer Gaussian; such places say so in a finding instead.
    if (unknowns.includes("focal") && !(limit[3] < 0.04 * camera.focalPx)) continue;
    const answer = solve({
      plate: FRAME,
      ...request,
      edges: marks.map((m) => noisy(random, m.edge)),
      tiePoints: ties.map(({ world, pixel }, i) => ({
        id: `t${i}`,
        world: world.world,
        pixel: [pixel[0] + gaussian(random), pixel[1] + gaussian(random)],
      })),
    });
    const off = (found: Camera) => errorOf?.(found, camera) ?? read(found) - read(camera);
    const error = answer.camera ? off(answer.camera) / limit[judged] : Infinity;
    if (Math.abs(error) <= 5) errors.push(error);
    else lost++;
  }
  return summarise(name, errors, lost);
}

/**
 * Two directions with one edge 12 px off, robust: the error of the focal length over that of the same request without
 * the bad edge, and how often the bad edge is the first that the answer doubts.
 */
function runSpoiled(): Outcome & { named: number } {
  const random = seeded(123);
  let [robustSum, cleanSum, named, count] = [0, 0, 0, 0];
  while (count < REQUESTS) {
    const camera = randomCamera(random);
    const marks = attempt(() => randomEdges(random, camera, "xy", 6));
    if (!marks) continue;
    const limit = bounds(
      camera,
      ["rotation", "focal"],
      marks.map((m) => m.world),
    );
    if (!(limit[3] < 0.03 * camera.focalPx)) continue;
    const edges = marks.map((m) => noisy(random, m.edge));
    const bad = Math.floor(random() * edges.length);
    const [a, b] = edges[bad].points as Vec2[];
    const l = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const off: Vec2 = [b[0] - (12 * (b[1] - a[1])) / l, b[1] + (12 * (b[0] - a[0])) / l];
    const spoiled = edges.map((e, k) => (k === bad ? { ...e, points: [a, off] as [Vec2, Vec2] } : e));
    const robust = solve({ plate: FRAME, edges: spoiled, robust: true });
    const clean = solve({ plate: FRAME, edges: edges.filter((_, k) => k !== bad) });
    count++;
    if (!robust.camera || !clean.camera) continue;
    robustSum += Math.log(robust.camera.focalPx / camera.focalPx) ** 2;
    cleanSum += Math.log(clean.camera.focalPx / camera.focalPx) ** 2;
    // First among what the answer doubts: what was left out, or else the mark that decides alone.
    const doubt = robust.findings.find((f) => f.code === "left-out" || f.code === "edge-decides");
    if (doubt?.ids[0] === edges[bad].id) named++;
  }
  return { name: "robust", rms: Math.sqrt(robustSum / cleanSum), median: 0, lost: 0, requests: count, named };
}

const write = (outcome: Outcome) => process.stdout.write(`${JSON.stringify(outcome)}\n`);
for (const c of CASES) write(runCase(c));
write(runSpoiled());
