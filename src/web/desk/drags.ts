import { useEventListener } from "@vueuse/core";
import type { ComputedRef, Ref, ShallowRef } from "vue";
import { computed, ref, shallowRef } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";
import { useContact } from "./contact.ts";
import { useDrawing } from "./drawing.ts";
import type { Handle } from "./handles/handle.ts";
import { handleAt } from "./handles/handle.ts";
import { turnSkyHandle } from "./handles/light.ts";
import type { usePropMoves } from "./propMoves.ts";
import type { useSetTools } from "./setTools.ts";
import type { Sight } from "./sight.ts";
import { useMattes } from "./mattes.ts";
import { useTools } from "./tools.ts";
import { useTypedWays } from "./typedWays.ts";
import type { View3d } from "./view3d.ts";

/** What the pointer does on the desk: grabbing, dragging, drawing, panning, wiping. */

type Drag =
  | { kind: "wipe" }
  | { kind: "pan"; from: Vec2; offset: Vec2 }
  | { kind: "handle"; handle: Handle; from: Vec2; grab: Vec2; moved: boolean; to: Vec2 }
  | { kind: "prop"; id: string; start: Vec2; moved: boolean; to: Vec2; level: boolean }
  | { kind: "mark"; from: Vec2; press: Vec2 }
  | { kind: "stroke"; points: Vec2[] }
  | { kind: "set"; to: Vec2; whole: boolean; free: boolean };

/** What the desk has, for the pointer. */
export interface DragScene {
  props: { shot: Shot; camera: Camera | null };
  root: Ref<HTMLElement | undefined>;
  sight: ComputedRef<Sight | null>;
  view: ShallowRef<View3d | null>;
  handles: ComputedRef<Handle[]>;
  /** The wipe's line in the window, while it is in use. */
  wipeLine: ComputedRef<number | null>;
  drag: ShallowRef<Drag | null>;
  setTools: ReturnType<typeof useSetTools>;
  propMoves: ReturnType<typeof usePropMoves>;
}

export const newDrag = (): ShallowRef<Drag | null> => shallowRef<Drag | null>(null);

/** Pixels of the window within which a handle is grabbed. */
const GRAB = 11;
/** Pixels of the window after which a press is a drag: of a handle, of a prop, of a mark. */
const STIR = { handle: 2, prop: 3, mark: 5 };

