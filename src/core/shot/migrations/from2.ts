import type { Migration } from "./document.ts";
import { entries } from "./document.ts";

/** Version 3: lamps, focus, what meets a prop, its motion, and how finals are rendered. */
export const from2: Migration = (old) => ({
  ...old,
  version: 3,
  props: entries(old.props as Record<string, object>, (prop) => ({
    hidden: false,
    visibility: { camera: true, shadow: true, reflection: true, bounce: true },
    motion: null,
    ...prop,
  })),
  light: { ...(old.light as object), lamps: {} },
  focus: { on: false, openingMm: 5, distance: 5, blades: 7, turnDeg: 0 },
  render: {
    noise: 0,
    minutes: 0,
    passes: [],
    occlusionMetres: 1,
    denoise: false,
    limit: 20,
    threads: 0,
    ...(old.render as object),
  },
});
