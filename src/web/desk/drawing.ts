import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, cross, distance, dot, normalize, scale, sub } from "#core/math/vec3";
import type { Plane } from "#core/optics/camera";
import { groundPlane } from "#core/optics/camera";
import type { Face } from "#core/set/face";
import { facePlane, planeAxes, rayMeets, ringArea, ringPlane } from "#core/set/face";
import { allFaces, facesOf } from "#core/set/faces";
import { footPlane } from "#core/set/depth";
import type { Part, PartName } from "#core/set/parts/index";
import { PARTS, kindOf } from "#core/set/parts/index";
import type { Drawn, DrawTool, Take } from "#core/set/parts/kind";
import type { AnyShape } from "#core/set/parts/make";
import { makePart } from "#core/set/parts/make";
import type { Picked } from "#core/set/pick";
import { pickAlong } from "#core/set/pick";
import { snapPoint } from "#core/set/snap";
import { isSeen, materialIdOf } from "#core/set/surface";
import type { Shot } from "#core/shot/schema";
import { parseLength } from "#core/units/length";
import type { Aim, Tool } from "../stores/desk.ts";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";
import { freshId } from "./ids.ts";
import type { Ray, Sight } from "./sight.ts";
import { onLine, onPlane } from "./sight.ts";
import { measureOfTool, partOfTool } from "./toolTable.ts";

/** Pixels of the window within which corners and sides draw the pointer. */
const REACH = 10;
/** Pixels of the window within which a side counts as clicked. */
export const SIDE_REACH = 14;

/** A plane turned so that it faces the eye. */
export function facingEye(plane: Plane, eye: Vec3): Plane {
  return dot(plane.normal, eye) < plane.offset ? { normal: scale(plane.normal, -1), offset: -plane.offset } : plane;
}

/** What the first click and the later ones of the other set tools take. */
const SET_TAKES: Partial<Record<Tool, [Take, Take]>> = {
  "plane-face": ["surface", "surface"],
  "plane-side": ["side", "side"],
  "plane-points": ["surface", "surface"],
  "shell-inset": ["surface", "plane"],
  "shell-cut": ["side", "side"],
  "shell-around": ["side", "side"],
};

/** What the clicks of a set tool take that draws no part. */
const takesOf = (tool: Tool): [Take, Take] | undefined =>
  measureOfTool(tool) ? ["surface", "surface"] : SET_TAKES[tool];

