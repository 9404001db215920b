<script setup lang="ts">
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref, watch } from "vue";
import { luminance } from "#core/colour/srgb";
import type { PictureSpread } from "#core/light/surroundings/known";
import type { SurroundingsFacts } from "#core/light/surroundings/facts";
import { outOfPicture, turnMatrix } from "#core/light/surroundings/turn";
import { levelAngles, newSlope } from "#core/light/level";
import { anglesFromDirection } from "#core/light/sun";
import type { Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import FigureChart from "../../parts/FigureChart.vue";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useModels } from "../../stores/models.ts";
import AroundStrip from "./AroundStrip.vue";
import { SURROUNDINGS_FILES, useSurroundings } from "./bringSurroundings.ts";
import { useLight } from "./useLight.ts";

/** A picture of the surroundings: how it stands, what is made of it, and the sun that is in it. */
const props = defineProps<{ shot: Shot; camera: Camera | null; spread: PictureSpread }>();
const { light, set, store } = useLight(props);
const models = useModels();
const desk = useDesk();
const { bring } = useSurroundings();
const picker = ref<HTMLInputElement>();
const facts = ref<SurroundingsFacts | null>(null);

const change = (name: string, edit: (spread: PictureSpread) => void) =>
  set(name, (l) => l.sky.spread.kind === "picture" && edit(l.sky.spread));
/** While it is dragged nothing is kept; the last place is one edit. */
const turn = (turnDeg: number, tiltDeg: number) =>
  store.preview((d) => {
    const { spread } = d.light.sky;
    if (spread.kind === "picture") Object.assign(spread, { turnDeg, tiltDeg });
  });

let latest = 0;
desk.around = null;
const factsNow = () => models.lookAround(props.spread, light.value.slope);
watch(
  () => {
    const { asset, clippedAt, expandStops, contrast, blurDeg, sunOut } = props.spread;
    return JSON.stringify([asset, clippedAt, expandStops, contrast, blurDeg, sunOut, light.value.slope]);
  },
  async () => {
    const asked = ++latest;
    const found = await factsNow().catch(() => null);
    if (asked !== latest) return;
    facts.value = found;
    desk.around = found;
  },
  { immediate: true },
);
const loaded = computed(() => models.models.has(props.spread.asset));
const heading = computed(() => {
  if (!props.camera) return null;
  const [x, y] = props.camera.rotation[2];
  return toDegrees(Math.atan2(x, y));
});

/** The sun of the picture as the shot's own, of equal light: from now on it casts its shadow sharply. */
async function takeSunOut(): Promise<void> {
  // As it is turned by now: what of it lights the ground hangs on that.
  const now = await factsNow().catch(() => null);
  const sun = now?.sun;
  if (!sun) return;
  const { mean, meanWithoutSun } = now;
  const { azimuth, elevation } = anglesFromDirection(
    outOfPicture(turnMatrix(props.spread, light.value.slope), sun.direction),
  );
  await set("Take the sun out of the surroundings", (l) => {
    const { spread } = l.sky;
    if (spread.kind !== "picture" || spread.sunOut) return;
    const gain = l.sky.radiance.map((r, k) => r / Math.max(1e-12, mean[k]));
    spread.sunOut = true;
    l.sky.radiance = gain.map((g, k) => g * meanWithoutSun[k]) as Vec3;
    l.sun.on = true;
    l.sun.irradiance = sun.irradiance.map((e, k) => e * gain[k]) as Vec3;
    // A sun that was sighted on the plate knows better; the surroundings can be turned to it.
    if (Object.keys(l.sightings).length > 0) return;
    l.sun.azimuthDeg = Number(toDegrees(azimuth).toFixed(2));
    l.sun.elevationDeg = Number(toDegrees(elevation).toFixed(2));
  });
}
async function putSunBack(): Promise<void> {
  const now = await factsNow().catch(() => null);
  if (!now) return;
  const { mean, meanWithoutSun } = now;
  await set("Put the sun back into the surroundings", (l) => {
    const { spread } = l.sky;
    if (spread.kind !== "picture" || !spread.sunOut) return;
    l.sky.radiance = l.sky.radiance.map((r, k) => (r / Math.max(1e-12, meanWithoutSun[k])) * mean[k]) as Vec3;
    spread.sunOut = false;
    l.sun.on = false;
  });
}
/** Turns the surroundings so that their sun stands over the shot's own. */
const turnToSun = () =>
  change("Turn surroundings to the sun", (spread) => {
    const sun = facts.value?.sun;
    if (!sun) return;
    // Both against what is level, about whose upright it is turned.
    const { azimuth } = anglesFromDirection(outOfPicture(turnMatrix(spread, newSlope()), sun.direction));
    const turned = spread.turnDeg + levelAngles(light.value.slope, light.value.sun).azimuthDeg - toDegrees(azimuth);
    spread.turnDeg = Number((((turned % 360) + 360) % 360).toFixed(2));
  });

