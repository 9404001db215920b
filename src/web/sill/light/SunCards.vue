<script setup lang="ts">
import Button from "primevue/button";
import InputText from "primevue/inputtext";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import { almanacSun, compareSuns, dayArc, northFrom, timesOfSun, worldAzimuth } from "#core/light/almanac";
import { levelAngles, levelDirection, worldAngles } from "#core/light/level";
import type { Almanac } from "#core/light/schema";
import { anglesFromDirection } from "#core/light/sun";
import { sightingKind } from "#core/light/sightings/index";
import { sunFromSightings } from "#core/light/sightings/solve";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { followSighting } from "../../desk/handles/light.ts";
import FigureChart from "../../parts/FigureChart.vue";
import NumberField from "../../parts/NumberField.vue";
import PlaceMap from "../../parts/PlaceMap.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import KelvinField from "./KelvinField.vue";
import { useLight } from "./useLight.ts";

/** Where the sun stands: typed, sighted on the plate, or by the almanac, each of which checks the other. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { light, set, store } = useLight(props);
const desk = useDesk();
const notices = useNotices();

const sightings = computed(() => Object.values(light.value.sightings));
const sighted = computed(() => (props.camera ? sunFromSightings(props.camera, sightings.value, props.shot.set) : null));
const found = computed(() => (typeof sighted.value === "string" ? null : sighted.value));
const checkOf = (id: string) => found.value?.each.find((each) => each.id === id);

/** Every sighting's own sun, the common one, and the almanac's day. */
const chart = computed(() => {
  const at = (d: readonly number[]) => [
    Number(((toDegrees(Math.atan2(d[0], d[1])) + 360) % 360).toFixed(2)),
    Number(toDegrees(Math.asin(d[2])).toFixed(2)),
  ];
  const own = (found.value?.each ?? []).flatMap(({ id, own: d }) => (d ? [{ name: id, value: at(d) }] : []));
  const a = light.value.almanac;
  const day =
    a && a.northDeg !== null
      ? dayArc(a, 30).map(({ bearingDeg, elevationDeg }) => {
          const world = worldAngles(light.value.slope, { azimuthDeg: worldAzimuth(a, bearingDeg)!, elevationDeg });
          return [(world.azimuthDeg + 360) % 360, world.elevationDeg];
        })
      : [];
  if (!found.value || own.length + day.length < 2) return null;
  return {
    animation: false,
    grid: { left: 30, right: 8, top: 6, bottom: 18 },
    tooltip: { trigger: "item" },
    xAxis: { type: "value", scale: true, axisLabel: { fontSize: 9 }, splitLine: { show: false } },
    yAxis: { type: "value", scale: true, axisLabel: { fontSize: 9 }, splitNumber: 2 },
    series: [
      { type: "line", symbol: "none", lineStyle: { color: "#888", width: 1 }, data: day },
      { type: "line", lineStyle: { width: 0 }, symbolSize: 6, itemStyle: { color: "#ffe08a" }, data: own },
      {
        type: "line",
        lineStyle: { width: 0 },
        symbol: "diamond",
        symbolSize: 10,
        itemStyle: { color: "#e0705f" },
        data: [{ name: "all together", value: at(found.value.direction) }],
      },
    ],
  };
});

const almanac = computed(() => light.value.almanac);
const byAlmanac = computed(() => almanac.value && almanacSun(almanac.value));
/** The sighted sun and the one that stands, against what is level: so does the almanac's. */
const compared = computed(() => {
  if (!almanac.value || !found.value) return null;
  const { azimuth, elevation } = anglesFromDirection(levelDirection(light.value.slope, found.value.direction));
  return compareSuns(almanac.value, { ...found.value, azimuth, elevation });
});
const stands = computed(() => levelAngles(light.value.slope, light.value.sun));

