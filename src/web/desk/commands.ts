import { edgeAxes } from "#core/match/requestOfShot";
import type { StepName } from "../stores/desk.ts";
import { OVERLAYS, STEPS, STEP_TITLES, useDesk } from "../stores/desk.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import { TOOLS } from "./toolTable.ts";

/** Everything that can be done with a key, besides what is typed: the palette lists it, the sheet of keys prints it. */
export interface Command {
  id: string;
  label: string;
  /** As `KeyboardEvent.key` in lower case; null for what only the palette has. */
  key: string | null;
  /** Steps in which it is there; all if missing. */
  steps?: StepName[];
  run: () => void;
}

/** What the page itself does. */
export interface PageActions {
  go: (step: StepName) => void;
  sheet: () => void;
}

/** All commands of the shot's page; tools come first, since their keys win in their own step. */
export function useCommands(page: PageActions): Command[] {
  const desk = useDesk();
  const store = useShot();
  const proof = useProof();

  /** Takes the selected edge to be tried elsewhere; nothing is solved with it. */
  function tryThere(): void {
    const edge = desk.selected ? store.shot?.edges[desk.selected] : undefined;
    if (desk.trial || !edge || !store.shot) {
      desk.trial = null;
      return;
    }
    desk.trial = { of: edge.id, axis: edgeAxes(store.shot).get(edge.id) ?? edge.axis, points: [...edge.points] };
    desk.selected = "trial";
  }

  /** Ends what is under way: the points so far first, then the tool. */
  function end(): void {
    if (desk.drawn.length > 0 || desk.started.length > 0) {
      desk.drawn = [];
      desk.started = [];
      desk.aim = null;
      desk.typed = "";
    } else if (desk.marking) desk.choose("pick");
    else desk.plane = null;
    desk.trial = null;
    desk.lookThrough = null;
    desk.pickingTie = false;
    store.cancelPreview();
  }

  function fit(): void {
    const plate = store.shot?.plates.main;
    if (plate) desk.fit(plate.width, plate.height);
  }

  const nextOverlay = () => {
    desk.setOverlay = OVERLAYS[(OVERLAYS.indexOf(desk.setOverlay) + 1) % OVERLAYS.length];
  };

  const tools = [...TOOLS].map(([tool, row]): Command => ({
    id: `tool-${tool}`,
    label: row.label,
    key: row.key,
    steps: [row.step],
    run: () => desk.choose(desk.tool === tool ? "pick" : tool),
  }));
  return [
    ...tools,
    ...STEPS.map((step, i): Command => ({
      id: `step-${step}`,
      label: `step ${STEP_TITLES[step]}`,
      key: String(i + 1),
      run: () => page.go(step),
    })),
    { id: "end", label: "end what is under way", key: "escape", run: end },
    { id: "fit", label: "whole plate", key: "f", run: fit },
    { id: "overlay", label: "marks and guides on or off", key: "v", run: () => (desk.overlay = !desk.overlay) },
    { id: "sill", label: "sill down or up", key: "k", run: () => (desk.sillDown = !desk.sillDown) },
    { id: "box", label: "test box", key: "u", steps: ["camera"], run: () => (desk.box = !desk.box) },
    {
      id: "outside",
      label: "look from outside",
      key: "c",
      steps: ["camera", "set", "props"],
      run: () => (desk.outside = !desk.outside),
    },
    {
      id: "frame",
      label: "fill the view with what is selected",
      key: "g",
      steps: ["props"],
      run: () => desk.framed++,
    },
    {
      id: "cross",
      label: "directions at the pointer",
      key: "a",
      steps: ["camera"],
      run: () => (desk.checks.cross = !desk.checks.cross),
    },
    { id: "try", label: "try the selected edge elsewhere", key: "t", steps: ["camera"], run: tryThere },
    { id: "set-lines", label: "set as lines, faces, hidden lines, off", key: "h", steps: ["set"], run: nextOverlay },
    { id: "proof", label: "proof on or off", key: "p", run: () => store.shot && proof.toggle(store.shot) },
    {
      id: "wipe",
      label: "wipe",
      key: "w",
      run: () => (desk.compare = desk.compare === "wipe" ? "picture" : "wipe"),
    },
    {
      id: "difference",
      label: "difference from the plate",
      key: "d",
      run: () => (desk.compare = desk.compare === "difference" ? "picture" : "difference"),
    },
    { id: "blink", label: "hold: the plate alone", key: "b", run: () => (desk.blink = true) },
    { id: "keys", label: "sheet of keys", key: "?", run: page.sheet },
    { id: "undo", label: "take back", key: null, run: () => store.undo() },
    { id: "redo", label: "do again", key: null, run: () => store.redo() },
  ];
}

/** The command of a key in a step; what belongs to the step wins. */
export function commandOfKey(commands: readonly Command[], step: StepName, key: string): Command | null {
  const own = commands.find((c) => c.key === key && c.steps?.includes(step));
  return own ?? commands.find((c) => c.key === key && !c.steps) ?? null;
}
