<script setup lang="ts">
import Button from "primevue/button";
import { computed } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { deviation } from "#core/match/spread";
import { newLength } from "#core/match/schema";
import { facesOf } from "#core/set/faces";
import type { Measure } from "#core/set/measure";
import {
  CLICK_SIGMA,
  STATED,
  endsNoise,
  endsUnder,
  measurePart,
  metresPerPixel,
  plusMinus,
  spacingOf,
  spanOf,
  standsWith,
} from "#core/set/measure";
import type { Shot } from "#core/shot/schema";
import { formatArea, formatLength } from "#core/units/length";
import { freshId } from "../../desk/ids.ts";
import LengthField from "../../parts/LengthField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";
import { useSolver } from "../../stores/solver.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();

/** Cameras to either side of the solved one; none where it was matched by hand. */
const spread = computed(() => (props.shot.match.by === "marks" ? (solver.details?.spread ?? []) : []));
const sigmaOf = (read: (camera: Camera) => number | null) =>
  spread.value.length > 0 ? deviation(spread.value, read) : null;
const shown = (metres: number) => formatLength(metres, props.shot.unit);
const within = (metres: number | null) => (metres === null ? "" : `± ${shown(metres)}`);

/** A length, with its plus-minus of camera and clicks. */
const lengths = computed(() =>
  Object.values(props.shot.measures).map((measure) => {
    const span = spanOf(...endsUnder(measure, null));
    const camera = sigmaOf((c) => spanOf(...endsUnder(measure, c)).metres);
    const clicks = props.camera ? endsNoise(measure, props.camera) : 0;
    return { measure, span, sigma: camera === null ? null : STATED * Math.hypot(camera, clicks) };
  }),
);
const part = computed(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const sizes = computed(() => {
  const of = part.value;
  if (!of) return null;
  // The part, with what it stands on.
  const set = standsWith(props.shot.set, of.id);
  const read = measurePart(set, of);
  const camera = props.camera;
  const sigmas = [0, 1, 2].map((k) => {
    if (!camera || spread.value.length === 0) return null;
    const own = k === 2 ? CLICK_SIGMA * metresPerPixel(camera, facesOf(set, of.id)[0]?.rings[0][0] ?? [0, 0, 0]) : 0;
    return plusMinus(set, camera, spread.value, (s) => measurePart(s, s[of.id]).extent[k], own);
  });
  return { ...read, sigmas };
});
/** Members of the chosen row, or the parts of the chosen part's kind: how many, how far apart. */
const spacing = computed(() => {
  const of = part.value;
  if (!of) return null;
  const middle = (points: Vec3[]): Vec3 =>
    [0, 1, 2].map((k) => (Math.min(...points.map((p) => p[k])) + Math.max(...points.map((p) => p[k]))) / 2) as Vec3;
  const { set } = props.shot;
  const pointsOf = (id: string) => facesOf(set, id).flatMap((f) => f.rings[0]);
  if (of.kind === "row") {
    const first = pointsOf(of.of);
    if (first.length === 0) return null;
    const at = middle(first);
    const places = [
      at,
      ...of.copies.map(({ offset }): Vec3 => [at[0] + offset[0], at[1] + offset[1], at[2] + offset[2]]),
    ];
    return spacingOf(places);
  }
  const alike = Object.values(set).filter((p) => p.kind === of.kind && !p.muted && pointsOf(p.id).length > 0);
  return spacingOf(alike.map((p) => middle(pointsOf(p.id))));
});

/** A known size of something that was rebuilt tells the camera its scale. */
function tellCamera(measure: Measure, metres: number): void {
  const [a, b] = measure.points;
  if (!a.pixel || !b.pixel) return;
  const id = freshId("length", props.shot.lengths);
  const [p, q] = endsUnder(measure, null);
  const upright = Math.hypot(q[0] - p[0], q[1] - p[1]) < 0.05 * Math.abs(q[2] - p[2]);
  void store.commit("Known length from the set", (d) => {
    d.lengths[id] = {
      ...newLength(id, a.pixel!, b.pixel!),
      name: measure.name,
      metres,
      along: upright ? "z" : null,
      fromWorld: upright && Math.abs(p[2]) > 0.01 ? [...p] : null,
    };
  });
}
const remove = (id: string) => store.commit("Delete measure", (d) => void delete d.measures[id]);

function saveCsv(): void {
  const quoted = (text: string) => `"${text.replaceAll('"', '""')}"`;
  const number = (x: number | null) => (x === null ? "" : x.toFixed(4));
  const rows = [
    ["what", "name", "length m", "plus minus m", "level m", "rise m", "x m", "y m", "z m", "area m2", "volume m3"],
    ...lengths.value.map(({ measure, span, sigma }) => [
      "length",
      quoted(measure.name),
      number(span.metres),
      number(sigma),
      number(span.level),
      number(span.rise),
      "",
      "",
      "",
      "",
      "",
    ]),
    ...Object.values(props.shot.set).map((of) => {
      const { extent, area, volume } = measurePart(props.shot.set, of);
      return ["part", quoted(of.name), "", "", "", "", ...extent.map(number), number(area), number(volume)];
    }),
  ];
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([rows.map((r) => r.join(",")).join("\r\n") + "\r\n"], { type: "text/csv" }));
  link.download = `${props.shot.name.replaceAll(/[^\w -]/g, "")} sizes.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
</script>

<template>
  <section class="card" style="flex: 1.5">
    <h3>
      Lengths
      <span class="end row"
        ><ToolButton tool="ruler" label="measure" shortcut="M" /><Button
          label="Save as CSV"
          size="small"
          data-test="measures-csv"
          @click="saveCsv"
      /></span>
    </h3>
    <div class="list">
      <div
        v-for="{ measure, span, sigma } in lengths"
        :key="measure.id"
        :class="{ on: desk.selected === measure.id }"
        @click="desk.selected = measure.id"
      >
        {{ measure.name }}
        <span class="num"
          >{{ shown(span.metres) }} {{ within(sigma) }}
          <span class="quiet">level {{ shown(span.level) }}, up {{ shown(span.rise) }}</span></span
        >
        <span class="end row">
          <span class="quiet">is</span>
          <LengthField
            :model-value="span.metres"
            :unit="shot.unit"
            :label="`${measure.name} is known to be`"
            positive
            @update:model-value="(m) => tellCamera(measure, m)"
          />
          <button class="plain" :aria-label="`Delete ${measure.name}`" @click.stop="remove(measure.id)">
            <i class="pi pi-times" />
          </button>
        </span>
      </div>
    </div>
    <p v-if="lengths.length === 0" class="quiet">
      Measure between any two points of ground and set. A size that is known becomes a known length of the camera.
    </p>
  </section>
  <section class="card" style="flex: 1.2">
    <h3 title="± holds nineteen times out of twenty">{{ part?.name ?? "Sizes of a part" }}</h3>
    <div v-if="sizes" class="facts" data-test="sizes">
      <template v-for="(x, k) in sizes.extent" :key="k">
        <span>{{ ["along X", "along Y", "high"][k] }}</span><span class="num"
          >{{ shown(x) }} {{ within(sizes.sigmas[k]) }}</span
        >
      </template>
      <span>Area</span><span class="num">{{ formatArea(sizes.area, shot.unit) }}</span>
      <template v-if="sizes.volume !== null"
        ><span>Volume</span><span class="num">{{ sizes.volume.toFixed(3) }} m³</span></template
      >
      <template v-if="spacing"
        ><span>{{ spacing.count }} of them</span
        ><span class="num">{{ shown(spacing.mean) }} apart, nearest {{ shown(spacing.least) }}</span></template
      >
    </div>
    <p v-else class="quiet">Select a part.</p>
  </section>
</template>