/** Date and time of the plate's EXIF as a clock's; noon of midsummer where it has none. */
function clockOfPlate(): string {
  const taken = props.shot.plates.main.exif.taken ?? "";
  const [, y, m, d, hour, minute] = /^(\d{4})[-:](\d\d)[-:](\d\d)[ T](\d\d):(\d\d)/.exec(taken) ?? [];
  return y ? `${y}-${m}-${d}T${hour}:${minute}` : "2026-06-21T12:00";
}
const open = () =>
  set("Open almanac", (l) => {
    const { place, zoneMinutes } = props.shot.plates.main.exif;
    const { latitude, longitude } = place ?? { latitude: 50, longitude: 0 };
    l.almanac = { latitude, longitude, clock: clockOfPlate(), zoneMinutes: zoneMinutes ?? 0, northDeg: null };
  });
const change = (name: string, edit: (a: Almanac) => void) => set(name, (l) => edit(l.almanac!));
function typeClock(text: string): void {
  if (/^\d{4}-\d\d-\d\dT\d\d:\d\d$/.test(text)) void change("Type time", (a) => (a.clock = text));
}

const mapped = ref(false);
function takePlace({ latitude, longitude }: Pick<Almanac, "latitude" | "longitude">): void {
  mapped.value = false;
  void change("Place from the map", (a) => {
    a.latitude = Number(latitude.toFixed(3));
    a.longitude = Number(longitude.toFixed(3));
  });
}

function takeAlmanac(): void {
  const a = almanac.value!;
  const { bearingDeg, elevationDeg } = byAlmanac.value!;
  if (elevationDeg <= 0) {
    notices.say("warn", "The sun is below the horizon then.", "Check the time and its zone.");
    return;
  }
  void set("Sun by almanac", (l) => {
    const azimuthDeg = worldAzimuth(a, bearingDeg) ?? stands.value.azimuthDeg;
    const world = worldAngles(l.slope, { azimuthDeg, elevationDeg });
    l.sun.elevationDeg = Number(world.elevationDeg.toFixed(3));
    l.sun.azimuthDeg = Number(world.azimuthDeg.toFixed(3));
    l.sun.on = true;
  });
}
function takeTime(): void {
  const [best] = timesOfSun(almanac.value!, stands.value);
  if (!best) {
    notices.say("warn", "The sun never stands there on that day.", "Check the date, the place, or north.");
    return;
  }
  void change("Time from the shadow", (a) => (a.clock = best));
}
const takeNorth = () =>
  change("North from the shadow", (a) => (a.northDeg = Number(northFrom(a, stands.value.azimuthDeg).toFixed(2))));

/** Changes a sighting; the sun goes where those that count now say. */
async function changed(name: string, change: (draft: Shot) => void): Promise<void> {
  await store.commit(name, (d) => {
    change(d as Shot);
    if (props.camera) followSighting(d, props.camera);
  });
}
const mute = (id: string, muted: boolean) =>
  changed(muted ? "Mute sighting" : "Count sighting", (d) => (d.light.sightings[id].muted = muted));
const remove = (id: string) => changed("Delete sighting", (d) => void delete d.light.sightings[id]);
const degrees = (v: number, digits = 2) => `${v.toFixed(digits)}°`;
</script>

