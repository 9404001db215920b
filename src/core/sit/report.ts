import { aspect, lens } from "./checks/camera.ts";
import { contact, grounding, uprights } from "./checks/contact.ts";
import { cut, licence, mirrors, modelLicences, size, stretch, yardsticks } from "./checks/props.ts";
import { catcher, direction, tone } from "./checks/shadow.ts";
import { grain, sharpness } from "./checks/texture.ts";
import { black, cast, clipping, saturation, white } from "./checks/tone.ts";
import type { SitLine, SitScene } from "./scene.ts";

/** Every check, in the order in which they are shown. */
export const CHECKS = {
  aspect,
  lens,
  size,
  yardsticks,
  stretch,
  contact,
  uprights,
  grounding,
  direction,
  tone,
  catcher,
  black,
  white,
  saturation,
  cast,
  clipping,
  grain,
  sharpness,
  mirrors,
  cut,
  licence,
  modelLicences,
};
export type CheckName = keyof typeof CHECKS;
export const CHECK_NAMES = Object.keys(CHECKS) as CheckName[];

export type SitState = "good" | "warn" | "bad" | "unknown";
export interface ReportLine extends SitLine {
  check: CheckName;
  label: string;
  state: SitState;
}

/** Score from which something is plainly wrong. */
const BAD = 2;

const stateOf = (score: number | null): SitState =>
  score === null ? "unknown" : score <= 1 ? "good" : score < BAD ? "warn" : "bad";

/**
 * What still gives a composite away: each line with its figure and tolerance, the worst first. Faults of plate and camera
 * come before those that follow from them where both are plainly wrong.
 */
export function sitReport(scene: SitScene): ReportLine[] {
  const lines = CHECK_NAMES.flatMap((check): ReportLine[] => {
    const line = CHECKS[check].look(scene);
    return line ? [{ ...line, check, label: CHECKS[check].label, state: stateOf(line.score) }] : [];
  });
  const root = (line: ReportLine) =>
    line.state === "bad" && (line.check === "aspect" || line.check === "lens") ? 1 : 0;
  return lines.sort(
    (a, b) =>
      root(b) - root(a) ||
      (root(a) > 0 ? CHECK_NAMES.indexOf(a.check) - CHECK_NAMES.indexOf(b.check) : (b.score ?? -1) - (a.score ?? -1)),
  );
}

/** The state of the whole: that of its worst line. */
export function overall(lines: readonly Pick<ReportLine, "state">[]): SitState {
  if (lines.some(({ state }) => state === "bad")) return "bad";
  if (lines.some(({ state }) => state === "warn")) return "warn";
  return lines.length > 0 ? "good" : "unknown";
}