/** Drawing parts with clicks, on the plate as well as from outside. */
export function useDrawing() {
  const desk = useDesk();
  const store = useShot();
  const notices = useNotices();

  const toolOf = (): { name: PartName; draw: DrawTool<Part> } | null => {
    const name = partOfTool(desk.tool);
    const draw = name && (PARTS[name].draw as DrawTool<Part> | null);
    return name && draw ? { name, draw } : null;
  };

  /** What the click after so many points takes. */
  function takeAfter(draw: Pick<DrawTool<Part>, "takes" | "outline">, points: Drawn[]): Take {
    const { takes } = draw;
    // A side that was clicked is both ends of a foot.
    const n = points[0]?.side && takes[0] === "side" ? points.length + 1 : points.length;
    return takes[Math.min(n, takes.length - 1)];
  }

  /** The plane of the points so far. */
  function planeOf(points: Drawn[], eye: Vec3): Plane {
    if (desk.plane) return facingEye(desk.plane.plane, eye);
    const first = points[0];
    if (!first) return groundPlane();
    return facingEye({ normal: first.normal, offset: dot(first.normal, first.world) }, eye);
  }

  /** The side of a face nearest to the pointer. */
  function sideAt(shot: Shot, sight: Sight, pixel: Vec2): Drawn | null {
    let nearest = SIDE_REACH / desk.deskScale;
    let best: Drawn | null = null;
    for (const { part, face } of allFaces(shot.set)) {
      const ring = face.rings[0];
      ring.forEach((a, number) => {
        const b = ring[(number + 1) % ring.length];
        const d = distanceToLine(sight.line(a, b, 6), pixel);
        if (d >= nearest) return;
        nearest = d;
        const on = { part: part.id, face: face.id };
        const { normal } = facePlane(face);
        best = { pixel, world: a, normal, on, side: { ...on, number, ends: [a, b] } };
      });
    }
    return best;
  }

  /** Where a click would set a point of the given kind; null where it meets nothing. */
  function place(shot: Shot, sight: Sight, pixel: Vec2, take: Take, points: Drawn[], free: boolean): Aim | null {
    const ray = sight.ray(pixel);
    const plane = planeOf(points, sight.eye);
    const last = points[points.length - 1] ?? null;
    const view = {
      project: sight.project,
      pointer: pixel,
      reach: REACH / desk.deskScale,
    };
    const own = (world: Vec3): Vec2 | null => (sight.plate ? sight.project(world) : null);
    const metresTo = (world: Vec3, from: Vec3 | null) => (from ? distance(world, from) : null);
    if (take === "rise" || take === "upright") {
      const from = take === "upright" ? (points[0].side ? points[0].side.ends[0] : points[0].world) : last!.world;
      const direction: Vec3 = take === "upright" ? [0, 0, 1] : plane.normal;
      const s =
        take === "upright" && points[0].side ? heightOver(points[0].side.ends, ray) : onLine(ray, from, direction);
      if (s === null) return null;
      const world = add(from, scale(direction, s));
      const snap = free ? null : snapPoint(shot.set, world, { line: { from, direction } }, from, view);
      const at = snap?.world ?? world;
      return {
        drawn: { pixel: null, world: at, normal: direction, on: null },
        snap: snap?.name ?? "",
        metres: dot(sub(at, from), direction),
      };
    }
    if (take === "side") {
      const side = free ? null : sideAt(shot, sight, pixel);
      if (side) return { drawn: side, snap: "on this side", metres: null };
    }
    // A mark's end draws the pointer onto its own pixel.
    const mark = free || !sight.plate ? null : markNear(shot, pixel);
    if (mark) {
      const at = place(shot, sight, mark, take, points, true);
      return at && { ...at, snap: "mark" };
    }
    const surface = take !== "plane" && take !== "foot" && !desk.plane;
    const picked = surface
      ? desk.tool === "shell-inset"
        ? faceAt(shot, sight, pixel)
        : pickAlong(shot.set, ray.from, ray.direction, (part, face) => isSeen(part, face) || !sight.plate)
      : null;
    const on = picked && { part: picked.part.id, face: picked.face.id };
    const range = picked
      ? facingEye(facePlane(picked.face), sight.eye)
      : take === "foot"
        ? facingEye(desk.selected ? footPlane(shot.set, desk.selected) : groundPlane(), sight.eye)
        : surface
          ? groundPlane()
          : plane;
    const world = picked?.world ?? onPlane(ray, range);
    if (!world) return null;
    const snap = free ? null : snapPoint(shot.set, world, { plane: range }, last?.world ?? null, view);
    const at = snap?.world ?? world;
    const placed = snap ? own(at) : sight.plate ? pixel : null;
    return {
      drawn: { pixel: placed, world: at, normal: range.normal, on },
      snap: snap?.name ?? "",
      metres: metresTo(at, last?.world ?? null),
    };
  }

  /** The end of a camera mark within reach of a pixel. */
  function markNear(shot: Shot, pixel: Vec2): Vec2 | null {
    let nearest = (0.7 * REACH) / desk.deskScale;
    let best: Vec2 | null = null;
    for (const edge of Object.values(shot.edges))
      for (const end of edge.points) {
        const d = Math.hypot(end[0] - pixel[0], end[1] - pixel[1]);
        if (d < nearest) [nearest, best] = [d, [...end]];
      }
    return best;
  }

  /** Looks where the next click of the tool in hand would go. */
  function look(shot: Shot, sight: Sight, pixel: Vec2, free: boolean): void {
    const tool = toolOf();
    const take = tool ? takeAfter(tool.draw, desk.drawn) : takesOf(desk.tool)?.[desk.drawn.length > 0 ? 1 : 0];
    desk.aim = take ? place(shot, sight, pixel, take, desk.drawn, free) : null;
  }

  const complete = (draw: DrawTool<Part>, points: Drawn[]): boolean =>
    draw.outline === undefined && points.length >= draw.takes.length - (points[0]?.side ? 1 : 0);

  /** The part that the points make; a sentence where they make none. */
  function shapeOf(shot: Shot, sight: Sight, points: Drawn[]): AnyShape | string {
    const { draw } = toolOf()!;
    const context = {
      plane: planeOf(points, sight.eye),
      eye: sight.eye,
      pixelOf: (world: Vec3) => (sight.plate ? sight.project(world) : null),
      set: shot.set,
      selected: desk.selected,
    };
    return draw.build(points, context) as AnyShape | string;
  }

  /** Faces of the part as it would be with the next point, for the view. */
  function preview(shot: Shot, sight: Sight): Face[] {
    const tool = toolOf();
    if (!tool || !desk.aim) return [];
    const points = [...desk.drawn, desk.aim.drawn];
    const enough = tool.draw.outline === undefined ? complete(tool.draw, points) : points.length >= tool.draw.outline;
    if (!enough) return [];
    const shape = shapeOf(shot, sight, points);
    if (typeof shape === "string") return [];
    const part = makePart("preview", "", shape, "");
    return kindOf(part).faces(part, { ...shot.set, preview: part });
  }

  async function finish(shot: Shot, sight: Sight, points: Drawn[]): Promise<void> {
    const tool = toolOf()!;
    const shape = shapeOf(shot, sight, points);
    if (typeof shape === "string") {
      notices.say("warn", shape);
      return;
    }
    const id = freshId(tool.name, shot.set);
    const { title } = PARTS[tool.name];
    const named = `${title} ${id.slice(tool.name.length + 1)}`;
    const part = makePart(id, named, shape, materialFor(shot, points));
    const like = kindOf(part).likeOf?.(part);
    if (like) Object.assign(part, { material: shot.set[like].material, flags: { ...shot.set[like].flags } });
    desk.drawn = [];
    desk.aim = null;
    desk.typed = "";
    const kept = store.commit(`Draw ${title.toLowerCase()}`, (d) => void (d.set[id] = part));
    desk.choose("pick");
    desk.selected = id;
    desk.face = null;
    await kept;
  }

  /** A new part is made of what it is drawn on, or of the ground. */
  function materialFor(shot: Shot, points: Drawn[]): string {
    const on = points[0]?.on;
    const host = on ? shot.set[on.part] : null;
    return host ? materialIdOf(shot.set, host, on!.face) : shot.ground;
  }

  /** A click of a drawing tool. */
  async function click(shot: Shot, sight: Sight, pixel: Vec2, free: boolean): Promise<void> {
    const tool = toolOf();
    if (!tool) return;
    const { draw } = tool;
    const first = desk.drawn[0];
    const start = first && sight.project(first.world);
    const closes = start && Math.hypot(start[0] - pixel[0], start[1] - pixel[1]) * desk.deskScale < REACH;
    if (draw.outline !== undefined && closes && desk.drawn.length >= draw.outline) {
      await finish(shot, sight, desk.drawn);
      return;
    }
    const aim = place(shot, sight, pixel, takeAfter(draw, desk.drawn), desk.drawn, free);
    if (!aim) {
      notices.say("warn", "Nothing is there to draw on.", "Click on the ground below the horizon, or on a face.");
      return;
    }
    await addPoint(shot, sight, aim.drawn);
  }

  async function addPoint(shot: Shot, sight: Sight, drawn: Drawn): Promise<void> {
    const { draw } = toolOf()!;
    const points = [...desk.drawn, drawn];
    desk.typed = "";
    if (complete(draw, points)) {
      await finish(shot, sight, points);
      return;
    }
    desk.drawn = points;
    desk.aim = null;
  }

  /** A drag from corner to corner with a tool that draws outlines: a rectangle held to the plane's axes. */
  async function drag(shot: Shot, sight: Sight, from: Vec2, to: Vec2): Promise<boolean> {
    const tool = toolOf();
    if (!tool || desk.drawn.length > 0 || !["polygon", "block"].includes(tool.name)) return false;
    const a = place(shot, sight, from, "surface", [], false);
    const c = a && place(shot, sight, to, "plane", [a.drawn], false);
    if (!a || !c) return false;
    const plane = planeOf([a.drawn], sight.eye);
    const [u] = planeAxes(plane.normal);
    const across = scale(u, dot(u, sub(c.drawn.world, a.drawn.world)));
    const corner = (world: Vec3): Drawn => ({ ...a.drawn, world, pixel: sight.plate ? sight.project(world) : null });
    const b = corner(add(a.drawn.world, across));
    const d = corner(sub(c.drawn.world, across));
    if (tool.name === "block") {
      desk.drawn = [a.drawn, b, c.drawn];
      desk.aim = null;
      return true;
    }
    await finish(shot, sight, [a.drawn, b, c.drawn, d]);
    return true;
  }

  /** Enter: closes an outline, or sets the point at the length that was typed. */
  async function enter(shot: Shot, sight: Sight): Promise<void> {
    const tool = toolOf();
    if (!tool) return;
    const { aim, drawn } = desk;
    const metres = desk.typed ? parseLength(desk.typed, shot.unit) : null;
    if (desk.typed && (metres === null || metres <= 0)) {
      notices.say("warn", `“${desk.typed}” is not a length.`, "Type one such as 2.4, 75 cm or 6ft 2in.");
      desk.typed = "";
      return;
    }
    const last = drawn[drawn.length - 1];
    if (metres !== null && aim && last) {
      const take = takeAfter(tool.draw, drawn);
      const from = take === "upright" ? (drawn[0].side?.ends[0] ?? drawn[0].world) : last.world;
      const world = add(from, scale(normalize(sub(aim.drawn.world, from)), metres));
      const pixel = sight.plate && (take === "plane" || take === "surface") ? null : aim.drawn.pixel;
      await addPoint(shot, sight, { ...aim.drawn, world, pixel });
      return;
    }
    if (tool.draw.outline !== undefined && drawn.length >= tool.draw.outline) await finish(shot, sight, drawn);
  }

  /** A character that is typed while a point is drawn goes to its length; true if it was taken. */
  function type(key: string): boolean {
    if (desk.drawn.length === 0 || !toolOf()) return false;
    if (key === "Backspace" && desk.typed) {
      desk.typed = desk.typed.slice(0, -1);
      return true;
    }
    if (!(/^[0-9.,]$/.test(key) || (desk.typed && /^[a-z'" +]$/i.test(key)))) return false;
    desk.typed += key;
    return true;
  }

  /** The selected face, while a tool that shapes is in hand. */
  function chosenFace(shot: Shot): Pick<Picked, "part" | "face"> | null {
    const part = desk.selected && desk.face && desk.marking ? shot.set[desk.selected] : undefined;
    const face = part && facesOf(shot.set, part.id).find((f) => f.id === desk.face);
    return part && face ? { part, face } : null;
  }

  /** The face under a pixel. */
  const faceAt = (shot: Shot, sight: Sight, pixel: Vec2): Picked | null => {
    const ray = sight.ray(pixel);
    const own = chosenFace(shot);
    const distance = own && rayMeets(own.face, ray.from, ray.direction);
    // The selected face is there also where another one hides it.
    if (own && distance !== null)
      return { ...own, distance: distance!, world: add(ray.from, scale(ray.direction, distance!)) };
    return pickAlong(shot.set, ray.from, ray.direction, (part, face) => isSeen(part, face) || !sight.plate);
  };

  return { toolOf, look, click, drag, enter, type, preview, place, planeOf, sideAt, faceAt };
}

/** Pixels from a line of pixels; infinitely far where there is none. */
export function distanceToLine(line: readonly Vec2[], pixel: Vec2): number {
  let least = Infinity;
  for (let i = 1; i < line.length; i++) {
    const [a, b] = [line[i - 1], line[i]];
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const t = Math.min(1, Math.max(0, ((pixel[0] - a[0]) * dx + (pixel[1] - a[1]) * dy) / (dx * dx + dy * dy || 1)));
    least = Math.min(least, Math.hypot(pixel[0] - a[0] - t * dx, pixel[1] - a[1] - t * dy));
  }
  return least;
}

/** The upright plane over a side. */
export function planeOverSide(ends: readonly [Vec3, Vec3]): Plane | null {
  const normal = normalize(cross(sub(ends[1], ends[0]), [0, 0, 1]));
  return Math.hypot(...normal) < 0.5 ? null : { normal, offset: dot(normal, ends[0]) };
}

/** How high over a side a ray meets the upright plane on it; one end of the side may lie behind the eye. */
function heightOver(ends: readonly [Vec3, Vec3], ray: Ray): number | null {
  const plane = planeOverSide(ends);
  const met = plane && onPlane(ray, plane);
  if (!met) return null;
  const along = sub(ends[1], ends[0]);
  const t = dot(sub(met, ends[0]), along) / dot(along, along);
  return met[2] - (ends[0][2] + t * along[2]);
}

/** The plane through three points. */
export function planeThrough(points: readonly Vec3[]): Plane | null {
  return Math.hypot(...ringArea(points)) < 1e-6 ? null : ringPlane(points);
}
