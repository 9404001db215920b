<script setup lang="ts">
import ToggleSwitch from "primevue/toggleswitch";
import NumberField from "../../parts/NumberField.vue";
import { computed, shallowRef, watch } from "vue";
import { rotationAngleBetween } from "#core/math/vec3";
import type { AnswerCamera, SolveAnswer } from "#core/match/request";
import { deviation } from "#core/match/spread";
import type { Camera } from "#core/optics/camera";
import { equivalents35mm, orientationDegrees } from "#core/optics/camera";
import { lensFigures } from "#core/optics/lens";
import { exifFocal, otherReadings } from "#core/match/requestOfShot";
import { shotFrame } from "#core/plate/schema";
import { takeCamera } from "#core/shot/resolve";
import type { Shot } from "#core/shot/schema";
import type { WorldTurn } from "#core/shot/turnWorld";
import { keepsGround, turnWorld } from "#core/shot/turnWorld";
import { formatLength } from "#core/units/length";
import { matchThumbnail } from "../../desk/thumbnail.ts";
import FigureChart from "../../parts/FigureChart.vue";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import { usePlate } from "../../stores/plate.ts";
import { useShot } from "../../stores/shot.ts";
import { useSolver } from "../../stores/solver.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();
const plate = usePlate();
const notices = useNotices();

const frame = computed(() => shotFrame(props.shot));
const whole = computed(() => props.shot.lens.crop ?? frame.value);
const byHand = computed(() => props.shot.match.by === "hand");
const facts = computed(() => {
  const camera = byHand.value ? props.shot.solved?.camera : solver.answer?.camera;
  const sigma = byHand.value ? null : solver.answer?.sigmaWidened;
  if (!camera) return null;
  const { focalMm, equivalentMm } = props.shot.plates.main.exif;
  // EXIF's pair of focal lengths tells the sensor's size where it was not given.
  const figures = lensFigures(camera.focalPx, whole.value, props.shot.lens.sensorMm);
  const mm =
    figures.mm ??
    (focalMm && equivalentMm ? equivalents35mm(camera.focalPx, whole.value).diagonal * (focalMm / equivalentMm) : null);
  const share = sigma ? sigma.focalPx / camera.focalPx : null;
  return { camera, sigma, share, mm, figures, angles: orientationDegrees(camera.rotation) };
});
/** Standard deviations of what the answer itself does not list; zero for what was held. */
const spreads = computed(() => {
  const spread = solver.details?.spread ?? [];
  if (byHand.value || spread.length === 0) return null;
  const of = (read: (c: Camera) => number) => deviation(spread, read) || null;
  return {
    k1: of((c) => c.distortion.k1),
    k2: of((c) => c.distortion.k2),
    across: of((c) => c.principal[0]),
    down: of((c) => c.principal[1]),
    heading: of((c) => orientationDegrees(c.rotation).heading),
  };
});
const pm = (value: number | null | undefined, digits: number, unit = "") =>
  value === null || value === undefined ? "" : ` ± ${value.toFixed(digits)}${unit}`;

