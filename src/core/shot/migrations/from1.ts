import type { Migration } from "./document.ts";
import { entries } from "./document.ts";

/** Version 2: every kind of evidence, lens, hand match, gauges and notes. */
export const from1: Migration = (old) => {
  const lens = old.lens as { focalPx: number | null; solveK1: boolean };
  return {
    ...old,
    version: 2,
    plate: { ...(old.plate as object), drawing: false },
    lens: {
      focal: lens.focalPx === null ? "solve" : "hold",
      focalPx: lens.focalPx,
      tolerance: 0.04,
      source: "",
      sensorMm: null,
      solveK1: lens.solveK1,
      solveK2: false,
      solvePrincipal: false,
      distortion: { k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 },
      distortionSource: "",
      principal: null,
      crop: null,
    },
    match: {
      by: "marks",
      robust: false,
      locks: { rotation: false, lens: false, position: false },
      held: null,
    },
    edges: entries(old.edges as Record<string, object>, (e) => ({
      onAxis: false,
      weight: 1,
      muted: false,
      locked: false,
      group: "",
      ...e,
    })),
    lengths: entries(old.lengths as Record<string, object>, (l) => ({
      name: "",
      along: "z",
      metres: 1,
      on: null,
      fromWorld: null,
      sigmaMetres: 0,
      muted: false,
      ...l,
    })),
    ties: {},
    horizon: {},
    cameraHeight: null,
    level: null,
    gauges: {},
    notes: { text: "", pictures: {}, values: {} },
  };
};
