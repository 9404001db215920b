import type { Proposal } from "#core/detect/propose";
import { proposeEdges } from "#core/detect/propose";
import { stickEdge } from "#core/detect/stick";
import type { Tone } from "#core/detect/tone";
import { toneOf } from "#core/detect/tone";
import type { Vec2 } from "#core/math/vec3";

export type DetectRequest =
  | { id: number; kind: "plate"; linear: Float32Array; width: number; height: number }
  | { id: number; kind: "propose" }
  | { id: number; kind: "stick"; from: Vec2; to: Vec2 };

export interface DetectReply {
  id: number;
  proposals?: Proposal[];
  ends?: [Vec2, Vec2] | null;
  seconds: number;
}

let tone: Tone | null = null;

self.onmessage = (event: MessageEvent<DetectRequest>) => {
  const request = event.data;
  const start = performance.now();
  const reply: DetectReply = { id: request.id, seconds: 0 };
  if (request.kind === "plate") tone = toneOf(request.linear, request.width, request.height);
  else if (request.kind === "propose") reply.proposals = tone ? proposeEdges(tone) : [];
  else {
    const stuck = tone && stickEdge(tone, request.from, request.to);
    reply.ends = stuck ? [stuck.from, stuck.to] : null;
  }
  reply.seconds = (performance.now() - start) / 1000;
  self.postMessage(reply);
};
