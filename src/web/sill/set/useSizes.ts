import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { measurePlusMinus, plusMinus, standsWith } from "#core/set/noise";
import { endsUnder, readingOf } from "#core/set/measures";
import type { Part, SetRecord } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import { alongWorld, measurePart, tallyOf } from "#core/set/sizes";
import type { Shot } from "#core/shot/schema";
import { useSolver } from "../../stores/solver.ts";

/** A figure with its plus-minus, two standard deviations; null where that is not known. */
export interface Figure {
  label: string;
  unit: "length" | "area" | "volume" | "degrees";
  value: number;
  within: number | null;
}

/** From so many placed corners on the plus-minus of a part takes too long to be told while it is shaped. */
const MOST_PLACED = 300;

function figuresOf(set: SetRecord, part: Part): Omit<Figure, "within">[] {
  const read = measurePart(set, part);
  const names = alongWorld(read) ? ["along X", "along Y", "high"] : ["long", "across", "high"];
  return [
    ...read.extent.map((value, k) => ({ label: names[k], unit: "length" as const, value })),
    { label: "area", unit: "area", value: read.area },
    ...(read.volume === null ? [] : [{ label: "volume", unit: "volume" as const, value: read.volume }]),
    ...(kindOf(part).figures?.(part) ?? []),
  ];
}

/** What is measured in a shot, as the camera's spread and the clicks allow. */
export function useSizes(props: { shot: Shot; camera: Camera | null }) {
  const solver = useSolver();
  /** Cameras to either side of the solved one; none where it was matched by hand. */
  const spread = computed(() => (props.shot.match.by === "marks" ? (solver.details?.spread ?? []) : []));

  const measures = computed(() =>
    Object.values(props.shot.measures).map((measure) => ({
      measure,
      reading: readingOf(measure.kind, endsUnder(measure, null)),
      within: props.camera && measurePlusMinus(measure, props.camera, spread.value),
    })),
  );

  /** Sizes, area and volume of a part, and what its kind says of itself. */
  function sizesOf(part: Part): Figure[] {
    // The part, with what it stands on.
    const set = standsWith(props.shot.set, part.id);
    const figures = figuresOf(set, part);
    const placed = kindOf(part).vertices(part, set).length;
    if (!props.camera || spread.value.length === 0 || placed > MOST_PLACED)
      return figures.map((figure) => ({ ...figure, within: null }));
    const within = plusMinus(set, props.camera, spread.value, (s) => {
      const now = figuresOf(s, s[part.id]);
      return figures.map(({ label }, i) => now.find((figure) => figure.label === label)?.value ?? figures[i].value);
    });
    return figures.map((figure, i) => ({ ...figure, within: within[i] }));
  }

  const tally = (part: Part) => tallyOf(props.shot.set, part);
  return { measures, sizesOf, tally };
}
