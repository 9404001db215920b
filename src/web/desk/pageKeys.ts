import { useEventListener } from "@vueuse/core";
import { useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";
import type { Command } from "./commands.ts";
import { commandOfKey } from "./commands.ts";
import { deletion } from "./deletion.ts";
import { useHand } from "./hand.ts";
import { handMoveOf } from "./handSteps.ts";

/** True where keys are typed text; a switch or slider that holds the focus leaves the shortcuts alone. */
const takesText = (target: HTMLElement): boolean =>
  target instanceof HTMLInputElement
    ? !["checkbox", "radio", "range", "color", "file"].includes(target.type)
    : ["TEXTAREA", "SELECT"].includes(target.tagName);

/** Keys anywhere on the shot's page: commands, taking back, the palette, moving the camera by hand. */
export function usePageKeys(commands: readonly Command[], palette: () => void): void {
  const desk = useDesk();
  const store = useShot();
  const hand = useHand();

  /** Keys with Ctrl or Command held; false for others. */
  function held(k: string, shift: boolean): boolean {
    if (k === "z" && shift) store.redo();
    else if (k === "z") store.undo();
    else if (k === "k") palette();
    else return false;
    return true;
  }

  /** Moves the camera by hand; false where the key does not, or something else has it. */
  function byHand(e: KeyboardEvent): boolean {
    const moves = desk.step === "camera" && store.shot?.match.by === "hand" && !desk.marking && !desk.selected;
    const move = moves ? handMoveOf(e) : null;
    if (!move || (e.target as HTMLElement).closest(".p-slider, .p-togglebutton, select")) return false;
    void hand.make(move, e.shiftKey, desk.turnAxis);
    return true;
  }

  /** Deletes what is selected, on the plate or in a list; false where there is nothing. */
  function remove(): boolean {
    const gone = store.shot && desk.selected ? deletion(store.shot, desk.selected) : null;
    if (!gone) return false;
    desk.selected = null;
    void store.commit(gone.name, gone.change);
    return true;
  }

  function command(k: string): boolean {
    const found = commandOfKey(commands, desk.step, k);
    found?.run();
    return found !== null;
  }

  useEventListener(window, "keydown", (e: KeyboardEvent) => {
    if (takesText(e.target as HTMLElement)) return;
    const k = e.key.toLowerCase();
    const control = e.ctrlKey || e.metaKey;
    const taken =
      ((k === "delete" || k === "backspace") && remove()) ||
      (control && held(k, e.shiftKey)) ||
      byHand(e) ||
      (!control && !e.altKey && command(k));
    if (taken) e.preventDefault();
  });
  useEventListener(window, "keyup", (e: KeyboardEvent) => {
    if (e.key.toLowerCase() === "b") desk.blink = false;
  });
}
