import type { Details } from "#core/match/details";
import { detailsOf } from "#core/match/details";
import type { SolveAnswer, SolveRequest } from "#core/match/request";
import { solveInside } from "#core/match/solve";

/** The answer comes first, so that the overlay follows the hand; what is told about it comes once nothing newer waits. */
export interface SolveReply {
  id: number;
  answer?: SolveAnswer;
  details?: Details | null;
  error?: string;
}

const CALM = 120;
let timer: ReturnType<typeof setTimeout> | undefined;

export interface SolveAsk {
  id: number;
  request: SolveRequest;
  /** Only the answer is wanted, and nothing else is to be disturbed. */
  beside?: boolean;
}

self.onmessage = (event: MessageEvent<SolveAsk>) => {
  const { id, request, beside } = event.data;
  if (!beside) clearTimeout(timer);
  const send = (reply: SolveReply) => self.postMessage(reply);
  try {
    const { answer, inside } = solveInside(request);
    send({ id, answer });
    if (beside) return;
    timer = setTimeout(() => {
      try {
        send({ id, details: inside ? detailsOf(request, answer, inside) : null });
      } catch (error) {
        send({ id, error: (error as Error).message });
      }
    }, CALM);
  } catch (error) {
    send({ id, error: (error as Error).message });
  }
};