type Reach = "endless" | NonNullable<PictureSpread["extent"]>["kind"];
const REACHES: { value: Reach; label: string }[] = [
  { value: "endless", label: "endlessly far" },
  { value: "sphere", label: "a sphere around a place" },
  { value: "box", label: "a room of its size" },
  { value: "dome", label: "around, with its own floor" },
];
const reach = computed<Reach>(() => props.spread.extent?.kind ?? "endless");
const chooseReach = (kind: Reach) =>
  change("How far the surroundings are", (spread) => {
    const before = spread.extent;
    const own: [number, number, number] = before?.half ?? [5, 5, 5];
    spread.extent =
      kind === "endless"
        ? null
        : {
            kind,
            centre: before?.centre ?? [0, 0, 1.5],
            half: kind === "sphere" ? [own[0], own[0], own[0]] : kind === "dome" ? [own[0], own[0], 1.5] : own,
          };
  });

const chart = computed(() => {
  const stops = facts.value?.stops;
  if (!stops) return null;
  return {
    animation: false,
    grid: { left: 30, right: 6, top: 6, bottom: 18 },
    tooltip: { trigger: "axis", valueFormatter: (v: number) => `${(10 ** (v - 3)).toPrecision(2)} %` },
    xAxis: { type: "category", data: stops.shares.map((_, i) => stops.from + i), axisLabel: { fontSize: 9 } },
    // Decades from a thousandth of a per cent on: bars on the chart's own logarithmic axis stand on 1.
    yAxis: {
      min: 0,
      max: 5,
      interval: 1,
      axisLabel: { fontSize: 9, formatter: (decade: number) => String(10 ** (decade - 3)) },
      splitLine: { show: false },
    },
    series: [
      {
        type: "bar",
        data: stops.shares.map((s) => Math.max(0, Math.log10(100 * s) + 3)),
        itemStyle: { color: "#7fb0a5" },
      },
    ],
  };
});
const sunWord = computed(() => {
  const sun = facts.value?.sun;
  if (!facts.value) return "…";
  if (!sun) return "none found in it";
  const at = anglesFromDirection(outOfPicture(turnMatrix(props.spread, light.value.slope), sun.direction));
  const share = Math.round((100 * luminance(...sun.irradiance) * Math.max(0, Math.sin(at.elevation))) / onGround(sun));
  return `at ${toDegrees(at.azimuth).toFixed(0)}°, ${toDegrees(at.elevation).toFixed(0)}° high, ${share} % of the light on level ground`;
});
const onGround = ({ irradiance, direction }: NonNullable<SurroundingsFacts["sun"]>): number => {
  const up = Math.max(0, outOfPicture(turnMatrix(props.spread, light.value.slope), direction)[2]);
  return Math.PI * luminance(...facts.value!.meanWithoutSun) + up * luminance(...irradiance);
};
</script>