const alternatives = computed(() => {
  const source = plate.shown?.canvas;
  if (!source || byHand.value) return [];
  return (solver.answer?.alternatives ?? []).map((a, i) => ({
    ...a,
    name: `answer ${i + 2}`,
    picture: matchThumbnail(source, a.camera, props.shot, 150),
  }));
});
/** Cameras of other readings of the edges whose direction is read from the picture. */
const readings = shallowRef<{ axes: Map<string, string>; answer: SolveAnswer; picture: string }[]>([]);
watch(
  () => [props.shot.edges, props.shot.lens, plate.shown] as const,
  async () => {
    const source = plate.shown?.canvas;
    const { shot } = props;
    const others = source && !byHand.value && !store.live ? otherReadings(shot) : [];
    const found: typeof readings.value = [];
    for (const axes of others) {
      const edges = Object.fromEntries(
        Object.entries(shot.edges).map(([id, e]) => [id, { ...e, axis: axes.get(id) ?? e.axis, muted: !axes.has(id) }]),
      );
      const answer = await solver.answerBeside({ ...shot, edges });
      const shownNow = solver.answer?.camera;
      // A reading that only leaves edges out gives the same camera again.
      const same =
        shownNow &&
        answer.camera &&
        rotationAngleBetween(shownNow.rotation, answer.camera.rotation) < 0.02 &&
        Math.abs(Math.log(shownNow.focalPx / answer.camera.focalPx)) < 0.03;
      if (answer.camera && !same)
        found.push({ axes, answer, picture: matchThumbnail(source!, answer.camera, shot, 150) });
    }
    if (props.shot.edges === shot.edges) readings.value = found;
  },
  { immediate: true },
);
async function takeReading(axes: Map<string, string>): Promise<void> {
  desk.lookThrough = null;
  await store.commit("Take other reading of directions", (draft) => {
    for (const [id, axis] of axes) draft.edges[id].axis = axis;
  });
}
function look(camera: AnswerCamera, name: string): void {
  const same = desk.lookThrough?.name === name;
  desk.lookThrough = same ? null : { camera, name };
}
/** An alternative cannot be solved for: it is held by hand, near its own optimum. */
async function take(camera: AnswerCamera): Promise<void> {
  desk.lookThrough = null;
  await store.commit("Take other answer", (draft) => {
    draft.match.by = "hand";
    takeCamera(draft, { camera, sigmaWidened: null, rmsPx: null });
  });
  notices.say("good", "This answer is now held as a camera matched by hand.", "Go back to the marks under “By hand”.");
}

const TURNS: { turn: WorldTurn; label: string; title: string }[] = [
  { turn: "left", label: "↶ 90°", title: "Turn the world a quarter to the left about the vertical" },
  { turn: "right", label: "↷ 90°", title: "Turn the world a quarter to the right about the vertical" },
  { turn: "over-x", label: "flip about X", title: "Half a turn about X: down becomes up" },
  { turn: "over-y", label: "flip about Y", title: "Half a turn about Y: down becomes up" },
  { turn: "next-up", label: "X→Y→Z→X", title: "X becomes Y, Y becomes Z, Z becomes X" },
];
async function turn(t: WorldTurn): Promise<void> {
  const built = Object.keys(props.shot.set).length + Object.keys(props.shot.props).length > 0;
  if (built && !keepsGround(t)) {
    notices.say(
      "warn",
      "Set and props stand on this ground.",
      "Turns that change what is up are for before the set is built; take it out first.",
    );
    return;
  }
  await store.commit("Turn world", (d) => turnWorld(d, t));
}

const plain = {
  animation: false,
  grid: { left: 34, right: 8, top: 8, bottom: 20 },
};
const short = (id: string) =>
  id
    .replace(/^edge-/, "e")
    .replace(/^length-/, "l")
    .replace(/^tie-/, "t");
