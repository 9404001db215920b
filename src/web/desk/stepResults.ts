import { computed } from "vue";
import { equivalents35mm } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import { overall } from "#core/sit/report";
import type { StepName } from "../stores/desk.ts";
import { useComp } from "../stores/comp.ts";
import { useFinals } from "../stores/finals.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import { useSit } from "../stores/sit.ts";
import { lightIsSet, lightWord } from "./lightWords.ts";

const count = (n: number, one: string) => (n === 0 ? "none" : `${n} ${one}${n === 1 ? "" : "s"}`);
const NOTHING: Record<StepName, string> = {
  plate: "",
  camera: "",
  set: "",
  props: "",
  light: "",
  render: "",
  comp: "",
  handover: "",
};

export type StepState = "open" | "good" | "warn" | "bad";

/** What each step of the open shot has come to, and which are done. */
export function useStepResults() {
  const store = useShot();
  const proof = useProof();
  const finals = useFinals();
  const sit = useSit();
  const comp = useComp();

  const rendering = () => {
    const { running } = finals;
    if (running) return `${Math.round((running.samplesDone / running.samples) * 100)} %`;
    if (!proof.on || !proof.picture) return "";
    if (!proof.laid) return `proof ${proof.picture.samples}`;
    return comp.source?.kind === "proof" ? "proof taken" : "final shown";
  };

  /** What the sit report came to, with the state of its worst line. */
  const sitResult = (): { words: string; state: StepState } | null => {
    if (!sit.lines || sit.stale) return null;
    const state = overall(sit.lines);
    const count = sit.lines.filter((line) => line.state === state).length;
    if (state === "bad") return { words: `${count} to mend`, state };
    return state === "warn" ? { words: `${count} to look at`, state } : { words: "sits well", state: "good" };
  };

  /** In its own figures. */
  const results = computed<Record<StepName, string>>(() => {
    const { shot } = store;
    if (!shot) return NOTHING;
    const frame = shotFrame(shot);
    const done = finals.list.filter((f) => f.status === "done").length;
    const focal = shot.solved && equivalents35mm(shot.solved.camera.focalPx, frame).diagonal;
    return {
      plate: `${frame.width} × ${frame.height}`,
      camera: focal ? `${focal.toFixed(1)} mm eq.` : "not solved",
      set: count(Object.keys(shot.set).length, "part"),
      props: count(Object.values(shot.props).filter((p) => !p.hidden).length, "prop"),
      light: lightWord(shot),
      render: rendering(),
      comp: sitResult()?.words ?? (proof.on ? "shown" : ""),
      handover: done > 0 ? count(done, "final") : "",
    };
  });

  /** How far each step has come: not yet, done, or done with something to mend. */
  const states = computed<Record<StepName, StepState>>(() => {
    const { shot } = store;
    const final = finals.newest !== null ? "good" : "open";
    const done = (yes: boolean): StepState => (yes ? "good" : "open");
    return {
      plate: "good",
      camera: done(shot?.solved != null),
      set: done(Object.keys(shot?.set ?? {}).length > 0),
      props: done(Object.keys(shot?.props ?? {}).length > 0),
      light: done(shot !== null && lightIsSet(shot)),
      render: final,
      comp: sitResult()?.state ?? final,
      handover: final,
    };
  });

  return { results, states };
}
