import { shallowRef } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, cross, dot, mix, normalize, scale, sub } from "#core/math/vec3";
import type { Plane } from "#core/optics/camera";
import { MAIN_PLATE } from "#core/plate/schema";
import { faceNormal, facePlane } from "#core/set/face";
import { MEASURES, newMeasure } from "#core/set/measures";
import type { Drawn } from "#core/set/parts/kind";
import type { Shell } from "#core/set/parts/shell";
import type { OnEdge } from "#core/set/shell/cut";
import { cutAround, cutFace } from "#core/set/shell/cut";
import type { Body } from "#core/set/shell/make";
import { moveFace } from "#core/set/shell/move";
import { insetFace, pullFace } from "#core/set/shell/pull";
import type { Picked } from "#core/set/pick";
import { nearestEdge } from "#core/set/plateEdge";
import { asShell, withBody } from "#core/set/shell/turn";
import { materialIdOf } from "#core/set/surface";
import { placedVertex } from "#core/set/vertex";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import { SIDE_REACH, distanceToLine, planeOverSide, planeThrough, useDrawing } from "./drawing.ts";
import { freshId } from "./ids.ts";
import type { Sight } from "./sight.ts";
import { measureOfTool } from "./toolTable.ts";
import { onLine, onPlane } from "./sight.ts";

/** A pull under way: the shell as it was, the face, its side nearest to where it was grabbed, and how far it has gone. */
interface Pull {
  shell: Shell;
  face: string;
  side: [Vec3, Vec3];
  normal: Vec3;
  /** It was grabbed at that side. */
  near: boolean;
  start: number;
  metres: number;
  whole: boolean;
  onEdge: boolean;
}