<template>
  <section class="card" style="flex: 0.95">
    <h3>
      Around the place
      <button class="plain end" title="Another picture" @click="picker?.click()">
        <i class="pi pi-folder-open" />
      </button>
      <input
        ref="picker"
        type="file"
        hidden
        :accept="SURROUNDINGS_FILES"
        data-test="surroundings-file"
        @change="($event.target as HTMLInputElement).files?.[0] && bring(($event.target as HTMLInputElement).files![0])"
      />
    </h3>
    <AroundStrip
      :spread="spread"
      :spots="facts?.spots ?? []"
      :heading="heading"
      :loaded="loaded"
      @turn="turn"
      @turned="(turnDeg, tiltDeg) => change('Turn surroundings', (s) => Object.assign(s, { turnDeg, tiltDeg }))"
    />
    <p class="quiet name" :title="spread.name">{{ spread.name }}</p>
  </section>
  <section class="card" style="flex: 1.2">
    <h3>How it stands <ToolButton class="end" tool="turn-sky" label="on the plate" shortcut="A" /></h3>
    <div class="facts">
      <span>Turned</span>
      <span class="row">
        <NumberField
          :model-value="spread.turnDeg"
          label="Turn of the surroundings"
          narrow
          unit="°"
          data-test="around-turn"
          @update:model-value="(v) => change('Turn surroundings', (s) => (s.turnDeg = v))"
        />
        <NumberField
          :model-value="spread.tiltDeg"
          label="Tilt of the surroundings"
          narrow
          unit="°"
          :min="-90"
          :max="90"
          @update:model-value="(v) => change('Tilt surroundings', (s) => (s.tiltDeg = v))"
        />
        <NumberField
          :model-value="spread.rollDeg"
          label="Roll of the surroundings"
          narrow
          unit="°"
          @update:model-value="(v) => change('Roll surroundings', (s) => (s.rollDeg = v))"
        />
        <span class="quiet">turn, tilt, roll</span>
      </span>
      <span>Flipped</span>
      <span
        ><ToggleSwitch
          :model-value="spread.flip"
          aria-label="Left and right changed over"
          @update:model-value="(v: boolean) => change('Flip surroundings', (s) => (s.flip = v))"
      /></span>
      <span>Far</span>
      <span
        ><Select
          :model-value="reach"
          :options="REACHES"
          option-label="label"
          option-value="value"
          aria-label="How far the surroundings are"
          data-test="around-reach"
          @update:model-value="chooseReach"
      /></span>
      <template v-if="spread.extent">
        <span>Centre</span>
        <span class="row">
          <LengthField
            v-for="(axis, k) in ['X', 'Y', 'Z']"
            :key="axis"
            :model-value="spread.extent.centre[k]"
            :unit="shot.unit"
            :label="`Centre ${axis}`"
            @update:model-value="(m) => change('Place surroundings', (s) => s.extent && (s.extent.centre[k] = m))"
          />
        </span>
        <span>{{ spread.extent.kind === "box" ? "Size" : "Radius" }}</span>
        <span class="row">
          <template v-if="spread.extent.kind === 'dome'">
            <LengthField
              :model-value="spread.extent.half[0]"
              :unit="shot.unit"
              label="Radius"
              positive
              @update:model-value="
                (m) => change('Size surroundings', (s) => s.extent && (s.extent.half = [m, m, s.extent.half[2]]))
              "
            />
            <span class="quiet">taken over its floor by</span>
            <LengthField
              :model-value="spread.extent.half[2]"
              :unit="shot.unit"
              label="Height over its floor"
              positive
              @update:model-value="
                (m) => change('Floor of the surroundings', (s) => s.extent && (s.extent.half[2] = m))
              "
            />
          </template>
          <LengthField
            v-else-if="spread.extent.kind === 'sphere'"
            :model-value="spread.extent.half[0]"
            :unit="shot.unit"
            label="Radius"
            positive
            @update:model-value="(m) => change('Size surroundings', (s) => s.extent && (s.extent.half = [m, m, m]))"
          />
          <template v-else>
            <LengthField
              v-for="(axis, k) in ['X', 'Y', 'Z']"
              :key="axis"
              :model-value="2 * spread.extent.half[k]"
              :unit="shot.unit"
              :label="`Size along ${axis}`"
              positive
              @update:model-value="(m) => change('Size surroundings', (s) => s.extent && (s.extent.half[k] = m / 2))"
            />
          </template>
        </span>
      </template>
      <span>Sun</span>
      <span class="row">
        <span data-test="around-sun">{{ sunWord }}</span>
      </span>
      <template v-if="facts?.sun">
        <span />
        <span class="row">
          <button v-if="!spread.sunOut" class="act" data-test="around-sun-out" @click="takeSunOut">
            make it a sun of its own
          </button>
          <button v-else class="act" @click="putSunBack">put it back</button>
          <button class="act" title="Its sun over the shot's sun" @click="turnToSun">turn it to the sun</button>
        </span>
      </template>
    </div>
  </section>
  <section class="card" style="flex: 1">
    <h3>What is made of it</h3>
    <div class="facts">
      <span>Contrast</span>
      <span
        ><NumberField
          :model-value="spread.contrast"
          label="Contrast of the surroundings"
          :digits="2"
          :min="0.1"
          :max="4"
          @update:model-value="(v) => change('Change contrast', (s) => (s.contrast = v))"
      /></span>
      <span>Blur</span>
      <span
        ><NumberField
          :model-value="spread.blurDeg"
          label="Blur of the surroundings"
          unit="°"
          :min="0"
          :max="60"
          @update:model-value="(v) => change('Blur surroundings', (s) => (s.blurDeg = v))"
      /></span>
      <template v-if="spread.clippedAt !== null">
        <span>Made up</span>
        <span class="row"
          ><NumberField
            :model-value="spread.expandStops"
            label="Stops beyond white"
            :digits="1"
            :min="0"
            :max="12"
            title="How many stops brighter than white its white counts. Nobody knows what was there: a sun is 10 or more, a window 2 to 4"
            @update:model-value="(v) => change('Make up brightness', (s) => (s.expandStops = v))"
          />
          <span class="quiet">stops beyond white</span></span
        >
      </template>
    </div>
    <FigureChart v-if="chart" title="Share of directions by stops about the mean, %" :option="chart" class="chart" />
  </section>
</template>

<style scoped>
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  margin: 2px 0 0;
}
.chart {
  height: 110px;
}
</style>
