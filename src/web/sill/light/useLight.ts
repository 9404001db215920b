import { computed } from "vue";
import { linearToSrgb } from "#core/colour/srgb";
import type { Shot } from "#core/shot/schema";
import { useShot } from "../../stores/shot.ts";

/** What the cards of the light step share. */
export function useLight(props: { readonly shot: Shot }) {
  const store = useShot();
  const light = computed(() => props.shot.light);
  const set = (name: string, change: (light: Shot["light"]) => void) => store.commit(name, (d) => change(d.light));
  return { light, set, store };
}

/** A linear colour as the interface paints it, its brightest channel full. */
export function swatch(colour: readonly number[], level = 1 / Math.max(...colour, 1e-6)): string {
  const code = (c: number) => Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(c * level))));
  return `rgb(${colour.map(code).join(" ")})`;
}

/** A linear colour in three figures. */
export const three = (colour: readonly number[]): string => colour.map((c) => Number(c.toPrecision(3))).join("  ");
