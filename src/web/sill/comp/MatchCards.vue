<script setup lang="ts">
import { computed } from "vue";
import { grainVariance } from "#core/comp/grain";
import type { Comp } from "#core/comp/schema";
import type { Shot } from "#core/shot/schema";
import FigureChart from "../../parts/FigureChart.vue";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import StageCard from "./StageCard.vue";
import { useMeasuring } from "../../stores/measuring.ts";
import { useNotices } from "../../stores/notices.ts";
import { usePlate } from "../../stores/plate.ts";
import { useShot } from "../../stores/shot.ts";

/** What is rendered is brought to the plate: as soft as its edges, with its grain. */
const props = defineProps<{ shot: Shot }>();
const store = useShot();
const notices = useNotices();
const measuring = useMeasuring();
const plate = usePlate();
const comp = computed(() => props.shot.comp);
const set = (name: string, change: (comp: Comp) => void) => store.commit(name, (d) => change(d.comp));

async function measureSharpness(): Promise<void> {
  try {
    const found = await measuring.measureSharpness(props.shot);
    if (!found)
      notices.say(
        "warn",
        "No edge of the plate is a clean step of light.",
        "Mark an edge between something dark and something bright in the Camera step, or type the softness.",
      );
    else
      await set("Measure sharpness", (c) => {
        c.sharpness = { ...c.sharpness, on: true, sigmaPx: Number(found.sigmaPx.toFixed(3)) };
      });
  } catch (error) {
    notices.fail(error);
  }
}
async function measureGrain(): Promise<void> {
  try {
    const found = await measuring.measureGrain(comp.value.grain.areas);
    if (!found)
      notices.say(
        "warn",
        comp.value.grain.areas.length > 0
          ? "The chosen parts have hardly any flat patch."
          : "The plate has hardly any flat patch to measure its grain on.",
        comp.value.grain.areas.length > 0
          ? "Move or widen them, or add others."
          : "Leave grain off, or use a larger plate.",
      );
    else
      await set("Measure grain", (c) => {
        c.grain.on = true;
        c.grain.model = found.model;
      });
  } catch (error) {
    notices.fail(error);
  }
}

const places = computed(() => {
  const each = measuring.sharpness?.each;
  if (!each) return null;
  const all = `${each[0].toFixed(2)} to ${each[each.length - 1].toFixed(2)} px`;
  return `${each.length} ${each.length === 1 ? "place" : "places"} on edges: ${all}`;
});
/** How soft each edge is that was measured, and what the picture is brought to. */
const softness = computed(() => {
  const each = measuring.sharpness?.each;
  if (!each || each.length < 2) return null;
  const { sigmaPx } = comp.value.sharpness;
  return {
    animation: false,
    grid: { left: 30, right: 8, top: 6, bottom: 6 },
    tooltip: { trigger: "axis", valueFormatter: (v: number) => `${v.toFixed(2)} px` },
    xAxis: { type: "category", data: each.map((_, i) => i + 1), show: false },
    yAxis: { type: "value", min: 0, axisLabel: { fontSize: 9 }, splitNumber: 2, splitLine: { show: false } },
    series: [
      {
        type: "bar",
        data: each,
        itemStyle: { color: "#7fb0a5" },
        markLine: sigmaPx
          ? {
              silent: true,
              symbol: "none",
              label: { show: false },
              data: [{ yAxis: sigmaPx }],
              lineStyle: { color: "#e0705f" },
            }
          : undefined,
      },
    ],
  };
});

const CHANNELS = ["red", "green", "blue"];
const COLOURS = ["#e0705f", "#7fb06a", "#6f9fd8"];
/** Standard deviation against brightness: the plate's, where it was measured, and what is laid. */
const chart = computed(() => {
  const { model, strength } = comp.value.grain;
  if (!model) return null;
  const lights = Array.from({ length: 25 }, (_, i) => i / 24);
  const measured = measuring.grain?.points ?? [];
  return {
    animation: false,
    grid: { left: 40, right: 8, top: 6, bottom: 20 },
    tooltip: { trigger: "axis", valueFormatter: (v: number) => `${v.toFixed(2)} %` },
    xAxis: { type: "value", min: 0, max: 1, axisLabel: { fontSize: 9 }, splitLine: { show: false } },
    yAxis: { type: "value", min: 0, axisLabel: { fontSize: 9 }, splitNumber: 3 },
    series: COLOURS.flatMap((color, k) => [
      {
        type: "line",
        name: `${CHANNELS[k]}, plate`,
        symbol: "none",
        itemStyle: { color },
        lineStyle: { color, width: 1, type: "dashed" },
        data: lights.map((l) => [l, 100 * Math.sqrt(grainVariance(model, k, l))]),
      },
      {
        type: "line",
        name: `${CHANNELS[k]}, laid`,
        symbol: "none",
        itemStyle: { color },
        lineStyle: { color, width: 1.5 },
        data: lights.map((l) => [l, 100 * strength * Math.sqrt(grainVariance(model, k, l))]),
      },
      {
        type: "line",
        name: `${CHANNELS[k]}, measured`,
        lineStyle: { width: 0 },
        symbolSize: 5,
        itemStyle: { color },
        data: measured.map(({ light, sigma }) => [light[k], 100 * sigma[k]]),
      },
    ]),
  };
});
</script>

