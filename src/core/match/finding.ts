import type { Finding, SolveAnswer } from "./request.ts";

/** Findings in their plainest form. */

export const nothing = (findings: Finding[]): SolveAnswer => ({
  camera: null,
  rmsPx: null,
  residuals: [],
  sigma: null,
  sigmaWidened: null,
  alternatives: [],
  findings,
});

export const finding = (code: string, severity: Finding["severity"], message: string, ids: string[] = []): Finding => ({
  code,
  severity,
  message,
  ids,
});

export const axisWord = (axis: string) =>
  axis.length === 1 ? axis.toUpperCase() : `“${axis.slice(axis.indexOf(":") + 1)}”`;