const marks = computed(() => solver.answer?.residuals ?? []);
/** One bar a mark. */
function barsOf(
  value: (r: (typeof marks.value)[number]) => number,
  colour: string,
  tell: (name: string, v: number) => string,
) {
  return {
    ...plain,
    tooltip: { formatter: (p: { name: string; value: number }) => tell(p.name, p.value) },
    xAxis: {
      type: "category",
      data: marks.value.map((r) => short(r.id)),
      axisLabel: { interval: 0, rotate: marks.value.length > 9 ? 60 : 0 },
    },
    yAxis: { type: "value" },
    series: [
      {
        type: "bar",
        data: marks.value.map((r) => ({
          value: value(r),
          itemStyle: { color: desk.selected === r.id ? "#d8674d" : colour },
        })),
      },
    ],
  };
}
const residualChart = computed(() =>
  barsOf(
    (r) => r.px,
    "#b9b4ae",
    (name, v) => `${name}: ${v.toFixed(2)} px`,
  ),
);
const influenceChart = computed(() =>
  barsOf(
    (r) => r.influence ?? 0,
    "#8fa7b5",
    (name, v) => `without ${name}: ${v.toFixed(2)} σ`,
  ),
);
const exifPx = computed(() => exifFocal(props.shot));
const equivalent = (px: number) => equivalents35mm(px, whole.value).diagonal;
const focalChart = computed(() => {
  const curve = solver.details?.focal;
  if (!curve) return null;
  const x = curve.focalPx.map(equivalent);
  const exif = exifPx.value ? equivalent(exifPx.value) : null;
  const best = solver.answer?.camera ? equivalent(solver.answer.camera.focalPx) : null;
  const low = Math.min(x[0], exif ?? Infinity);
  const high = Math.max(x[x.length - 1], exif ?? -Infinity);
  const line = (at: number, name: string, color: string) => ({
    xAxis: at,
    lineStyle: { color, type: "solid" as const },
    label: {
      formatter: name,
      color,
      fontSize: 10,
      position: name === "EXIF" ? ("insideEndTop" as const) : ("end" as const),
    },
  });
  return {
    ...plain,
    grid: { ...plain.grid, top: 18 },
    xAxis: {
      type: "value",
      min: Number((low - 0.02 * (high - low)).toFixed(2)),
      max: Number((high + 0.02 * (high - low)).toFixed(2)),
      axisLabel: { formatter: (v: number) => v.toFixed(1) },
    },
    yAxis: { type: "value", min: 0, max: 1 },
    series: [
      {
        type: "line",
        showSymbol: false,
        lineStyle: { color: "#d8674d" },
        areaStyle: { color: "#d8674d33" },
        data: x.map((v, i) => [v, Math.exp(curve.logLikelihood[i])]),
        markLine: {
          symbol: "none",
          silent: true,
          data: [...(exif ? [line(exif, "EXIF", "#e0b050")] : []), ...(best ? [line(best, "marks", "#e9e7e4")] : [])],
        },
      },
    ],
  };
});
</script>

