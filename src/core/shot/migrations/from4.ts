import type { Migration } from "./document.ts";
import { entries } from "./document.ts";

type Point = [number, number, number];
interface OldVertex {
  world: Point;
  pixel: [number, number] | null;
}
interface OldSurface {
  id: string;
  name: string;
  role: "catcher" | "blocker";
  kind: "ground" | "wall" | "post";
  vertices?: OldVertex[];
  height: number;
  on?: string;
  edge?: number;
  foot?: OldVertex;
  radius?: number;
}
interface OldLight {
  albedo: { name: string; colour: Point; spread: number };
  gloss: number;
  glossRoughness: number;
  sighting: object | null;
  lit: object | null;
  shaded: object | null;
  shadows: Record<string, object>;
}

const PLATE = "main";
const vertex = (old: OldVertex) => ({ ...old, plate: PLATE });

/** Twice the area of a polygon seen from above; below 0 for one that goes round clockwise. */
const turn = (vertices: OldVertex[]): number =>
  vertices.reduce((sum, { world: a }, i) => {
    const b = vertices[(i + 1) % vertices.length].world;
    return sum + a[0] * b[1] - b[0] * a[1];
  }, 0);

function part(old: OldSurface, set: Record<string, OldSurface>): object {
  const seen = { seen: true, shadow: true, reflection: true, bounce: true, blocks: true };
  const base = {
    id: old.id,
    name: old.name,
    flags: { ...seen, catches: old.role === "catcher" },
    // Gloss was the ground's alone.
    material: old.kind === "ground" ? "material-1" : "material-2",
    faceMaterials: {},
    muted: false,
  };
  if (old.kind === "post")
    return { ...base, kind: "post", foot: vertex(old.foot!), axis: [0, 0, old.height], radius: old.radius };
  if (old.kind === "wall") {
    const host = set[old.on!];
    const raised = host?.kind === "ground" && host.height > 0;
    const clockwise = raised && turn(host.vertices!) < 0;
    const on = raised
      ? { part: old.on, face: `side-${old.edge! + 1}`, side: clockwise ? 2 : 0 }
      : { part: old.on, face: "face", side: old.edge };
    return { ...base, kind: "wall", on, foot: null, heights: [old.height, old.height], thick: 0 };
  }
  const vertices = old.vertices!.map(vertex);
  if (old.height === 0) return { ...base, kind: "polygon", vertices, holes: [] };
  return {
    ...base,
    kind: "block",
    base: vertices,
    height: turn(old.vertices!) < 0 ? -old.height : old.height,
    closed: false,
  };
}

/**
 * Version 5: several plates, with marks that carry theirs; a set of many kinds of parts with materials of their own,
 * which the light had before.
 */
export const from4: Migration = (old) => {
  const { plate, ...rest } = old;
  const { albedo, gloss, glossRoughness, ...light } = old.light as OldLight;
  const set = old.set as Record<string, OldSurface>;
  const onPlate = (thing: object) => ({ ...thing, plate: PLATE });
  const material = (id: string, name: string, own: number) => ({
    id,
    name,
    albedo: { colour: albedo.colour, spread: albedo.spread, source: albedo.name },
    gloss: own,
    roughness: glossRoughness,
    shows: "plate",
    glow: 0,
    glowColour: [1, 1, 1],
  });
  return {
    ...rest,
    version: 5,
    plates: { [PLATE]: plate },
    edges: entries(old.edges as Record<string, object>, onPlate),
    lengths: entries(old.lengths as Record<string, object>, onPlate),
    ties: entries(old.ties as Record<string, object>, onPlate),
    horizon: entries(old.horizon as Record<string, object>, onPlate),
    gauges: entries(old.gauges as Record<string, object>, onPlate),
    set: entries(set, (surface) => part(surface, set)),
    materials: {
      "material-1": material("material-1", albedo.name || "Ground", gloss),
      "material-2": material("material-2", `${albedo.name || "Ground"}, matt`, 0),
    },
    ground: "material-1",
    measures: {},
    light: {
      ...light,
      sighting: light.sighting && onPlate(light.sighting),
      lit: light.lit && onPlate(light.lit),
      shaded: light.shaded && onPlate(light.shaded),
      shadows: entries(light.shadows, onPlate),
    },
  };
};
