import { plainCamera } from "#core/match/handMoves";
import { shotFrame } from "#core/plate/schema";
import { handAnswer, takeCamera } from "#core/shot/resolve";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";
import { useSolver } from "../stores/solver.ts";
import type { HandMove, TurnAxis } from "./handSteps.ts";
import { heldBack, movedByHand } from "./handSteps.ts";

const NAMES: Partial<Record<HandMove, string>> = {
  nearer: "Move camera nearer",
  farther: "Move camera farther",
  tighter: "Longer lens from farther",
  wider: "Shorter lens from nearer",
  upright: "Camera upright",
  level: "Camera level",
};

/** Hand matching of the open shot. */
export function useHand() {
  const store = useShot();
  const solver = useSolver();
  const notices = useNotices();

  /** Takes the match into the hand, from the solved camera or from a plain one; nothing moves. */
  async function begin(): Promise<void> {
    const shot = store.shot;
    if (!shot) return;
    const camera = shot.solved?.camera ?? solver.camera ?? plainCamera(shotFrame(shot), shot.lens.focalPx);
    await store.commit("Match by hand", (draft) => {
      draft.match.by = "hand";
      takeCamera(draft, handAnswer(camera));
    });
  }

  async function end(): Promise<void> {
    await store.commit("Match from marks", (draft) => (draft.match.by = "marks"));
  }

  async function make(move: HandMove, fine: boolean, axis: TurnAxis): Promise<void> {
    const shot = store.shot;
    const camera = shot?.solved?.camera;
    if (!shot || !camera) return;
    const lock = heldBack(move, shot.match.locks);
    if (lock) {
      notices.say("warn", `The ${lock} is locked.`, "Unlock it in the drawer “By hand” to make this move.");
      return;
    }
    await store.moveByHand(NAMES[move] ?? "Nudge camera", movedByHand(shot, camera, move, fine, axis));
  }

  return { begin, end, make };
}
