import type { SolveAnswer, SolveRequest } from "#core/match/request";
import { solve } from "#core/match/solve";

export interface SolveReply {
  id: number;
  answer?: SolveAnswer;
  error?: string;
}

self.onmessage = (event: MessageEvent<{ id: number; request: SolveRequest }>) => {
  const { id, request } = event.data;
  let reply: SolveReply;
  try {
    reply = { id, answer: solve(request) };
  } catch (error) {
    reply = { id, error: (error as Error).message };
  }
  self.postMessage(reply);
};