<template>
  <section class="card" style="flex: 1.5">
    <h3>
      Camera
      <label
        class="row end"
        title="How true built things are to their directions, as standard deviation; widens every ±"
      >
        things true to ±
        <NumberField
          :model-value="shot.match.tolerance.deg"
          label="How true marked things are, degrees"
          unit="°"
          narrow
          :min="0"
          :max="20"
          @update:model-value="(v) => store.commit('How true things are', (d) => (d.match.tolerance.deg = v))"
        />
      </label>
      <label class="row"
        ><ToggleSwitch
          :model-value="shot.match.robust"
          data-test="robust"
          @update:model-value="
            (v: boolean) => store.commit(v ? 'Robust solve' : 'Plain solve', (d) => (d.match.robust = v))
          "
        />
        robust</label
      >
    </h3>
    <div v-if="facts" class="facts">
      <span>Focal length</span>
      <span class="num">
        <template v-if="facts.mm"
          >{{ facts.mm.toFixed(2) }}{{ pm(facts.share && facts.mm * facts.share, 2) }} mm ·
        </template>
        <span data-test="focal-px">{{ facts.camera.focalPx.toFixed(1) }}</span>{{ pm(facts.sigma?.focalPx, 1) }} px
      </span>
      <span>35 mm equiv.</span>
      <span class="num"
        >{{ facts.figures.eqDiagonal!.toFixed(1) }} mm by diagonal · {{ facts.figures.eqWidth!.toFixed(1) }} by
        width</span
      >
      <span>Tilt, roll</span>
      <span class="num">
        {{ facts.angles.tilt.toFixed(2) }}°{{ pm(facts.sigma?.rotationDeg[0], 2) }} ·
        {{ facts.angles.roll.toFixed(2) }}°{{ pm(facts.sigma?.rotationDeg[2], 2) }}
      </span>
      <span>Camera height</span>
      <span class="num"
        >{{ formatLength(facts.camera.position[2], shot.unit) }}
        {{
          facts.sigma?.cameraHeightM != null
            ? `± ${formatLength(facts.sigma.cameraHeightM, shot.unit)}`
            : byHand
              ? "by hand"
              : "(no scale yet)"
        }}</span
      >
      <span>View</span>
      <span class="num"
        >{{ facts.figures.horizontal!.toFixed(1) }}° across, {{ facts.figures.vertical!.toFixed(1) }}° high,
        {{ facts.figures.diagonal!.toFixed(1) }}° corner</span
      >
      <template v-if="facts.camera.distortion.k1 !== 0 || facts.camera.distortion.k2 !== 0"
        ><span>k1, k2</span
        ><span class="num"
          >{{ facts.camera.distortion.k1.toFixed(4) }}{{ pm(spreads?.k1, 4) }} ·
          {{ facts.camera.distortion.k2.toFixed(4) }}{{ pm(spreads?.k2, 4) }}</span
        ></template
      >
      <template v-if="shot.lens.solvePrincipal || shot.lens.principal || shot.lens.crop"
        ><span>Principal point</span
        ><span class="num"
          >{{ facts.camera.principal[0].toFixed(1) }}{{ pm(spreads?.across, 1) }} ·
          {{ facts.camera.principal[1].toFixed(1) }}{{ pm(spreads?.down, 1) }} px</span
        ></template
      >
      <span>Heading</span>
      <span class="num">{{ facts.angles.heading.toFixed(2) }}°{{ pm(spreads?.heading, 2) }} from +Y</span>
      <template v-if="facts.sigma?.positionM"
        ><span>Place</span
        ><span class="num">{{
          facts.camera.position
            .map((v, k) => `${formatLength(v, shot.unit)}${pm(facts!.sigma!.positionM![k], 3)}`)
            .join(" · ")
        }}</span></template
      >
    </div>
    <p v-else class="quiet">No camera yet. Two edges along one direction and two along another are the least.</p>
    <div class="row" style="margin-top: 5px">
      <span class="quiet">World</span>
      <button
        v-for="t in TURNS"
        :key="t.turn"
        class="act"
        :title="t.title"
        :data-test="`turn-${t.turn}`"
        @click="turn(t.turn)"
      >
        {{ t.label }}
      </button>
    </div>
  </section>
  <section v-if="alternatives.length || readings.length" class="card" style="flex: 0.7" data-test="other-answers">
    <h3>Other answers</h3>
    <div class="others">
      <div v-for="a in alternatives" :key="a.name" class="other" :class="{ on: desk.lookThrough?.name === a.name }">
        <img :src="a.picture" :alt="a.name" @click="look(a.camera, a.name)" />
        <span class="num">{{ a.camera.focalPx.toFixed(0) }} px, rms {{ a.rmsPx.toFixed(1) }}</span>
        <button class="act" @click="look(a.camera, a.name)">look</button>
        <button class="act" @click="take(a.camera)">take</button>
      </div>
      <div
        v-for="(r, i) in readings"
        :key="`r${i}`"
        class="other"
        :class="{ on: desk.lookThrough?.name === `reading ${i + 2}` }"
      >
        <img :src="r.picture" :alt="`reading ${i + 2}`" @click="look(r.answer.camera!, `reading ${i + 2}`)" />
        <span class="num">{{ r.answer.camera!.focalPx.toFixed(0) }} px, rms {{ r.answer.rmsPx!.toFixed(1) }}</span>
        <button class="act" @click="look(r.answer.camera!, `reading ${i + 2}`)">look</button>
        <button class="act" data-test="take-reading" @click="takeReading(r.axes)">take</button>
      </div>
    </div>
  </section>
  <section class="card charts" style="flex: 1.9">
    <FigureChart title="Residual of each mark, px" :option="residualChart" />
    <FigureChart v-if="focalChart" title="Likelihood of the focal length, mm eq." :option="focalChart" />
    <p v-else class="quiet">
      {{
        byHand || !solver.answer?.camera
          ? "No camera from the marks yet."
          : "The focal length is held: no likelihood of it."
      }}
    </p>
    <FigureChart title="Influence on the focal length, σ" :option="influenceChart" />
  </section>
</template>

<style scoped>
.charts {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 6px;
  overflow: hidden;
}
.others {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(120px, 1fr));
  gap: 6px;
}
.other img {
  width: 100%;
  display: block;
  cursor: pointer;
  border: 1px solid var(--line);
}
.other.on img {
  border-color: var(--accent);
}
h3 .row {
  font-weight: 400;
}
</style>