/** Tools that shape the set: working planes, shells, colours from the plate, measuring. */
export function useSetTools() {
  const desk = useDesk();
  const store = useShot();
  const notices = useNotices();
  const drawing = useDrawing();
  const proof = useProof();
  const plate = usePlate();

  /** A face that is being pulled. */
  const pulled = shallowRef<Pull | null>(null);
  let patch: Vec2 | null = null;

  const say = (message: string) => notices.say("warn", message);

  /** The shell that a face belongs to, turned into one if need be. */
  function shellOf(shot: Shot, id: string): Shell | null {
    const shell = asShell(shot.set, id);
    if (typeof shell !== "string") return shell;
    say(shell);
    return null;
  }

  const put = (shell: Shell, body: Body) => (draft: Shot) => void (draft.set[shell.id] = withBody(shell, body));

  async function shaped(name: string, shell: Shell, outcome: ({ body: Body } & object) | string): Promise<void> {
    desk.drawn = [];
    desk.aim = null;
    if (typeof outcome === "string") {
      say(outcome);
      return;
    }
    desk.selected = shell.id;
    await store.commit(name, (d) => put(shell, outcome.body)(d as Shot));
  }

  function hold(plane: Plane | null, name: string): void {
    desk.drawn = [];
    desk.aim = null;
    if (!plane) {
      say("These do not tell a plane. Click elsewhere.");
      return;
    }
    desk.plane = { name, plane };
    desk.choose("pick");
  }

  /** Begins a drag of a tool that drags; false for others. */
  function press(shot: Shot, sight: Sight, pixel: Vec2): boolean {
    if (desk.tool === "pick-material") {
      patch = sight.plate ? pixel : null;
      return patch !== null;
    }
    if (desk.tool !== "shell-face") return false;
    const picked = drawing.faceAt(shot, sight, pixel);
    if (!picked) {
      say("No face is there. Press on a face of the set.");
      return true;
    }
    const shell = shellOf(shot, picked.part.id);
    if (!shell) return true;
    desk.selected = shell.id;
    desk.face = picked.face.id;
    const pull = {
      shell,
      face: picked.face.id,
      ...sideNear(sight, picked, pixel),
      metres: 0,
      whole: false,
      onEdge: false,
    };
    // Grabbed beside its side, the face follows by the way that the pointer goes; at its side, the side is at the pointer.
    const start = pull.near ? 0 : (pulledTo(sight, pull, pixel) ?? 0);
    pulled.value = { ...pull, start };
    return true;
  }

  /** The side of a face nearest to a pixel. */
  function sideNear(sight: Sight, { face }: Pick<Picked, "face">, pixel: Vec2): Pick<Pull, "side" | "normal" | "near"> {
    const ring = face.rings[0];
    const sides = ring.map((a, i): [Vec3, Vec3] => [a, ring[(i + 1) % ring.length]]);
    const far = sides.map((side) => distanceToLine(sight.line(...side, 6), pixel));
    const least = Math.min(...far);
    return {
      side: sides[Math.max(0, far.indexOf(least))],
      normal: faceNormal(face),
      near: least * desk.deskScale < SIDE_REACH,
    };
  }

  /** Metres along the normal at which the face's side is seen through a pixel; null where that cannot be told. */
  function pulledTo(sight: Sight, { side: [a, b], normal }: Pick<Pull, "side" | "normal">, pixel: Vec2): number | null {
    const ray = sight.ray(pixel);
    const across = normalize(cross(sub(b, a), normal));
    const slant = Math.abs(dot(across, ray.direction));
    const met = slant > 0.02 ? onPlane(ray, { normal: across, offset: dot(across, a) }) : null;
    return met ? dot(sub(met, a), normal) : onLine(ray, a, normal);
  }

  /** Metres by which the pulled side lies on the nearest edge that the plate shows there; null where there is none. */
  function edgeNear(sight: Sight, { side: [a, b], normal }: Pull, metres: number): number | null {
    const picture = sight.plate ? plate.shown : null;
    const at = (p: Vec3, by: number) => add(p, scale(normal, by));
    const middle = mix(a, b, 0.5);
    const [p, q] = [sight.project(at(middle, metres)), sight.project(at(middle, metres + 1e-3))];
    if (!picture || !p || !q) return null;
    const pixels = Math.hypot(q[0] - p[0], q[1] - p[1]) / 1e-3;
    if (pixels < 1) return null;
    const lineAt = (shift: number) => {
      const by = metres + shift / pixels;
      return sight.line(at(a, by), at(b, by), 6);
    };
    const shift = nearestEdge(picture, lineAt, Math.min(12, Math.max(3, SIDE_REACH / 2 / desk.deskScale)));
    return shift === null ? null : metres + shift / pixels;
  }

  const outcomeOf = ({ shell, face, metres, whole }: Pull) =>
    whole ? moveFace(shell, face, metres) : pullFace(shell, face, metres);

  /**
   * Goes on with the drag; with Shift the faces around go along instead of new sides. The side that was grabbed goes onto
   * an edge that the plate shows, unless it is let go with Alt or the metres are typed.
   */
  function move(sight: Sight, pixel: Vec2, held: { whole: boolean; free: boolean }, exact: number | null): void {
    const pull = pulled.value;
    const to = pull && (exact ?? pulledTo(sight, pull, pixel));
    if (!pull || to === null) return;
    let metres = exact ?? to - pull.start;
    const edge = exact !== null || held.free ? null : edgeNear(sight, pull, metres);
    if (edge !== null) metres = edge;
    const next = { ...pull, metres, whole: held.whole, onEdge: edge !== null };
    pulled.value = next;
    const outcome = outcomeOf(next);
    if (typeof outcome !== "string") store.preview((d) => put(next.shell, outcome.body)(d as Shot));
  }

  /** Metres by which a face is being pulled; null while none is. */
  const pulledMetres = () => pulled.value?.metres ?? null;
  const onPlateEdge = () => pulled.value?.onEdge ?? false;

  async function release(shot: Shot, pixel: Vec2): Promise<void> {
    if (patch) {
      const from = patch;
      patch = null;
      await takeColour(shot, from, pixel);
      return;
    }
    const pull = pulled.value;
    pulled.value = null;
    if (!pull) return;
    store.cancelPreview();
    const outcome = outcomeOf(pull);
    if (typeof outcome === "string") return;
    desk.face = pull.face;
    await shaped(pull.whole ? "Move face" : "Pull face", pull.shell, outcome);
  }

  /** The colour of a patch of the plate as the albedo of the selected material: over the light there where that is known. */
  async function takeColour(shot: Shot, a: Vec2, b: Vec2): Promise<void> {
    const centre: Vec2 = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
    const radius = Math.max(3, Math.hypot(a[0] - b[0], a[1] - b[1]) / 2);
    const part = desk.selected ? shot.set[desk.selected] : undefined;
    const id = part ? materialIdOf(shot.set, part, desk.face ?? "") : shot.ground;
    const material = shot.materials[id];
    if (!material) return;
    desk.choose("pick");
    const found = await proof.albedo(shot, centre, radius);
    if (typeof found === "string") {
      say(found);
      return;
    }
    const { colour, source, spread } = found;
    await store.commit("Take colour from the plate", (d) => {
      d.materials[id].albedo = { colour, spread, source };
    });
    notices.say("good", `${material.name} has the colour of the plate there.`, source);
  }

  /** Where on a side of the shell a click lies. */
  function onEdge(shell: Shell, drawn: Drawn, sight: Sight, pixel: Vec2): OnEdge | null {
    const side = drawn.side;
    if (!side) return null;
    const ring = shell.faces[side.face]?.rings[0];
    if (!ring) return null;
    const [from, to] = side.ends;
    const along = [to[0] - from[0], to[1] - from[1], to[2] - from[2]] as Vec3;
    const metres = Math.hypot(...along);
    const s = onLine(sight.ray(pixel), from, scale(along, 1 / metres));
    let at = Math.min(1, Math.max(0, (s ?? 0) / metres));
    const near = (share: number) => {
      const p = sight.project(add(from, scale(along, share)));
      return p !== null && Math.hypot(p[0] - pixel[0], p[1] - pixel[1]) * desk.deskScale < 12;
    };
    // Ends and the middle draw the cut.
    for (const share of [0, 1, 0.5]) if (Math.abs(at - share) < 0.2 && near(share)) at = share;
    return { edge: [ring[side.number], ring[(side.number + 1) % ring.length]], at };
  }

  let cutFrom: OnEdge | null = null;

  /** A click of these tools; false for other tools. */
  async function click(shot: Shot, sight: Sight, pixel: Vec2, free: boolean): Promise<boolean> {
    const { tool } = desk;
    if (tool === "plane-face") {
      const picked = drawing.faceAt(shot, sight, pixel);
      if (picked) hold(facePlane(picked.face), `${picked.part.name}, ${picked.face.id}`);
      else say("No face is there. Click on a face of the set.");
      return true;
    }
    if (tool === "plane-side") {
      const side = drawing.sideAt(shot, sight, pixel)?.side;
      if (side) hold(planeOverSide(side.ends), `upright on ${shot.set[side.part].name}`);
      else say("No side is there. Click nearer to a side of a face.");
      return true;
    }
    const measure = measureOfTool(tool);
    if (tool === "plane-points" || measure) {
      const { least, most, closed } = measure ? MEASURES[measure] : { least: 3, most: 3, closed: false };
      if (closed && desk.drawn.length >= least && nearFirst(sight, pixel)) {
        await keepMeasure(shot, desk.drawn);
        return true;
      }
      const aim = drawing.place(shot, sight, pixel, "surface", desk.drawn, free);
      if (!aim) {
        say("Nothing is there. Click on the ground or on a face.");
        return true;
      }
      const points = [...desk.drawn, aim.drawn];
      if (points.length < (most ?? Infinity)) desk.drawn = points;
      else if (measure) await keepMeasure(shot, points);
      else hold(planeThrough(points.map((p) => p.world)), "through three points");
      return true;
    }
    if (tool === "shell-inset") {
      const first = desk.drawn[0];
      if (desk.drawn.length >= 3 && nearFirst(sight, pixel)) {
        await closeInset(shot);
        return true;
      }
      const aim = drawing.place(shot, sight, pixel, first ? "plane" : "surface", desk.drawn, free);
      if (!aim || (!first && !aim.drawn.on)) say("Click on a face of the set.");
      else desk.drawn = [...desk.drawn, aim.drawn];
      return true;
    }
    if (tool === "shell-cut" || tool === "shell-around") {
      const drawn = drawing.sideAt(shot, sight, pixel);
      const shell = drawn?.side && shellOf(shot, drawn.side.part);
      const at = shell && onEdge(shell, drawn, sight, pixel);
      if (!drawn || !shell || !at) {
        say("No side is there. Click nearer to a side of a face.");
        return true;
      }
      if (tool === "shell-around") await shaped("Cut around", shell, cutAround(shell, at));
      else if (!cutFrom || desk.drawn.length === 0) {
        cutFrom = at;
        desk.drawn = [drawn];
      } else {
        const face = shared(shell, cutFrom, at);
        const from = cutFrom;
        cutFrom = null;
        await shaped(
          "Cut face",
          shell,
          face ? cutFace(shell, face, from, at) : "The two sides must belong to one face.",
        );
      }
      return true;
    }
    return false;
  }

  /** The face that has both edges. */
  function shared(shell: Shell, a: OnEdge, b: OnEdge): string | null {
    const has = (ring: string[], [p, q]: [string, string]) => {
      const i = ring.indexOf(p);
      return i >= 0 && (ring[(i + 1) % ring.length] === q || ring[(i + ring.length - 1) % ring.length] === q);
    };
    const found = Object.entries(shell.faces).filter(([, { rings }]) => has(rings[0], a.edge) && has(rings[0], b.edge));
    return found.length > 0 ? (found.find(([id]) => id === desk.face) ?? found[0])[0] : null;
  }

  async function closeInset(shot: Shot): Promise<void> {
    const [first] = desk.drawn;
    const shell = first?.on && shellOf(shot, first.on.part);
    if (!shell || desk.drawn.length < 3) return;
    const placed = desk.drawn.map((d) => (d.pixel ? placedVertex(d.world, d.pixel) : null));
    const outcome = insetFace(
      shell,
      first.on!.face,
      desk.drawn.map((d) => d.world),
      placed,
    );
    await shaped("Draw face", shell, outcome);
    if (typeof outcome !== "string") {
      desk.face = outcome.face;
      desk.choose("shell-face");
    }
  }

  /** Whether a pixel is on the first point that was clicked. */
  function nearFirst(sight: Sight, pixel: Vec2): boolean {
    const start = desk.drawn[0] && sight.project(desk.drawn[0].world);
    return start !== null && Math.hypot(start[0] - pixel[0], start[1] - pixel[1]) * desk.deskScale < 10;
  }

  async function keepMeasure(shot: Shot, points: readonly Drawn[]): Promise<void> {
    const kind = measureOfTool(desk.tool)!;
    if (points.length < MEASURES[kind].least) {
      say(`${MEASURES[kind].title}: ${MEASURES[kind].least} points are needed.`);
      return;
    }
    const id = freshId("measure", shot.measures);
    desk.drawn = [];
    desk.aim = null;
    desk.setDrawer = "measure";
    const made = newMeasure(id, kind, MAIN_PLATE, points);
    await store.commit("Measure", (d) => void (d.measures[id] = made));
    desk.selected = id;
  }

  /** Enter: closes what takes any number of points; false for other tools. */
  async function enter(shot: Shot, _sight: Sight): Promise<boolean> {
    if (measureOfTool(desk.tool) && desk.drawn.length > 0) {
      await keepMeasure(shot, desk.drawn);
      return true;
    }
    if (desk.tool !== "shell-inset") return false;
    await closeInset(shot);
    return true;
  }

  return { press, move, release, click, enter, pulledMetres, onPlateEdge };
}