<template>
  <StageCard
    :shot="shot"
    stage="sharpness"
    :fields="[]"
    :rendered="comp.sharpness.strength === 1 && comp.sharpness.matte === null"
    style="flex: 0.8"
  >
    <div class="facts">
      <span>Softness</span>
      <span class="row">
        <NumberField
          :model-value="comp.sharpness.sigmaPx ?? 0"
          label="Softness of the plate's edges"
          unit="px"
          :digits="2"
          :min="0"
          :max="8"
          title="Standard deviation of the blur that a sharp edge has in the plate; below 0.42 the render is as sharp as it can be"
          data-test="sharpness"
          @update:model-value="(v) => set('Type sharpness', (c) => (c.sharpness.sigmaPx = v > 0 ? v : null))"
        />
        <button
          class="act"
          :disabled="measuring.busy || !plate.shown"
          data-test="measure-sharpness"
          @click="measureSharpness"
        >
          measure
        </button>
        <ToolButton tool="soft-edge" label="by an edge" shortcut="E" />
      </span>
    </div>
    <FigureChart v-if="softness" :title="`${places}; the line: the render`" :option="softness" class="chart low" />
    <p v-else-if="places" class="quiet">{{ places }}</p>
    <p v-else class="quiet">
      Measured on marked edges, or on those that the plate has. It is rendered, so the proof begins anew; a final keeps
      the softness that it was rendered with.
    </p>
  </StageCard>
  <StageCard :shot="shot" stage="grain" plain :fields="[]" style="flex: 1.3">
    <div class="split">
      <div class="facts">
        <span>Plate</span>
        <span class="row">
          <button
            class="act"
            :disabled="measuring.busy || !plate.shown"
            data-test="measure-grain"
            @click="measureGrain"
          >
            {{ comp.grain.model ? "measure again" : "measure" }}
          </button>
          <ToolButton tool="grain-area" label="on a flat part" shortcut="G" />
          <button
            v-if="comp.grain.areas.length > 0"
            class="act"
            title="Forget the chosen parts; flat patches are then found all over the plate"
            data-test="grain-everywhere"
            @click="set('Grain all over the plate', (c) => (c.grain.areas = []))"
          >
            not only there
          </button>
        </span>
        <template v-if="comp.grain.model">
          <span>Strength</span>
          <span
            ><NumberField
              :model-value="comp.grain.strength"
              label="Strength of the grain"
              :digits="2"
              :min="0"
              :max="4"
              @update:model-value="(v) => set('Strength of grain', (c) => (c.grain.strength = v))"
          /></span>
          <template v-if="comp.grain.model.blocks">
            <span>JPEG</span>
            <label class="row" title="The plate's grain is cut into squares of 8 pixels, as JPEG leaves it">
              <input
                type="checkbox"
                data-test="grain-blocks"
                :checked="comp.grain.model.blocks.on"
                @change="
                  set('JPEG squares of grain', (c) => {
                    const blocks = c.grain.model?.blocks;
                    if (blocks) blocks.on = !blocks.on;
                  })
                "
              />
              its squares
            </label>
          </template>
          <template v-if="!comp.grain.model.blocks?.on">
            <span>Coarse</span>
            <span
              ><NumberField
                :model-value="comp.grain.model.size"
                label="Size of the grain"
                unit="px"
                :digits="2"
                :min="0"
                :max="3"
                @update:model-value="(v) => set('Size of grain', (c) => c.grain.model && (c.grain.model.size = v))"
            /></span>
          </template>
          <span>Pattern</span>
          <span
            ><NumberField
              :model-value="comp.grain.seed"
              label="Pattern of the grain"
              :digits="0"
              :min="0"
              :max="4294967295"
              title="Another number for every frame"
              @update:model-value="(v) => set('Pattern of grain', (c) => (c.grain.seed = Math.round(v)))"
          /></span>
        </template>
      </div>
      <FigureChart
        v-if="chart"
        title="Grain over light, % of white: dashed the plate's, solid what is laid"
        :option="chart"
        class="chart"
      />
    </div>
    <p v-if="measuring.grain" class="quiet" data-test="grain-told">
      From {{ measuring.grain.patches }} flat patches; channels go together
      {{ comp.grain.model?.joined.map((c) => c.toFixed(2)).join(", ") }}
    </p>
    <p v-if="!comp.grain.model" class="quiet">
      Measured on flat patches of the plate, laid on what is rendered alone; a shadow gets back what it took.
    </p>
  </StageCard>
</template>

<style scoped>
.split {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
}
.chart {
  min-height: 96px;
}
.low {
  height: 64px;
  min-height: 0;
}
</style>