<template>
  <section class="card" style="flex: 0.8">
    <h3>
      Sun
      <ToggleSwitch
        class="end"
        :model-value="light.sun.on"
        aria-label="Sun"
        @update:model-value="(v: boolean) => set(v ? 'Sun on' : 'Sun off', (l) => (l.sun.on = v))"
      />
    </h3>
    <div class="facts">
      <span>Azimuth</span>
      <span class="row"
        ><NumberField
          :model-value="light.sun.azimuthDeg"
          label="Azimuth"
          unit="°"
          title="Clockwise from +Y"
          data-test="azimuth"
          @update:model-value="(v) => set('Type azimuth', (l) => (l.sun.azimuthDeg = v))"
      /></span>
      <span>Height</span>
      <span class="row"
        ><NumberField
          :model-value="light.sun.elevationDeg"
          label="Height"
          unit="°"
          :min="-5"
          :max="90"
          data-test="elevation"
          @update:model-value="(v) => set('Type height', (l) => (l.sun.elevationDeg = v))"
      /></span>
      <span>Softness</span>
      <span class="row"
        ><NumberField
          :model-value="light.sun.radiusDeg"
          label="Softness"
          unit="°"
          :digits="3"
          :min="0.01"
          :max="20"
          title="Radius of its disc: 0.27° in clear air, more in haze. What it sends stays the same."
          @update:model-value="(v) => set('Type softness', (l) => (l.sun.radiusDeg = v))" />
        <ToolButton tool="penumbra" label="by an edge" shortcut="I"
      /></span>
      <span>Warmth</span>
      <span class="row"
        ><KelvinField
          :white="shot.light.whiteKelvin"
          :colour="light.sun.irradiance"
          label="Temperature of the sun"
          @colour="(c) => set('Warm sun', (l) => (l.sun.irradiance = c))"
      /></span>
    </div>
  </section>
  <section class="card" style="flex: 1.2">
    <h3>Sightings</h3>
    <div class="row ways">
      <ToolButton tool="sighting" label="sight a shadow" shortcut="S" />
      <ToolButton tool="shadow-pair" label="point, shadow" shortcut="L" />
      <ToolButton tool="shadow-edge" label="edge, shadow" shortcut="E" />
      <ToolButton tool="ball-light" label="on a ball" shortcut="K" />
      <ToolButton tool="post-light" label="on a post" shortcut="J" />
    </div>
    <div v-if="typeof sighted === 'string'" class="finding warning">
      <div>{{ sighted }}</div>
    </div>
    <p v-else-if="found" class="quiet num" data-test="sighted">
      {{ degrees(toDegrees(found.azimuth)) }} ± {{ toDegrees(found.sigma.azimuth).toFixed(2) }}, height
      {{ degrees(toDegrees(found.elevation)) }} ± {{ toDegrees(found.sigma.elevation).toFixed(2) }}
    </p>
    <div v-if="found?.odd" class="finding warning">
      <div>{{ found.odd }} does not go with the others: check which shadow is whose, or mute it.</div>
    </div>
    <div class="list" style="margin-top: 4px">
      <div
        v-for="s in sightings"
        :key="s.id"
        :class="{ on: desk.selected === s.id, muted: s.muted }"
        :data-test="s.id"
        @click="desk.selected = s.id"
      >
        <span>{{ sightingKind(s.kind).label }} {{ s.id.replace("sighting-", "") }}</span>
        <span class="quiet num">
          <template v-if="checkOf(s.id)">
            <template v-if="sightings.length > 1">{{ degrees(checkOf(s.id)!.offDeg) }} off&ensp;</template>
            <template v-if="checkOf(s.id)!.height">
              {{ formatLength(checkOf(s.id)!.height!, shot.unit) }} high</template
            >
          </template>
        </span>
        <label v-if="desk.selected === s.id && sightings.length > 1" class="row end" @click.stop>
          <span class="quiet">counts as</span>
          <NumberField
            :model-value="s.weight ?? 1"
            :label="`As how many ${s.id} counts`"
            narrow
            :min="0.1"
            :max="10"
            @update:model-value="
              (weight) => changed('Weigh sighting', (d) => (d.light.sightings[s.id].weight = weight))
            "
          />
        </label>
        <button
          class="plain"
          :class="{ end: desk.selected !== s.id || sightings.length < 2 }"
          :aria-label="`${s.muted ? 'Count' : 'Mute'} ${s.id}`"
          @click.stop="mute(s.id, !s.muted)"
        >
          <i :class="s.muted ? 'pi pi-eye-slash' : 'pi pi-eye'" />
        </button>
        <button class="plain" :aria-label="`Delete ${s.id}`" @click.stop="remove(s.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <FigureChart v-if="chart" title="Azimuth and height, °" :option="chart" class="chart" />
    <p v-if="sightings.length === 0" class="quiet">
      Something upright with its shadow tells the sun; so do two points, or edges of the set, with theirs. A post's
      shadow is drawn at the pointer.
    </p>
  </section>
  <section class="card" style="flex: 1.6">
    <h3>
      Almanac
      <button
        v-if="almanac"
        class="plain end"
        aria-label="Close almanac"
        @click="set('Close almanac', (l) => (l.almanac = null))"
      >
        <i class="pi pi-times" />
      </button>
    </h3>
    <PlaceMap
      v-if="mapped && almanac"
      :latitude="almanac.latitude"
      :longitude="almanac.longitude"
      @pick="takePlace"
      @close="mapped = false"
    />
    <template v-if="almanac && byAlmanac">
      <div class="facts">
        <span>Place</span>
        <span class="row">
          <NumberField
            :model-value="almanac.latitude"
            class="place"
            label="Latitude"
            unit="° N"
            :digits="4"
            :min="-90"
            :max="90"
            @update:model-value="(v) => change('Type place', (a) => (a.latitude = v))"
          />
          <NumberField
            :model-value="almanac.longitude"
            class="place"
            label="Longitude"
            unit="° E"
            :digits="4"
            :min="-180"
            :max="180"
            @update:model-value="(v) => change('Type place', (a) => (a.longitude = v))"
          />
          <button class="act" title="On a map of the world" data-test="open-map" @click="mapped = true">
            <i class="pi pi-map" /> map
          </button>
        </span>
        <span>Clock</span>
        <span class="row">
          <InputText
            type="datetime-local"
            :model-value="almanac.clock"
            aria-label="Date and time"
            class="clock"
            @change="typeClock(($event.target as HTMLInputElement).value)"
          />
          <NumberField
            :model-value="almanac.zoneMinutes / 60"
            label="Hours ahead of universal time"
            unit="h"
            narrow
            :min="-14"
            :max="14"
            title="Hours that the clock is ahead of universal time, summer time included"
            @update:model-value="(v) => change('Type zone', (a) => (a.zoneMinutes = Math.round(v * 60)))"
          />
        </span>
        <span>+Y points</span>
        <span class="row">
          <NumberField
            v-if="almanac.northDeg !== null"
            :model-value="almanac.northDeg"
            label="Bearing of +Y"
            unit="°"
            title="Clockwise from true north"
            @update:model-value="(v) => change('Type north', (a) => (a.northDeg = v))"
          />
          <span v-else class="quiet">nobody knows</span>
          <button class="act" title="So that the sun stands where it does now" data-test="north" @click="takeNorth">
            from the sun
          </button>
        </span>
      </div>
      <div class="row" style="margin-top: 4px">
        <span class="num quiet" data-test="almanac-sun"
          >bearing {{ degrees(byAlmanac.bearingDeg) }}, height {{ degrees(byAlmanac.elevationDeg) }}</span
        >
        <Button label="Use" size="small" data-test="almanac-use" @click="takeAlmanac" />
        <button class="act" title="The time at which the sun stood as it does now" data-test="time" @click="takeTime">
          time from the sun
        </button>
      </div>
      <div v-if="compared" class="finding" :class="compared.agrees ? 'note' : 'warning'" data-test="compared">
        <div>{{ compared.sentence }}</div>
      </div>
    </template>
    <template v-else>
      <button class="act" data-test="almanac" @click="open"><i class="pi pi-calendar" /> by place and time</button>
      <p class="quiet">It tells the sun, checks what was sighted, and tells the time of day or north from a shadow.</p>
    </template>
  </section>
</template>

<style scoped>
.chart {
  height: 92px;
}
.ways {
  flex-wrap: wrap;
}
.place {
  width: 92px;
}
.clock {
  padding: 1px 6px;
  width: 178px;
  font-size: 12px;
}
.muted {
  opacity: 0.55;
}
</style>
