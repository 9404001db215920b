import { expose } from "comlink";
import type { Details } from "#core/match/details";
import { detailsOf } from "#core/match/details";
import type { SolveAnswer, SolveRequest } from "#core/match/request";
import type { Inside } from "#core/match/solve";
import { solveInside } from "#core/match/solve";

/** Milliseconds without a newer request after which more is told about the last answer. */
const CALM = 120;

let last: { ticket: number; request: SolveRequest; answer: SolveAnswer; inside: Inside | null } | null = null;
let newest = 0;

/** The answer comes first, so that the overlay follows the hand; what is told about it comes once nothing newer waits. */
const solving = {
  answer(ticket: number, request: SolveRequest): SolveAnswer {
    newest = ticket;
    const { answer, inside } = solveInside(request);
    last = { ticket, request, answer, inside };
    return answer;
  },
  /** The answer to something else; what is shown stays. */
  beside: (request: SolveRequest): SolveAnswer => solveInside(request).answer,
  /** What is told about an answer; null where there is no camera, or something newer was asked. */
  async details(ticket: number): Promise<Details | null> {
    await new Promise((resolve) => setTimeout(resolve, CALM));
    if (newest !== ticket || last?.ticket !== ticket || !last.inside) return null;
    return detailsOf(last.request, last.answer, last.inside);
  },
};
export type Solving = typeof solving;
expose(solving);
