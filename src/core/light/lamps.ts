import type { Lamp } from "../trace/scene.ts";
import type { ShotLamp } from "./schema.ts";

/** A kind of lamp: what it is called, what shape shines, and what of it can be set. */
export interface LampKind {
  label: string;
  icon: string;
  /** What the tracer takes it as. */
  traced: Lamp["kind"];
  /** Metres, of a new one. */
  size: [number, number];
  /** Names of its sizes: one for what is round. */
  sizes: [string] | [string, string];
  /** It has a side that it shines to. */
  faces: boolean;
  cone?: boolean;
  /** Its light by direction comes from a photometric file. */
  profile?: boolean;
}

/** Every kind of lamp. A forgotten one is a type error. */
export const LAMPS: Record<ShotLamp["kind"], LampKind> = {
  rectangle: {
    label: "rectangle",
    icon: "pi-stop",
    traced: "rectangle",
    size: [1, 0.6],
    sizes: ["Width", "Height of the lamp"],
    faces: true,
  },
  disc: { label: "disc", icon: "pi-circle", traced: "disc", size: [0.3, 0.3], sizes: ["Diameter"], faces: true },
  sphere: {
    label: "sphere",
    icon: "pi-circle-fill",
    traced: "sphere",
    size: [0.3, 0.3],
    sizes: ["Diameter"],
    faces: false,
  },
  spot: {
    label: "spot",
    icon: "pi-filter",
    traced: "spot",
    size: [0.3, 0.3],
    sizes: ["Diameter"],
    faces: true,
    cone: true,
  },
  line: {
    label: "line",
    icon: "pi-minus",
    traced: "rectangle",
    size: [1.2, 0.04],
    sizes: ["Length", "Width of the line"],
    faces: true,
  },
  photometric: {
    label: "IES file",
    icon: "pi-file",
    traced: "sphere",
    size: [0.12, 0.12],
    sizes: ["Diameter"],
    faces: true,
    profile: true,
  },
};

/** Names of all kinds, in the order in which they are offered. */
export const LAMP_NAMES = Object.keys(LAMPS) as ShotLamp["kind"][];
