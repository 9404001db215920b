import { describe, expect, test } from "@jest/globals";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, rotationAngleBetween, scale, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { between, gaussian, seeded } from "../../testing/random.ts";
import type { RequestEdge, SolveRequest } from "./request.ts";
import { RequestError, parseRequest } from "./request.ts";
import { solve } from "./solve.ts";

const frame = { width: 1920, height: 1280 };
const AXES: Record<string, Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

function randomCamera(random: () => number, k1 = 0): Camera {
  return {
    focalPx: between(random, 1000, 2600),
    principal: [960, 640],
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
  p !== null && p[0] > 0 && p[1] > 0 && p[0] < frame.width && p[1] < frame.height;

/** A visible edge along `axis`, at least 150 px long in the picture. */
function randomEdge(random: () => number, camera: Camera, axis: string, id: string, count = 2): RequestEdge {
  for (;;) {
    const heading = Math.atan2(camera.rotation[2][0], camera.rotation[2][1]) + between(random, -0.6, 0.6);
    const reach = between(random, 3, 14);
    const from: Vec3 = [reach * Math.sin(heading), reach * Math.cos(heading), between(random, 0, 3)];
    const to = add(from, scale(AXES[axis], between(random, 0.8, 6)));
    const points: Vec2[] = [];
    for (let i = 0; i < count; i++) {
      const p = projectPoint(camera, add(from, scale(add(to, scale(from, -1)), i / (count - 1))));
      if (!inFrame(p)) break;
      points.push(p);
    }
    if (points.length < count) continue;
    const [a, b] = [points[0], points[count - 1]];
    if (Math.hypot(a[0] - b[0], a[1] - b[1]) > 150) return { id, axis, points, sigmaPx: 1 };
  }
}

function noisy(random: () => number, edge: RequestEdge): RequestEdge {
  const s = edge.sigmaPx ?? 1;
  return { ...edge, points: edge.points.map(([u, v]) => [u + s * gaussian(random), v + s * gaussian(random)]) };
}

const edgesOf = (random: () => number, camera: Camera, axes: string, perAxis: number, count = 2) =>
  [...axes].flatMap((axis) =>
    Array.from({ length: perAxis }, (_, i) => randomEdge(random, camera, axis, `${axis}${i}`, count)),
  );

/**
 * Error over the Cramér-Rao bound of the focal length. The bound is computed here from the textbook formula for points
 * on lines through a common vanishing point: with two marks per edge the one residual of an edge is the distance of one
 * point from the line through the other and the vanishing point, with its variance by propagation of both marks.
 */
function focalBound(camera: Camera, edges: RequestEdge[], unknowns: ("k1" | "focal")[]): number {
  const turned = (step: number[]): Camera => {
    const [wx, wy, wz, df, dk] = step;
    const [a, b, c] = camera.rotation;
    const turn = (v: Vec3, w: Vec3, s: number): Vec3 => add(v, scale(w, s));
    return {
      ...camera,
      focalPx: camera.focalPx + df,
      distortion: { ...camera.distortion, k1: camera.distortion.k1 + dk },
      rotation: [turn(turn(a, c, wy), b, -wz), turn(turn(b, a, wz), c, -wx), turn(turn(c, b, wx), a, -wy)],
    };
  };
  const misfit = (cam: Camera, axis: string, [p, q]: Vec2[]): number => {
    const d = AXES[axis];
    const v = cam.rotation.map((row) => row[0] * d[0] + row[1] * d[1] + row[2] * d[2]);
    const ray = (x: Vec2) => [(x[0] - cam.principal[0]) / cam.focalPx, (x[1] - cam.principal[1]) / cam.focalPx, 1];
    const [a, b] = [ray(p), ray(q)];
    return v[0] * (a[1] * b[2] - a[2] * b[1]) + v[1] * (a[2] * b[0] - a[0] * b[2]) + v[2] * (a[0] * b[1] - a[1] * b[0]);
  };
  const n = 4;
  const h = [1e-6, 1e-6, 1e-6, 1e-3];
  const information = Array.from({ length: n }, () => new Array<number>(n).fill(0));
  for (const edge of edges) {
    const points = edge.points as Vec2[];
    const gradient = h.map((step, i) => {
      const s = [0, 0, 0, 0, 0];
      s[i] = step;
      const up = misfit(turned(s), edge.axis, points);
      s[i] = -step;
      return (up - misfit(turned(s), edge.axis, points)) / (2 * step);
    });
    let variance = 0;
    points.forEach((point, i) =>
      point.forEach((_, k) => {
        const moved = points.map((p) => [...p] as Vec2);
        moved[i][k] += 0.01;
        const up = misfit(camera, edge.axis, moved);
        moved[i][k] -= 0.02;
        variance += (((up - misfit(camera, edge.axis, moved)) / 0.02) * (edge.sigmaPx ?? 1)) ** 2;
      }),
    );
    for (let i = 0; i < n; i++) for (let j = 0; j < n; j++) information[i][j] += (gradient[i] * gradient[j]) / variance;
  }
  expect(unknowns).toContain("focal");
  return Math.sqrt(inverseDiagonal(information, 3));
}

/** One diagonal element of the inverse, by Gauss-Jordan elimination. */
function inverseDiagonal(m: number[][], which: number): number {
  const n = m.length;
  const scaleBy = m.map((row, i) => 1 / Math.sqrt(row[i]));
  const a = m.map((row, i) => [
    ...row.map((value, j) => value * scaleBy[i] * scaleBy[j]),
    ...row.map((_, j) => (i === j ? 1 : 0)),
  ]);
  for (let i = 0; i < n; i++) {
    const pivot = a[i][i];
    for (let j = 0; j < 2 * n; j++) a[i][j] /= pivot;
    for (let r = 0; r < n; r++) {
      if (r === i) continue;
      const f = a[r][i];
      for (let j = 0; j < 2 * n; j++) a[r][j] -= f * a[i][j];
    }
  }
  return a[which][n + which] * scaleBy[which] ** 2;
}

describe("solving from edges", () => {
  test("exact marks give the exact camera, with origin and length", () => {
    const random = seeded(3);
    for (let i = 0; i < 20; i++) {
      const camera = randomCamera(random, -0.03);
      camera.position = [2.5, -4, 1.7];
      camera.rotation = rotationFromAngles({ heading: toRadians(-25), tilt: toRadians(-12), roll: toRadians(1) });
      const origin = projectPoint(camera, [0, 0, 0])!;
      const foot: Vec3 = [0.5, 1, 0];
      const edges: RequestEdge[] = [];
      for (const [axis, offsets] of [
        [
          "x",
          [
            [0, 0, 0],
            [0, 2, 0],
            [0, 1, 1.5],
          ],
        ],
        [
          "y",
          [
            [0, 0, 0],
            [1, 0, 0],
            [0.3, 0, 1.2],
          ],
        ],
        [
          "z",
          [
            [0, 0, 0],
            [1, 1, 0],
          ],
        ],
      ] as [string, Vec3[]][]) {
        offsets.forEach((o, k) => {
          const points = [0, 0.5, 1].map((t) => projectPoint(camera, add(o, scale(AXES[axis], t * 1.4)))!);
          edges.push({ id: `${axis}${k}`, axis, points });
        });
      }
      const answer = solve({
        plate: frame,
        lens: { solve: ["focal", "k1"] },
        edges,
        origin,
        lengths: [
          {
            id: "d",
            from: projectPoint(camera, foot)!,
            to: projectPoint(camera, [0.5, 1, 1.9])!,
            along: "z",
            metres: 1.9,
          },
        ],
      });
      expect(answer.camera!.focalPx).toBeCloseTo(camera.focalPx, 2);
      expect(answer.camera!.distortion.k1).toBeCloseTo(-0.03, 6);
      expect(rotationAngleBetween(answer.camera!.rotation, camera.rotation)).toBeLessThan(1e-6);
      answer.camera!.position.forEach((v, k) => expect(v).toBeCloseTo(camera.position[k], 5));
      expect(answer.rmsPx!).toBeLessThan(1e-5);
    }
  });

  test("300 random requests reach the Cramér-Rao bound and none is lost", () => {
    const random = seeded(11);
    let sum = 0;
    const sizes: number[] = [];
    for (let i = 0; i < 300; i++) {
      const camera = randomCamera(random);
      const axes = i % 2 ? "xyz" : "xy";
      const clean = edgesOf(random, camera, axes, axes.length === 3 ? 4 : 6);
      const bound = focalBound(camera, clean, ["focal"]);
      const answer = solve({ plate: frame, edges: clean.map((e) => noisy(random, e)) });
      // Where the bound itself is no small part of the focal length a Gaussian answer cannot be asked for.
      if (bound > 0.04 * camera.focalPx) continue;
      expect(answer.camera).not.toBeNull();
      const error = (answer.camera!.focalPx - camera.focalPx) / bound;
      sum += error * error;
      sizes.push(Math.abs(error));
      expect(answer.sigma!.focalPx / bound).toBeGreaterThan(0.7);
      expect(answer.sigma!.focalPx / bound).toBeLessThan(1.4);
    }
    expect(sizes.length).toBeGreaterThan(200);
    expect(Math.max(...sizes)).toBeLessThan(5);
    const ratio = Math.sqrt(sum / sizes.length);
    console.log(
      `focal length, ${sizes.length} requests: error over bound ${ratio.toFixed(3)}, worst ${Math.max(...sizes).toFixed(2)}`,
    );
    expect(ratio).toBeLessThan(1.15);
    expect(ratio).toBeGreaterThan(0.85);
  });

  test("one direction and a known lens: upright edges give tilt and roll", () => {
    const random = seeded(5);
    for (let i = 0; i < 20; i++) {
      const camera = randomCamera(random);
      const edges = edgesOf(random, camera, "z", 4);
      const answer = solve({ plate: frame, lens: { focalPx: camera.focalPx, solve: [] }, edges });
      const up = (m: Camera["rotation"]): Vec3 => [m[0][2], m[1][2], m[2][2]];
      const [a, b] = [up(answer.camera!.rotation), up(camera.rotation)];
      expect(Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2])).toBeLessThan(1e-6);
      expect(answer.findings.map((f) => f.code)).toContain("assumed-heading");
    }
  });

  test("a bad edge is named, and left out when robust", () => {
    const random = seeded(21);
    let named = 0;
    let plainError = 0;
    let robustError = 0;
    for (let i = 0; i < 40; i++) {
      const camera = randomCamera(random);
      const edges = edgesOf(random, camera, "xy", 6).map((e) => noisy(random, e));
      const [a, b] = edges[4].points as Vec2[];
      const l = Math.hypot(b[0] - a[0], b[1] - a[1]);
      edges[4] = { ...edges[4], points: [a, [b[0] - (12 * (b[1] - a[1])) / l, b[1] + (12 * (b[0] - a[0])) / l]] };
      const plain = solve({ plate: frame, edges });
      const robust = solve({ plate: frame, edges, robust: true });
      if (plain.findings.some((f) => f.code === "edge-disagrees" && f.ids[0] === edges[4].id)) named++;
      const error = (r: typeof plain) => Math.log(r.camera!.focalPx / camera.focalPx) ** 2;
      plainError += error(plain);
      robustError += error(robust);
    }
    expect(named).toBeGreaterThanOrEqual(36);
    expect(robustError).toBeLessThan(plainError / 4);
  });

  test("an edge drawn backwards is turned and said so", () => {
    const random = seeded(8);
    const camera = randomCamera(random);
    const edges = edgesOf(random, camera, "xyz", 4);
    edges[2] = { ...edges[2], points: [...edges[2].points].reverse() };
    const answer = solve({ plate: frame, edges });
    expect(answer.findings.filter((f) => f.code === "edge-turned").map((f) => f.ids)).toEqual([[edges[2].id]]);
    expect(rotationAngleBetween(answer.camera!.rotation, camera.rotation)).toBeLessThan(1e-5);
  });

  test("tie points alone give place and lens", () => {
    const random = seeded(31);
    for (let i = 0; i < 15; i++) {
      const camera = randomCamera(random);
      const tiePoints: NonNullable<SolveRequest["tiePoints"]> = [];
      while (tiePoints.length < 9) {
        const world: Vec3 = [between(random, 0, 9), between(random, 0, 9), between(random, 0, 2.5)];
        const pixel = projectPoint(camera, world);
        if (inFrame(pixel)) tiePoints.push({ id: `t${tiePoints.length}`, pixel, world });
      }
      const answer = solve({ plate: frame, tiePoints });
      expect(answer.camera!.focalPx / camera.focalPx).toBeCloseTo(1, 4);
      answer.camera!.position.forEach((v, k) => expect(v).toBeCloseTo(camera.position[k], 3));
    }
  });

  test("edges on two axes give the origin", () => {
    const camera = { ...randomCamera(seeded(2)), position: [3, -5, 2] as Vec3 };
    camera.rotation = rotationFromAngles({ heading: toRadians(-30), tilt: toRadians(-15), roll: 0 });
    const edge = (id: string, axis: string, from: Vec3, metres: number, onAxis = false): RequestEdge => ({
      id,
      axis,
      onAxis,
      points: [projectPoint(camera, from)!, projectPoint(camera, add(from, scale(AXES[axis], metres)))!],
    });
    const answer = solve({
      plate: frame,
      edges: [
        edge("a", "x", [0.3, 0, 0], 1.5, true),
        edge("b", "x", [0, 1, 0], 1.5),
        edge("c", "y", [0, 0.4, 0], 1.2, true),
        edge("d", "y", [1, 0.4, 0], 1.2),
        edge("e", "z", [0, 1, 0.1], 1),
        edge("f", "z", [1, 1, 0.1], 1),
      ],
      cameraHeight: { metres: 2, sigmaMetres: 0.01 },
    });
    answer.camera!.position.forEach((v, k) => expect(v).toBeCloseTo(camera.position[k], 4));
  });
});

