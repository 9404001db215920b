import type { SightingName } from "#core/light/sightings/index";
import { SIGHTING_NAMES } from "#core/light/sightings/index";
import type { Tool } from "../stores/desk.ts";

/** The tool that clicks each kind of sighting. */
export const SIGHTING_TOOLS = {
  upright: "sighting",
  pair: "shadow-pair",
  edge: "shadow-edge",
  highlight: "ball-light",
  post: "post-light",
} as const satisfies Record<SightingName, Tool>;

/** The kind of sighting that a tool clicks; null for any other tool. */
export const sightedBy = (tool: Tool): SightingName | null =>
  SIGHTING_NAMES.find((name) => SIGHTING_TOOLS[name] === tool) ?? null;
