import type { Vec2 } from "../../math/vec3.ts";
import type { SolveAnswer, SolveRequest } from "../../match/request.ts";
import { requestOfShot } from "../../match/requestOfShot.ts";
import { solve } from "../../match/solve.ts";
import type { SitCheck, SitLine, SitScene } from "../scene.ts";

/** The marks as they would lie on a plate stretched by a factor across. */
function stretched(request: SolveRequest, by: number): SolveRequest {
  const wider = ([x, y]: readonly [number, number]): Vec2 => [x * by, y];
  return {
    ...request,
    plate: { width: request.plate.width * by, height: request.plate.height },
    lens: { ...request.lens, principal: request.lens?.principal ? wider(request.lens.principal) : null },
    edges: request.edges?.map((e) => ({ ...e, points: e.points.map((p) => wider(p as Vec2)) })),
    lengths: request.lengths?.map((l) => ({ ...l, from: wider(l.from as Vec2), to: wider(l.to as Vec2) })),
    tiePoints: request.tiePoints?.map((t) => ({ ...t, pixel: wider(t.pixel as Vec2) })),
    horizon: request.horizon?.map((h) => ({ ...h, pixel: wider(h.pixel as Vec2) })),
    origin: request.origin ? wider(request.origin as Vec2) : request.origin,
  } as SolveRequest;
}

/** The marks solved anew, without what is held of the lens: what they alone say. */
function alone(shot: SitScene["shot"]): SolveRequest {
  const request = requestOfShot(shot);
  return {
    ...request,
    robust: false,
    lens: {
      principal: request.lens?.principal ?? null,
      distortion: request.lens?.distortion ?? null,
      solve: ["focal"],
    },
  } as SolveRequest;
}

const counted = (shot: SitScene["shot"]): boolean =>
  shot.match.by !== "hand" || Object.values(shot.edges).filter(({ muted }) => !muted).length >= 4;

/** Share by which the focal length may differ from what the marks say, beside three of their own deviations. */
const FOCAL = 0.03;

function answerOf(request: SolveRequest): SolveAnswer | null {
  try {
    return solve(request);
  } catch {
    return null;
  }
}

/** The camera in the shot against what the marks on its plate say. */
export const lens: SitCheck = {
  label: "Camera against its marks",
  look: ({ shot }) => {
    const camera = shot.solved?.camera;
    if (!camera || !counted(shot) || Object.keys(shot.edges).length === 0) return null;
    const answer = answerOf(alone(shot));
    const sigma = (answer?.sigmaWidened ?? answer?.sigma)?.focalPx;
    if (!answer?.camera || !sigma) return null;
    const allowed = Math.max(3 * sigma, FOCAL * answer.camera.focalPx);
    const off = camera.focalPx - answer.camera.focalPx;
    const score = Math.abs(off) / allowed;
    return {
      score,
      value: `${camera.focalPx.toFixed(0)} px, the marks say ${answer.camera.focalPx.toFixed(0)}`,
      tolerance: `± ${allowed.toFixed(0)} px`,
      words:
        score <= 1
          ? "The camera is that of its marks."
          : `The lens is ${off > 0 ? "longer" : "shorter"} than the marks say: solve the camera by its marks, or check what is held.`,
      step: "camera",
      spot: null,
    };
  },
};

/** Stretches that are tried, as factors across. */
const FACTORS = [0.8, 0.85, 0.9, 0.94, 0.97, 1, 1.03, 1.06, 1.1, 1.15, 1.2];
/** Stretch that nobody sees, and by how much marks must agree better for it to be believed. */
const ASPECT = 0.02;
const BETTER = 1.6;

/** Whether the plate was stretched: marks along three directions fit one lens only if its pixels are square. */
export const aspect: SitCheck = {
  label: "Plate not stretched",
  look: ({ shot }): SitLine | null => {
    const axes = new Set(Object.values(shot.edges).flatMap(({ axis, muted }) => (muted ? [] : [axis])));
    if (!shot.solved || !["x", "y", "z"].every((a) => axes.has(a))) return null;
    const request = { ...alone(shot), lengths: [], origin: null, cameraHeight: null } as SolveRequest;
    const rmsAt = (by: number) => answerOf(stretched(request, by))?.rmsPx ?? Infinity;
    const tried = FACTORS.map((by) => ({ by, rms: rmsAt(by) }));
    const now = tried.find(({ by }) => by === 1)!;
    let best = tried.reduce((a, b) => (b.rms < a.rms ? b : a));
    for (let step = 0.015; step > 0.003; step /= 2)
      for (const by of [best.by - step, best.by + step]) {
        const rms = rmsAt(by);
        if (rms < best.rms) best = { by, rms };
      }
    if (!Number.isFinite(now.rms)) return null;
    const off = Math.abs(best.by - 1);
    const sure = now.rms / Math.max(best.rms, 0.2);
    const score = Math.min(off / ASPECT, sure / BETTER);
    return {
      score,
      value: `marks fit best ${(100 * best.by).toFixed(1)} % wide: ${best.rms.toFixed(2)} px, as it is ${now.rms.toFixed(2)} px`,
      tolerance: `${100 * ASPECT} %, if it fits ${BETTER} × as well`,
      words:
        score <= 1
          ? "The plate's pixels are square as far as its marks tell."
          : `The plate was stretched ${(100 * Math.abs(1 / best.by - 1)).toFixed(0)} % ${best.by < 1 ? "across" : "in height"} before it came here: take it anew from the camera's file.`,
      step: "plate",
      spot: null,
    };
  },
};
