import { expose } from "comlink";
import type { Proposals } from "#core/detect/propose";
import { proposeEdges } from "#core/detect/propose";
import type { LensBelief } from "#core/detect/reading";
import { stickEdge } from "#core/detect/stick";
import type { Tone } from "#core/detect/tone";
import { toneOf } from "#core/detect/tone";
import type { Vec2 } from "#core/math/vec3";

let tone: Tone | null = null;

/** Finds edges on one plate, whose tones it keeps. */
const detecting = {
  show(linear: Float32Array, width: number, height: number): void {
    tone = toneOf(linear, width, height);
  },
  /** Proposed edges, and the seconds that it took. */
  propose(belief: LensBelief | null): Proposals & { seconds: number } {
    const start = performance.now();
    const found = tone ? proposeEdges(tone, belief) : { edges: [], lens: null };
    return { ...found, seconds: (performance.now() - start) / 1000 };
  },
  /** Ends brought onto the edge under a mark, or null where there is none. */
  stick(from: Vec2, to: Vec2): [Vec2, Vec2] | null {
    const stuck = tone && stickEdge(tone, from, to);
    return stuck ? [stuck.from, stuck.to] : null;
  },
};
export type Detecting = typeof detecting;
expose(detecting);
