import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import type { Details } from "#core/match/details";
import type { SolveAnswer } from "#core/match/request";
import type { Camera } from "#core/optics/camera";
import { evidenceKey, solveRequestOf } from "#core/shot/assemble";
import type { Shot } from "#core/shot/schema";
import type { SolveAsk, SolveReply } from "../workers/solve.worker.ts";

/** The camera of the marks as they stand, solved in a worker; newer marks overtake older ones that still wait. */
export const useSolver = defineStore("solver", () => {
  const answer = shallowRef<SolveAnswer | null>(null);
  const answered = shallowRef("");
  /** What is told about the answer; null until it has come. */
  const details = shallowRef<Details | null>(null);
  let worker: Worker | null = null;
  let next = 1;
  /** Number of the request whose answer is shown. */
  let shown = 0;
  const waiting = new Map<number, (reply: SolveReply) => void>();
  let queued: Shot | null = null;
  let busy = false;

  function send(shot: Shot, beside = false): Promise<SolveAnswer> {
    worker ??= startWorker();
    const id = next++;
    return new Promise((resolve, reject) => {
      waiting.set(id, (reply) => (reply.answer ? resolve(reply.answer) : reject(new Error(reply.error))));
      worker!.postMessage({ id, request: solveRequestOf(shot), beside } satisfies SolveAsk);
    });
  }

  function startWorker(): Worker {
    const made = new Worker(new URL("../workers/solve.worker.ts", import.meta.url), { type: "module" });
    made.onmessage = ({ data }: MessageEvent<SolveReply>) => {
      if (data.details !== undefined) {
        if (data.id === shown) details.value = data.details;
        return;
      }
      waiting.get(data.id)?.(data);
      waiting.delete(data.id);
    };
    return made;
  }

  function follow(shot: Shot): void {
    if (evidenceKey(shot) === answered.value) return;
    queued = shot;
    if (!busy) void drain();
  }

  async function drain(): Promise<void> {
    busy = true;
    while (queued) {
      const shot = queued;
      queued = null;
      shown = next;
      const result = await send(shot);
      answer.value = result;
      answered.value = evidenceKey(shot);
      if (!result.camera) details.value = null;
    }
    busy = false;
  }

  async function answerFor(shot: Shot): Promise<SolveAnswer> {
    if (answered.value === evidenceKey(shot) && answer.value) return answer.value;
    shown = next;
    const result = await send(shot);
    answer.value = result;
    answered.value = evidenceKey(shot);
    return result;
  }

  /** The answer for a shot beside the open one; what is shown stays. */
  const answerBeside = (shot: Shot): Promise<SolveAnswer> => send(shot, true);

  const camera = computed<Camera | null>(() => answer.value?.camera ?? null);
  return { answer, answered, details, camera, follow, answerFor, answerBeside };
});