describe("requests that cannot be solved", () => {
  const square: RequestEdge[] = [
    {
      id: "a",
      axis: "x",
      points: [
        [100, 900],
        [900, 800],
      ],
    },
    {
      id: "b",
      axis: "x",
      points: [
        [120, 300],
        [880, 420],
      ],
    },
  ];
  const codes = (r: SolveRequest) => solve(r).findings.map((f) => f.code);

  test("each says what is missing", () => {
    expect(codes({ plate: frame })).toEqual(["no-evidence"]);
    expect(codes({ plate: frame, edges: square.slice(0, 1) })).toEqual(["too-few-edges"]);
    expect(codes({ plate: frame, edges: square })).toEqual(["focal-unknown"]);
    const twin = { ...square[0], id: "twin" };
    expect(codes({ plate: frame, edges: [square[0], twin] })).toEqual(["edge-doubled", "too-few-edges"]);
    expect(codes({ plate: frame, edges: square, lens: { solve: ["focal", "principal"], focalPx: 1500 } })).toContain(
      "principal-unknown",
    );
    for (const edges of [square.slice(0, 1), square]) expect(solve({ plate: frame, edges }).camera).toBeNull();
  });

  test("a frontal view leaves the focal length open", () => {
    const camera = { ...randomCamera(seeded(1)), rotation: rotationFromAngles({ heading: 0, tilt: 0, roll: 0 }) };
    const line = (id: string, axis: string, from: Vec3): RequestEdge => ({
      id,
      axis,
      points: [projectPoint(camera, from)!, projectPoint(camera, add(from, AXES[axis]))!],
    });
    const answer = solve({
      plate: frame,
      edges: [
        line("a", "x", [0, 6, 0]),
        line("b", "x", [0, 6, 1]),
        line("c", "z", [0, 6, 0]),
        line("d", "z", [1, 6, 0]),
      ],
    });
    expect(answer.camera).toBeNull();
    expect(answer.findings.at(-1)!.code).toMatch(/focal-unsure|no-start/);
  });

  test.each([
    [{ plate: { width: 10 } }, "plate.height"],
    [
      {
        plate: frame,
        edges: [
          {
            id: "a",
            axis: "q",
            points: [
              [0, 0],
              [1, 1],
            ],
          },
        ],
      },
      "edges[0].axis",
    ],
    [{ plate: frame, edges: [{ id: "a", axis: "x", points: [[0, 0]] }] }, "edges[0].points"],
    [
      {
        plate: frame,
        edges: [
          {
            id: "a",
            axis: "x",
            points: [
              [0, 0],
              [1, "b"],
            ],
          },
        ],
      },
      "edges[0].points[1][1]",
    ],
    [{ plate: frame, lengths: [{ id: "d", from: [0, 0], to: [1, 1], metres: 0 }] }, "lengths[0].metres"],
    [{ plate: frame, lens: { solve: ["zoom"] } }, "lens.solve[0]"],
    [{ plate: frame, tiePoints: [{ id: "t", pixel: [1, 2], world: [1, 2] }] }, "tiePoints[0].world"],
    [{ plate: frame, origin: [1, Number.NaN] }, "origin[1]"],
  ])("malformed input %# is refused by the name of its field", (input, field) => {
    expect(() => parseRequest(input)).toThrow(RequestError);
    try {
      parseRequest(input, "[3]");
    } catch (error) {
      expect((error as RequestError).field).toContain(`[3].${field.split("[")[0]}`);
      expect((error as RequestError).field).toContain(
        field.slice(0, field.lastIndexOf("[") > 0 ? field.lastIndexOf("[") : undefined),
      );
    }
  });
});
