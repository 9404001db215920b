import type { WorkState } from "#core/shot/api";

/** Work on the server as it tells of itself, just begun but for what is changed. */
export const workState = (change: Partial<WorkState> = {}): WorkState => ({
  id: "work-1",
  state: "running",
  share: 0,
  secondsLeft: null,
  what: "",
  message: null,
  files: [],
  ...change,
});
