import { computed } from "vue";
import type { Draft } from "immer";
import { exifFocal } from "#core/match/requestOfShot";
import type { MatchPart } from "#core/match/schema";
import { lensFigures, sensorFromCrop } from "#core/optics/lens";
import { shotFrame } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";
import { useShot } from "../../../stores/shot.ts";
import { useSolver } from "../../../stores/solver.ts";

/** What is known of the lens of a shot, for its cards. */
export function useLens(props: { shot: Shot }) {
  const store = useShot();
  const solver = useSolver();
  const lens = computed(() => props.shot.lens);
  const exif = computed(() => props.shot.plates.main.exif);
  const frame = computed(() => shotFrame(props.shot));
  /** The whole picture that the lens made; the plate may be a part of it. */
  const whole = computed(() => lens.value.crop ?? frame.value);
  const camera = computed(() => (props.shot.match.by === "hand" ? (props.shot.solved?.camera ?? null) : solver.camera));
  const exifPx = computed(() => exifFocal(props.shot));
  /** The focal length that the figures show: the given one, or what the marks give. */
  const focal = computed(() =>
    lens.value.focal === "solve"
      ? (camera.value?.focalPx ?? null)
      : (lens.value.focalPx ?? camera.value?.focalPx ?? null),
  );
  /** A focal length to start from where nothing is known: that of a usual lens. */
  const likely = computed(() => exifPx.value ?? Math.hypot(frame.value.width, frame.value.height) * 0.8);
  const figures = computed(() => (focal.value ? lensFigures(focal.value, whole.value, lens.value.sensorMm) : null));
  const exifSensor = computed(() => {
    const { focalMm, equivalentMm } = exif.value;
    return focalMm && equivalentMm ? sensorFromCrop(equivalentMm / focalMm, whole.value) : null;
  });
  const principal = computed(
    () => camera.value?.principal ?? lens.value.principal ?? [frame.value.width / 2, frame.value.height / 2],
  );
  const change = (name: string, put: (lens: Draft<MatchPart["lens"]>) => void) =>
    store.commit(name, (d) => put(d.lens));

  return { lens, exif, frame, whole, camera, exifPx, focal, likely, figures, exifSensor, principal, change };
}