/** The pointer over the desk. */
export function useDrags({ props, root, sight, view, handles, wipeLine, drag, setTools, propMoves }: DragScene) {
  const desk = useDesk();
  const store = useShot();
  const notices = useNotices();
  const tools = useTools((shot, at, pixel) => propMoves.surfaceAt(shot, at, pixel));
  const drawing = useDrawing();
  const typed = useTypedWays();
  const contact = useContact();
  const mattes = useMattes();
  const hot = ref<string | null>(null);
  /** The handle that was grabbed last. */
  const active = ref<string | null>(null);

  const frame = computed(() => ({ width: props.shot.plates.main.width, height: props.shot.plates.main.height }));
  const local = (e: PointerEvent | WheelEvent | MouseEvent): Vec2 => {
    const box = root.value!.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  };
  /** A pixel of the plate; of the window when looking from outside. */
  const pixelAt = (at: Vec2): Vec2 => (desk.outside ? at : desk.toPlate(at));
  const inside = (p: Vec2): Vec2 =>
    desk.outside
      ? p
      : [Math.min(frame.value.width, Math.max(0, p[0])), Math.min(frame.value.height, Math.max(0, p[1]))];
  /** Where a tool's point lies: lamps hang beyond the frame as well. */
  const marked = (p: Vec2): Vec2 => (desk.tool.startsWith("lamp-") ? p : inside(p));
  const reach = () => GRAB / desk.deskScale;
  /** Tools whose press and drag give both points. */
  const takesTwo = () =>
    desk.tool.startsWith("edge-") ||
    ["length", "tape", "line", "closer", "soft-edge", "grain-area", "lamp-window"].includes(desk.tool);
  const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]) * desk.scale < STIR.prop;

  /** The prop that is seen at a pixel. */
  const propAt = (pixel: Vec2): string | null =>
    props.camera && desk.step === "props" ? (view.value?.propAt(props.camera, pixel) ?? null) : null;

  /** Selects the part of the set under a pixel; clicked again, its face there. True if there is one. */
  function pickPart(pixel: Vec2): boolean {
    const picked = sight.value && drawing.faceAt(props.shot, sight.value, pixel);
    if (!picked) return false;
    const again = desk.selected === picked.part.id;
    desk.selected = picked.part.id;
    desk.face = again ? picked.face.id : null;
    return true;
  }

  function down(e: PointerEvent): void {
    // The tag beside what is selected has fields of its own.
    if ((e.target as HTMLElement).closest(".tag-box")) return;
    const at = local(e);
    const pixel = pixelAt(at);
    if (desk.outside) {
      // The view turns where nothing can be grabbed and no tool is in hand.
      const grabs = e.button === 0 && (desk.marking || handleAt(handles.value, pixel, reach()) !== null);
      if (!grabs || desk.pickingTie) {
        if (e.button === 0 && !desk.pickingTie && desk.step === "set") pickPart(pixel);
        return;
      }
      e.stopPropagation();
    }
    root.value!.setPointerCapture(e.pointerId);
    root.value!.focus();
    const pan: Drag = { kind: "pan", from: at, offset: desk.offset };
    if (!desk.outside && (e.button === 1 || e.button === 2 || (e.altKey && !desk.marking))) drag.value = pan;
    else if (wipeLine.value !== null && Math.abs(at[0] - wipeLine.value) < 8) drag.value = { kind: "wipe" };
    else drag.value = desk.marking ? pressTool(at, pixel) : (grabAt(pixel, e.shiftKey) ?? pan);
  }

  function pressTool(at: Vec2, pixel: Vec2): Drag {
    typed.begin();
    if (desk.tool === "matte-brush") return { kind: "stroke", points: [inside(pixel)] };
    if (desk.tool === "turn-sky" && props.camera) {
      const handle = turnSkyHandle(props.shot, props.camera, pixel);
      if (handle) return { kind: "handle", handle, from: pixel, grab: [0, 0], moved: false, to: pixel };
    }
    if (sight.value && setTools.press(props.shot, sight.value, pixel))
      return { kind: "set", to: pixel, whole: false, free: false };
    if (takesTwo() && desk.started.length === 0) desk.started = [marked(pixel)];
    return { kind: "mark", from: at, press: pixel };
  }

  /** What is grabbed at a pixel; null where that is nothing, and nothing is selected then. */
  function grabAt(pixel: Vec2, more: boolean): Drag | null {
    const handle = handleAt(handles.value, pixel, reach());
    if (handle) {
      typed.begin();
      active.value = handle.key;
      if (handle.owner) desk.chooseFirst(handle.owner);
      else desk.selected = null;
      const grab: Vec2 = [handle.at[0] - pixel[0], handle.at[1] - pixel[1]];
      return { kind: "handle", handle, from: pixel, grab, moved: false, to: pixel };
    }
    const prop = propAt(pixel);
    if (prop) {
      if (more) {
        desk.alsoChoose(prop);
        return null;
      }
      desk.chooseFirst(prop);
      if (props.shot.props[prop].locked) return null;
      return { kind: "prop", id: prop, start: pixel, moved: false, to: pixel, level: false };
    }
    if (desk.step === "set" && pickPart(pixel)) return null;
    desk.selected = null;
    desk.also = [];
    desk.face = null;
    return null;
  }

  type Change = (draft: Parameters<Handle["drag"]>[0]) => void;

  const targetOf = (d: Extract<Drag, { kind: "handle" }>, pixel: Vec2): Vec2 =>
    d.handle.to ? pixel : inside([pixel[0] + d.grab[0], pixel[1] + d.grab[1]]);

  /** Metres that a handle goes: what was typed, else to where it is dragged. */
  function metresOf(d: Extract<Drag, { kind: "handle" }>): number[] | null {
    const dragged = d.handle.typed?.read(targetOf(d, d.to));
    return dragged ? typed.metres(dragged, props.shot.unit) : null;
  }

  function changeOf(d: Extract<Drag, { kind: "handle" }>): Change {
    const metres = metresOf(d);
    if (metres) return (draft) => d.handle.typed!.put(draft, metres);
    const target = targetOf(d, d.to);
    return (draft) => d.handle.drag(draft, target, [d.to[0] - d.from[0], d.to[1] - d.from[1]]);
  }

  /** Moves a prop over what its foot is then over, by the way that the pointer went; level with Alt. */
  function propMove({ id, start, to, level }: Extract<Drag, { kind: "prop" }>): Change {
    const shot = store.work!.shot;
    const foot = sight.value?.project(shot.props[id].placement.position as Vec3);
    const change =
      sight.value && foot
        ? propMoves.moveOver(shot, sight.value, id, [foot[0] + to[0] - start[0], foot[1] + to[1] - start[1]], level)
        : null;
    return (draft) => change?.(draft);
  }

  function move(e: PointerEvent): void {
    const at = local(e);
    const pixel = pixelAt(at);
    desk.pointer = inside(pixel);
    const d = drag.value;
    if (desk.marking && sight.value && desk.step === "set" && d?.kind !== "set")
      drawing.look(props.shot, sight.value, pixel, e.altKey);
    if (!d) hot.value = desk.marking ? null : (handleAt(handles.value, pixel, reach())?.key ?? null);
    else if (d.kind === "wipe") desk.wipeAt = Math.min(1, Math.max(0, pixel[0] / frame.value.width));
    else if (d.kind === "pan") desk.offset = [d.offset[0] + at[0] - d.from[0], d.offset[1] + at[1] - d.from[1]];
    else if (d.kind === "stroke") drag.value = { ...d, points: [...d.points, inside(pixel)] };
    else if (d.kind === "set") follow({ ...d, to: pixel, whole: e.shiftKey, free: e.altKey });
    else if (d.kind === "handle") {
      if (!d.moved && Math.hypot(pixel[0] - d.from[0], pixel[1] - d.from[1]) * desk.deskScale < STIR.handle) return;
      follow({ ...d, moved: true, to: pixel });
    } else if (d.kind === "prop") {
      if (!d.moved && Math.hypot(pixel[0] - d.start[0], pixel[1] - d.start[1]) * desk.scale < STIR.prop) return;
      follow({ ...d, moved: true, to: pixel, level: e.altKey });
    }
  }

  /** Shows what a drag comes to so far. */
  function follow(d: Drag): void {
    drag.value = d;
    if (d.kind === "handle") store.preview(changeOf(d));
    if (d.kind === "prop") store.preview(propMove(d));
    if (d.kind === "set" && sight.value) {
      const metres = setTools.pulledMetres();
      const exact = metres === null ? null : (typed.metres([metres], props.shot.unit)?.[0] ?? null);
      setTools.move(sight.value, d.to, d, exact);
    }
  }

  async function up(e: PointerEvent): Promise<void> {
    const d = drag.value;
    if (d?.kind === "mark") {
      drag.value = null;
      await attempt(() => mark(d, local(e), e.altKey));
    } else await finish(inside(pixelAt(local(e))));
  }

  /** Ends a drag, and keeps what it came to. */
  async function finish(pixel: Vec2): Promise<void> {
    const d = drag.value;
    drag.value = null;
    await attempt(async () => {
      if (d?.kind === "stroke") await mattes.stroke(d.points);
      if (d?.kind === "set") await setTools.release(props.shot, pixel);
      if (d?.kind === "handle" && d.moved) await settled(d.handle.edit, changeOf(d), d.handle.settles);
      if (d?.kind === "prop" && d.moved)
        await settled(`Move ${props.shot.props[d.id].name}`, propMove(d), d.level ? undefined : d.id);
    });
  }

  /** Keeps a change; a prop that was put down is brought into contact with what is under it, in the same edit. */
  async function settled(name: string, change: Change, prop?: string): Promise<void> {
    if (prop) await contact.commitSettled(name, change, prop);
    else await store.commit(name, change);
  }

  async function attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      store.cancelPreview();
      notices.fail(error);
    }
  }

  /** A press of a tool that was let go: a click sets a point, a drag two. */
  async function mark(d: Extract<Drag, { kind: "mark" }>, at: Vec2, free: boolean): Promise<void> {
    const pixel = marked(pixelAt(at));
    const dragged = Math.hypot(at[0] - d.from[0], at[1] - d.from[1]) > STIR.mark;
    if (takesTwo() && desk.started.length === 1 && !dragged && near(desk.started[0], pixel)) return;
    // What is built may reach beyond the frame.
    const anywhere = pixelAt(at);
    if (drawing.toolOf() && sight.value && dragged && (await drawing.drag(props.shot, sight.value, d.press, anywhere)))
      return;
    await set(pixel, anywhere, free);
  }

  /** Sets a point of the tool in hand. */
  async function set(pixel: Vec2, anywhere: Vec2, free: boolean): Promise<void> {
    if (drawing.toolOf() && sight.value) await drawing.click(props.shot, sight.value, anywhere, free);
    else if (!(sight.value && (await setTools.click(props.shot, sight.value, anywhere, free))))
      await tools.click(pixel, props.shot, props.camera);
  }

  /** Whether what is dragged takes typed numbers, and how many. */
  function waysOf(d: Drag | null): string[] {
    if (d?.kind === "handle") return d.handle.typed?.names ?? [];
    return d?.kind === "set" && setTools.pulledMetres() !== null ? ["by"] : [];
  }

  /** Numbers typed while something is dragged, and the axis that it is held to. Before all else that has keys. */
  useEventListener(
    window,
    "keydown",
    (e: KeyboardEvent) => {
      const d = drag.value;
      if (!d || e.ctrlKey || e.metaKey) return;
      const ways = waysOf(d);
      if (ways.length === 0) return;
      const axis = e.key.toLowerCase();
      const held = d.kind === "handle" && desk.step === "set" && (axis === "x" || axis === "y" || axis === "z");
      if (e.key === "Enter" && "to" in d) void finish(inside(d.to));
      else if (held) {
        desk.heldAxis = axis;
        const again = handles.value.find((h) => h.key === d.handle.key);
        if (again) follow({ ...d, handle: again });
      } else if (typed.type(e.key, ways.length)) follow(d.kind === "handle" ? { ...d, moved: true } : d);
      else return;
      e.preventDefault();
      e.stopImmediatePropagation();
    },
    { capture: true },
  );
  useEventListener(window, "keyup", () => (desk.heldAxis = null));

  /** What stands at the pointer during a drag: how far it has gone. */
  const words = computed(() => {
    const d = drag.value;
    if (d?.kind === "handle" && d.moved && d.handle.typed) {
      const now = metresOf(d) ?? d.handle.typed.read(targetOf(d, d.to));
      return now ? typed.words(d.handle.typed.names, now, props.shot.unit) : "";
    }
    const metres = d?.kind === "set" ? setTools.pulledMetres() : null;
    if (metres === null) return "";
    const onEdge = setTools.onPlateEdge() ? "   on the plate's edge" : "";
    return `${typed.words(["by"], [metres], props.shot.unit)}${onEdge}`;
  });

  return { hot, active, words, local, inside, takesTwo, down, move, up, set };
}
