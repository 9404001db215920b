import { describe, expect, test } from "@jest/globals";
import { solve } from "../match/solve.ts";
import type { SolveAnswer } from "../match/request.ts";
import type { Line } from "./lines.ts";
import { SURE } from "./propose.ts";
import type { LensBelief, Reading } from "./reading.ts";
import { readDirections } from "./reading.ts";
import { between, seeded } from "../../testing/random.ts";
import type { Street } from "../../testing/streets.ts";
import { makeStreet } from "../../testing/streets.ts";

interface Outcome {
  reading: Reading | null;
  answer: SolveAnswer | null;
  /** Logarithm of the focal length over the true one. */
  off: number;
  /** Said before accepting, or with the answer. */
  unsure: boolean;
}

/** A street read, its sure families accepted and nothing else, and solved. */
function accepted(street: Street, belief: LensBelief | null = null): Outcome {
  const reading = readDirections(street.lines, street.frame, { belief });
  if (!reading) return { reading, answer: null, off: 0, unsure: true };
  const edges = reading.families.flatMap(({ axis, lines, sure }) =>
    sure >= SURE
      ? lines.map((l) => ({ id: `e${l}`, axis, points: [street.lines[l].from, street.lines[l].to], sigmaPx: 0.7 }))
      : [],
  );
  const answer = solve({
    plate: street.frame,
    lens: {
      solve: ["focal"],
      ...(belief && { focalPx: belief.focalPx, focalTolerance: belief.focalPx * belief.relative }),
    },
    edges,
    tolerance: { deg: 0.25 },
  });
  if (!answer.camera) return { reading, answer, off: 0, unsure: true };
  const off = Math.log(answer.camera.focalPx / street.camera.focalPx);
  const loose = answer.sigmaWidened!.focalPx / answer.camera.focalPx > 0.05;
  const warned = answer.findings.some((f) => ["misfit", "focal-loose", "contradicts"].includes(f.code));
  return { reading, answer, off, unsure: !reading.lensSure || loose || warned };
}

// `npm run bench:streets` takes 300 of them.
const STREETS = Number(process.env.HARBOR_STREETS ?? 60);
const share = (list: Outcome[], holds: (o: Outcome) => boolean) => list.filter(holds).length / list.length;

describe("made streets: houses at several headings, roofs, fences, bends, clutter", () => {
  const streets = Array.from({ length: STREETS }, (_, i) => makeStreet(i));
  const outcomes = streets.map((s) => accepted(s));

  test("the lens is within a tenth or said to be unsure, and never off by a quarter without a word", () => {
    expect(share(outcomes, (o) => o.unsure || Math.abs(o.off) < 0.1)).toBeGreaterThanOrEqual(0.95);
    expect(outcomes.filter((o) => !o.unsure && Math.abs(o.off) > Math.log(1.25))).toEqual([]);
    // It is not all left open.
    expect(share(outcomes, (o) => !o.unsure)).toBeGreaterThan(0.1);
  });

  test("the widened interval holds, and the one from the marks' own noise does not", () => {
    const solved = outcomes.filter((o) => o.answer?.camera);
    const holds = (key: "sigma" | "sigmaWidened") =>
      share(solved, ({ off, answer }) => Math.abs(off) < (1.96 * answer![key]!.focalPx) / answer!.camera!.focalPx);
    expect(holds("sigmaWidened")).toBeGreaterThanOrEqual(0.9);
    expect(holds("sigma")).toBeLessThan(0.9);
  });

  test("what is said to be upright, level or sloped for sure is so", () => {
    let [right, all] = [0, 0];
    outcomes.forEach(({ reading }, i) => {
      for (const { axis, lines, sure } of reading?.families ?? []) {
        if (sure < SURE || axis.startsWith("free:")) continue;
        const kind = axis === "z" ? "upright" : "level";
        for (const l of lines) if (streets[i].kinds[l] === kind) right++;
        all += lines.length;
      }
    });
    expect(right / all).toBeGreaterThan(0.95);
  });

  test("a noted lens is counted from the start, and a wrong one is contradicted where the lines can tell", () => {
    const few = streets.slice(0, 30);
    const good = few.map((s, i) =>
      accepted(s, { focalPx: s.camera.focalPx * Math.exp(0.03 * Math.sin(7 * i)), relative: 0.04 }),
    );
    expect(share(good, (o) => Math.abs(o.off) < 0.1 || o.unsure)).toBeGreaterThanOrEqual(0.95);
    expect(share(good, (o) => !o.unsure)).toBeGreaterThan(share(outcomes.slice(0, 30), (o) => !o.unsure));
    for (const [i, s] of few.entries()) {
      if (!outcomes[i].reading?.lensSure) continue;
      const wrong = accepted(s, { focalPx: s.camera.focalPx * 0.55, relative: 0.04 });
      const { alone } = wrong.reading!;
      const apart = Math.abs(Math.log(alone.focalPx / (s.camera.focalPx * 0.55)));
      expect(apart).toBeGreaterThan(2.5 * Math.hypot(alone.relative, 0.04));
    }
  });
});

test("clutter alone gives no family of which it is sure", () => {
  const random = seeded(12);
  const frame = { width: 1620, height: 1080 };
  for (let n = 0; n < 12; n++) {
    const lines = Array.from({ length: 40 }, (): Line => {
      const [u, v, turn, long] = [
        between(random, 100, 1500),
        between(random, 100, 980),
        between(random, 0, Math.PI),
        90,
      ];
      return { from: [u, v], to: [u + long * Math.cos(turn), v + long * Math.sin(turn)] };
    });
    const sure = (readDirections(lines, frame)?.families ?? []).filter((f) => f.sure >= SURE && f.axis !== "z");
    expect(sure.length).toBeLessThanOrEqual(1);
  }
  expect(readDirections([], frame)).toBeNull();
});
