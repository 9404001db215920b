import { ref } from "vue";
import type { LengthUnit } from "#core/units/length";
import { formatLength, parseLength } from "#core/units/length";

/** Numbers that are typed while something is dragged: digits go into one, Tab goes on to the next. */
export function useTypedWays() {
  const texts = ref<string[]>([]);
  const at = ref(0);

  function begin(): void {
    texts.value = [];
    at.value = 0;
  }

  /** Takes a key of a drag with so many numbers; false if it is not one of these. */
  function type(key: string, count: number): boolean {
    if (key === "Tab") {
      at.value = (at.value + 1) % count;
      return true;
    }
    const text = texts.value[at.value] ?? "";
    if (key === "Backspace") texts.value[at.value] = text.slice(0, -1);
    else if (/^[0-9.,-]$/.test(key) || (text !== "" && /^[a-z'" ]$/i.test(key))) texts.value[at.value] = text + key;
    else return false;
    return true;
  }

  /** The typed metres, and the dragged ones where none were typed; null where nothing was. */
  function metres(dragged: readonly number[], unit: LengthUnit): number[] | null {
    const typed = dragged.map((_, i) => {
      const text = texts.value[i];
      if (!text) return null;
      const negative = text.startsWith("-");
      const value = parseLength(negative ? text.slice(1) : text, unit);
      return value === null ? null : negative ? -value : value;
    });
    return typed.every((value) => value === null) ? null : typed.map((value, i) => value ?? dragged[i]);
  }

  /** What stands at the pointer: each way with its metres, what is typed as it is. */
  const words = (names: readonly string[], now: readonly number[], unit: LengthUnit): string =>
    names
      .map((name, i) => {
        const text = texts.value[i];
        const here = names.length > 1 && i === at.value && texts.value.some(Boolean) ? "▸" : "";
        return `${here}${name} ${text ? `${text} …` : formatLength(now[i], unit)}`;
      })
      .join("   ");

  return { begin, type, metres, words, at };
}
