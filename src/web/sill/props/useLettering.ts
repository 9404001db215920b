import type { Prop } from "#core/props/schema";
import type { TextShape } from "#core/props/shapes/text";
import { useFonts } from "../../stores/fonts.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** The lettering of a prop; null where it is something else. */
export const letteringOf = (prop: Prop | null): TextShape | null =>
  prop?.source.kind === "shape" && prop.source.shape.kind === "text" ? prop.source.shape : null;

/** A change waits for the one before it, so that its outline is of all that was changed. */
let last: Promise<void> = Promise.resolve();

/** Changes what is written or how it is set, and its outline with it. */
export function useLettering() {
  const store = useShot();
  const notices = useNotices();
  const fonts = useFonts();

  async function letterNow(id: string, changes: Partial<TextShape>): Promise<void> {
    const now = letteringOf(store.shot?.props[id] ?? null);
    if (!now) return;
    const next: TextShape = { ...now, ...changes };
    const outline = await fonts.outlineOf(next);
    if (outline === null) {
      notices.say("warn", `The font “${next.font}” is not at hand.`, "Choose another one, or drop its file again.");
      return;
    }
    if (outline === "" && next.text.trim() !== "") notices.say("warn", `“${next.font}” has none of these letters.`);
    await store.commit("Change lettering", (d) => {
      const shape = letteringOf(d.props[id] as Prop);
      if (shape) Object.assign(shape, { ...changes, outline });
    });
  }

  return function letter({ id }: Prop, changes: Partial<TextShape>): Promise<void> {
    const check = store.stays();
    last = last
      .then(() => {
        check();
        return letterNow(id, changes);
      })
      .catch((error: unknown) => notices.fail(error));
    return last;
  };
}
