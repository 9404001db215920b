import type { Ref, ShallowRef } from "vue";
import { computed, onBeforeUnmount, shallowRef, watch } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useProof } from "../stores/proof.ts";
import type { Sight } from "./sight.ts";
import { plateSight } from "./sight.ts";
import { View3d } from "./view3d.ts";

/** Pixels along the longer side with which the real-time view is drawn over the plate, at most. */
const MOST_PIXELS = 1500;

/** The real-time view over the plate or from outside, and how the world is looked at through it. */
export function useWorldView(
  props: { shot: Shot; camera: Camera | null },
  canvas: Ref<HTMLCanvasElement | undefined>,
  /** Something of the set is being dragged: only its lines follow, the view is drawn when it is let go. */
  waits: () => boolean,
) {
  const desk = useDesk();
  const models = useModels();
  const plate = usePlate();
  const proof = useProof();
  const notices = useNotices();
  const view: ShallowRef<View3d | null> = shallowRef(null);
  let told = false;
  function tellGuess(): void {
    if (!told)
      notices.say(
        "warn",
        "What is around the props could not be looked at: here they mirror a guess.",
        "Proof and finals are not changed by it. Reload the page to look again.",
      );
    told = true;
  }

  /** Through the plate's camera, or from outside. */
  const sight = computed<Sight | null>(() => {
    if (!props.camera) return null;
    if (!desk.outside) return plateSight(props.camera);
    // Turning the view makes it a new one.
    void desk.turned;
    return view.value?.sight(desk.size) ?? null;
  });

  const shows = computed(() => {
    if (!props.camera) return false;
    if (desk.outside) return true;
    if (proof.on) return false;
    if (desk.step === "camera") return desk.plateStrength < 1 || desk.drawer === "hand";
    return desk.step === "set" || desk.step === "props" || desk.step === "light";
  });

  watch(
    () => [
      props.shot,
      props.camera,
      models.models,
      plate.shown,
      shows.value,
      desk.outside,
      desk.size,
      desk.outsideView,
      desk.cutAt,
      waits(),
    ],
    () => {
      if (!shows.value || !canvas.value || !props.camera || waits()) return;
      view.value ??= new View3d(canvas.value, () => desk.turned++, tellGuess);
      const { width, height } = props.shot.plates.main;
      const s = Math.min(1, MOST_PIXELS / Math.max(width, height));
      const size = desk.outside
        ? { width: Math.round(desk.size[0]), height: Math.round(desk.size[1]) }
        : { width: Math.round(width * s), height: Math.round(height * s) };
      view.value.show(props.shot, props.camera, models.models, size, {
        outside: desk.outside,
        plate: plate.shown,
        look: desk.outsideView,
        cutAt: desk.cutAt,
        hurried: desk.step === "camera",
      });
      if (desk.outside) desk.turned++;
    },
    { flush: "post" },
  );
  onBeforeUnmount(() => view.value?.dispose());

  return { view, sight, shows };
}
