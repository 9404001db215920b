import type { ComputedRef } from "vue";
import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";
import type { useDrags } from "./drags.ts";
import { useDrawing } from "./drawing.ts";
import { useHand } from "./hand.ts";
import { handMoveOf } from "./handSteps.ts";
import type { Handle } from "./handles/handle.ts";
import type { useSetTools } from "./setTools.ts";
import type { Sight } from "./sight.ts";
import { useTools } from "./tools.ts";

const ARROWS: Record<string, Vec2> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** Keys while the plate has the focus: what is selected, what is drawn, the pointer by arrows. */
export function useDeskKeys(
  props: { shot: Shot; camera: Camera | null },
  sight: ComputedRef<Sight | null>,
  handles: ComputedRef<Handle[]>,
  setTools: ReturnType<typeof useSetTools>,
  drags: ReturnType<typeof useDrags>,
) {
  const desk = useDesk();
  const store = useShot();
  const hand = useHand();
  const tools = useTools();
  const drawing = useDrawing();

  /** With a tool in hand the arrows move its pointer over the plate, by a pixel or with Shift by twenty; Space sets a point. */
  async function markByKey(e: KeyboardEvent, arrow: Vec2 | undefined): Promise<boolean> {
    if (!desk.marking || desk.outside) return false;
    if (arrow) {
      const by = e.shiftKey ? 20 : e.altKey ? 0.1 : 1;
      const from = desk.pointer ?? desk.toPlate([desk.size[0] / 2, desk.size[1] / 2]);
      desk.pointer = drags.inside([from[0] + arrow[0] * by, from[1] + arrow[1] * by]);
      return true;
    }
    if (e.key !== " " || !desk.pointer) return false;
    const pixel = desk.pointer;
    if (drags.takesTwo() && desk.started.length === 0) desk.started = [pixel];
    else await drags.set(pixel, pixel, e.altKey);
    return true;
  }

  /** Arrow keys move what was grabbed last by a tenth of a pixel, with Shift by one. */
  async function nudge(arrow: Vec2, handle: Handle, far: boolean): Promise<void> {
    const by = far ? 1 : 0.1;
    const delta: Vec2 = [arrow[0] * by, arrow[1] * by];
    const target: Vec2 = [handle.at[0] + delta[0], handle.at[1] + delta[1]];
    await store.commit("Nudge", (draft) => handle.drag(draft, target, delta));
  }

  async function enter(): Promise<void> {
    if (drawing.toolOf() && sight.value) await drawing.enter(props.shot, sight.value);
    else if (!(sight.value && (await setTools.enter(props.shot, sight.value)))) await tools.close(props.shot);
  }

  function nextHandle(back: boolean): void {
    const points = handles.value.filter((h) => !h.to);
    const i = points.findIndex((h) => h.key === drags.active.value);
    const next = points[(i + (back ? points.length - 1 : 1)) % points.length];
    drags.active.value = next.key;
    drags.hot.value = next.key;
    desk.selected = next.owner;
  }

  async function key(e: KeyboardEvent): Promise<void> {
    const arrow = ARROWS[e.key];
    if (!e.ctrlKey && !e.metaKey && drawing.type(e.key)) {
      e.preventDefault();
      e.stopPropagation();
      return;
    }
    if (await markByKey(e, arrow)) {
      e.preventDefault();
      return;
    }
    const byHand = desk.step === "camera" && props.shot.match.by === "hand" && !desk.selected;
    const move = byHand ? handMoveOf(e) : null;
    if (move) {
      e.preventDefault();
      e.stopPropagation();
      await hand.make(move, e.shiftKey, desk.turnAxis);
      return;
    }
    const handle =
      handles.value.find((h) => h.key === drags.active.value) ?? handles.value.find((h) => h.owner === desk.selected);
    if (arrow && handle && desk.selected) {
      e.preventDefault();
      await nudge(arrow, handle, e.shiftKey);
    } else if (e.key === "Enter" && desk.marking) await enter();
    else if (e.key === "Tab" && !e.ctrlKey && handles.value.length > 0 && (desk.selected || desk.step === "camera")) {
      e.preventDefault();
      nextHandle(e.shiftKey);
    }
  }

  return { key };
}
