import type { Prop } from "#core/props/schema";
import type { TextShape } from "#core/props/shapes/text";
import { useFonts } from "../../stores/fonts.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** The lettering of a prop; null where it is something else. */
export const letteringOf = (prop: Prop | null): TextShape | null =>
  prop?.source.kind === "shape" && prop.source.shape.kind === "text" ? prop.source.shape : null;

/** Changes what is written or how it is set, and its outline with it. */
export function useLettering() {
  const store = useShot();
  const notices = useNotices();
  const fonts = useFonts();

  return async function letter(prop: Prop, changes: Partial<TextShape>): Promise<void> {
    const next: TextShape = { ...letteringOf(prop)!, ...changes };
    const outline = await fonts.outlineOf(next);
    if (outline === null) {
      notices.say("warn", `The font “${next.font}” is not at hand.`, "Choose another one, or drop its file again.");
      return;
    }
    if (outline === "" && next.text.trim() !== "") notices.say("warn", `“${next.font}” has none of these letters.`);
    await store.commit("Change lettering", (d) => {
      const shape = letteringOf(d.props[prop.id] as Prop);
      if (shape) Object.assign(shape, { ...changes, outline });
    });
  };
}
