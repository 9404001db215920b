import { covarianceOf, leaveOut } from "./adjust.ts";
import { finding, nothing } from "./finding.ts";
import type { Told } from "./findings.ts";
import { FINDINGS } from "./findings.ts";
import type { Problem, Solution } from "./problem.ts";
import type { AnswerCamera, AnswerSigma, Finding, SolveAnswer } from "./request.ts";
import { ownRms, rmsOf } from "./residuals.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { FOCAL_INDEX, moved, unknownCount } from "./unknowns.ts";
import type { Widened } from "./widen.ts";
import { deviationOf } from "./widen.ts";
import type { Vec3 } from "../math/vec3.ts";
import { rotationAngleBetween, toDegrees } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { fieldsOfView } from "../optics/camera.ts";

export function answerCamera(camera: Camera, frame: Frame): AnswerCamera {
  const fov = fieldsOfView(camera, frame);
  return {
    focalPx: camera.focalPx,
    principal: camera.principal,
    distortion: { ...camera.distortion },
    rotation: camera.rotation,
    position: camera.position,
    fovDeg: { horizontal: toDegrees(fov.horizontal), vertical: toDegrees(fov.vertical) },
  };
}

const differs = (a: Camera, b: Camera): boolean =>
  Math.abs(Math.log(a.focalPx / b.focalPx)) > 0.03 || rotationAngleBetween(a.rotation, b.rotation) > 0.02;

/** The answer of a solved problem, with its ±, residuals, other cameras and findings. */
export function describe(
  p: Problem,
  u: Unknowns,
  best: Solution,
  full: Solution,
  others: Solution[],
  rejected: string[],
  before: Finding[],
  wide: Widened | null,
): SolveAnswer {
  const { state } = best;
  const { camera } = state;
  const n = unknownCount(u);
  const covariance = covarianceOf(u, best.linear);
  const standard = (i: number) => (covariance ? Math.sqrt(covariance[i * n + i]) : Infinity);
  const focalSigma = u.focal ? standard(FOCAL_INDEX) : 0;
  if (!covariance || focalSigma > 1) {
    const message =
      "These edges leave the focal length open: seen from here the directions hardly converge. Add edges that converge more, or type the focal length.";
    return nothing([...before, finding("focal-unsure", "error", message)]);
  }
  const residuals = residualsOf(u, best, full);
  const gradientOf = (read: (s: State) => number): Float64Array => {
    const h = 1e-5;
    const g = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      const step = new Float64Array(n);
      const s = Math.min(h, 0.1 * standard(i)) || 1e-9;
      step[i] = s;
      const a = read(moved(u, state, step));
      step[i] = -s;
      g[i] = (a - read(moved(u, state, step))) / (2 * s);
    }
    return g;
  };
  const places = p.hasScale ? [0, 1, 2].map((i) => gradientOf((s) => s.camera.position[i])) : null;
  const sigmaFrom = (c: Float64Array): AnswerSigma => ({
    focalPx: u.focal ? Math.sqrt(c[FOCAL_INDEX * n + FOCAL_INDEX]) * camera.focalPx : 0,
    rotationDeg: [0, 1, 2].map((i) => toDegrees(Math.sqrt(c[i * n + i]))) as Vec3,
    positionM: places && (places.map((g) => deviationOf(c, g)) as Vec3),
    cameraHeightM: places && deviationOf(c, places[2]),
  });
  const sigmaWidened = wide && sigmaFrom(wide.covariance);
  const told: Told = { problem: p, unknowns: u, best, full, rejected, residuals, focalSigma, wide, sigmaWidened };
  const rms = rmsOf(best.evidence, state);
  const alternatives = others
    .filter((o) => differs(o.state.camera, camera) && rmsOf(o.evidence, o.state) < Math.max(4 * rms, rms + 4))
    .slice(0, 4)
    .map((o) => ({ camera: answerCamera(o.state.camera, p.frame), rmsPx: rmsOf(o.evidence, o.state) }));
  return {
    camera: answerCamera(camera, p.frame),
    rmsPx: rms,
    residuals,
    sigma: sigmaFrom(covariance),
    sigmaWidened,
    alternatives,
    findings: [...before, ...FINDINGS.flatMap((tell) => tell(told))],
  };
}

/** Of each mark how far it lies off, and how far the focal length would go without it. */
function residualsOf(u: Unknowns, best: Solution, full: Solution): SolveAnswer["residuals"] {
  const n = unknownCount(u);
  const covariance = covarianceOf(u, full.linear);
  const focal = u.focal && covariance ? Math.sqrt(covariance[FOCAL_INDEX * n + FOCAL_INDEX]) : 0;
  return full.evidence.flatMap((e, i) => {
    if (!e.id) return [];
    const out = leaveOut(u, full.linear, i);
    const influence = out && focal > 0 ? out.step[FOCAL_INDEX] / focal : null;
    return [{ id: e.id, px: ownRms(e, best.state), influence }];
  });
}
