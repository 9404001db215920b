import { computed } from "vue";
import { equivalents35mm } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import type { StepName } from "../stores/desk.ts";
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

/** What each step of the open shot has come to, and which are done. */
export function useStepResults() {
  const store = useShot();
  const proof = useProof();
  const finals = useFinals();
  const sit = useSit();

  const rendering = () => {
    const { running } = finals;
    if (running) return `${Math.round((running.samplesDone / running.samples) * 100)} %`;
    if (!proof.on || !proof.picture) return "";
    return proof.laid ? "final shown" : `proof ${proof.picture.samples}`;
  };

  /** What the sit report came to. */
  const sitWords = () => {
    if (!sit.lines || sit.stale) return "";
    const open = sit.lines.filter(({ state }) => state === "bad" || state === "warn").length;
    return open > 0 ? `${open} to mend` : "sits well";
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
      comp: sitWords() || (proof.on ? "shown" : ""),
      handover: done > 0 ? count(done, "final") : "",
    };
  });

  const reached = computed<Record<StepName, boolean>>(() => {
    const { shot } = store;
    const final = finals.newest !== null;
    return {
      plate: true,
      camera: shot?.solved != null,
      set: Object.keys(shot?.set ?? {}).length > 0,
      props: Object.keys(shot?.props ?? {}).length > 0,
      light: shot !== null && lightIsSet(shot),
      render: final,
      comp: final,
      handover: final,
    };
  });

  return { results, reached };
}
