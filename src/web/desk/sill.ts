import { useEventListener, useLocalStorage, useWindowSize } from "@vueuse/core";
import type { Ref } from "vue";
import { computed } from "vue";

/** Height of the sill: remembered, never less than shows a card, and the plate keeps half of the window. */
const LEAST = 150;

export function useSill(cards: Readonly<Ref<HTMLElement | null>>) {
  const { height: window } = useWindowSize();
  /** 0 until it is dragged: the usual share of the window. */
  const chosen = useLocalStorage("harbor-sill", 0);
  const most = computed(() => Math.floor(window.value / 2));
  const usual = computed(() => Math.min(330, Math.max(236, Math.round(0.3 * window.value))));
  const held = (pixels: number) => Math.min(most.value, Math.max(LEAST, Math.round(pixels)));
  const sillPixels = computed(() => held(chosen.value || usual.value));
  const sillHeight = computed(() => `${sillPixels.value}px`);
  let grabbed: { y: number; height: number } | null = null;

  function setSill(pixels: number): void {
    chosen.value = held(pixels);
  }
  function grabSill(e: PointerEvent): void {
    grabbed = { y: e.clientY, height: sillPixels.value };
    e.preventDefault();
  }
  useEventListener("pointermove", (e: PointerEvent) => {
    if (grabbed) setSill(grabbed.height + grabbed.y - e.clientY);
  });
  useEventListener(["pointerup", "pointercancel"], () => (grabbed = null));

  /** As high as the cards need. */
  function fitSill(): void {
    const cells = cards.value ? [...cards.value.children] : [];
    const needs = cells.map((cell) => (cell as HTMLElement).scrollHeight);
    setSill(Math.max(LEAST, ...needs) + 38 + 18);
  }
  return { sillPixels, sillHeight, setSill, grabSill, fitSill };
}
