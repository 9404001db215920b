<script setup lang="ts">
import Button from "primevue/button";
import Dialog from "primevue/dialog";
import { computed, ref, watch } from "vue";
import { readSize, suitedFoot } from "#core/props/reading";
import type { Reading } from "#core/props/schema";
import type { LengthUnit } from "#core/units/length";
import { formatLength } from "#core/units/length";
import type { Asked } from "./bringModel.ts";
import { UNITS, isOdd } from "./bringModel.ts";

/** Asks what a model's file does not say: its unit, which way is up, and whether it goes on without what is missing. */
const props = defineProps<{ asked: Asked; unit: LengthUnit }>();
const reading = ref<Reading>({ unit: 1, up: "z" });
watch(
  () => props.asked,
  ({ guess }) => (reading.value = { ...guess }),
  { immediate: true },
);

/** Axes of the file as they lie when another one is up: across, away, and up. */
const TURNED: Record<Reading["up"], (p: number[]) => number[]> = {
  z: (p) => p,
  y: ([x, y, z]) => [x, -z, y],
  x: ([x, y, z]) => [-z, y, x],
};
const points = computed(() => {
  const { outline } = props.asked.asset;
  return Array.from({ length: outline.length / 3 }, (_, i) => outline.slice(i * 3, i * 3 + 3));
});

const BOX = { width: 132, height: 92 };
const PERSON = 1.75;

/** The model beside a person, seen from the front, both at one scale. */
function picture(up: Reading["up"], unit: number) {
  const turned = points.value.map((p) => TURNED[up](p).map((x) => x * unit));
  const low = [0, 2].map((k) => Math.min(...turned.map((p) => p[k])));
  const high = [0, 2].map((k) => Math.max(...turned.map((p) => p[k])));
  const [wide, tall] = [high[0] - low[0], high[1] - low[1]];
  const scale = Math.min((BOX.width - 12) / (wide + 0.75), (BOX.height - 8) / Math.max(tall, PERSON));
  const dots = turned.map((p) => [0.7 * scale + 6 + (p[0] - low[0]) * scale, BOX.height - 4 - (p[2] - low[1]) * scale]);
  return { dots: dots.map(([x, y]) => `M${x.toFixed(1)} ${y.toFixed(1)}h.01`).join(""), person: PERSON * scale };
}

const { asset } = props.asked;
const sizeOf = (by: Reading): string =>
  readSize(asset.size, by)
    .map((m) => formatLength(m, props.unit))
    .join(" × ");
const units = computed(() =>
  UNITS.map(({ name, unit }) => ({
    name,
    unit,
    ...picture(reading.value.up, unit),
    size: sizeOf({ ...reading.value, unit }),
  })),
);
const ways = computed(() => (["z", "y", "x"] as const).map((up) => ({ up, ...picture(up, reading.value.unit) })));
function answer(): void {
  const { guess } = props.asked;
  const { up } = reading.value;
  const foot = up === guess.up ? guess.foot : suitedFoot(asset.low, asset.size, up);
  props.asked.answer({ ...reading.value, foot });
}
const WAYS = { z: "as it came", y: "its back down", x: "its side down" };
const asksUnit = computed(() => !asset.unitIsSure || isOdd(asset));
</script>

<template>
  <Dialog
    :visible="true"
    modal
    :header="`How is ${asset.fileName} meant?`"
    data-test="import-ask"
    :style="{ width: '760px' }"
    @update:visible="asked.answer(null)"
  >
    <template v-if="asksUnit">
      <p>
        {{
          asset.unitIsSure
            ? `It says it is ${sizeOf({ unit: 1, up: "z" })} in size. Is it?`
            : "The file has no units. Beside a person of 1.75 m it would be:"
        }}
      </p>
      <div class="tiles">
        <button
          v-for="u in units"
          :key="u.name"
          class="tile"
          :class="{ on: reading.unit === u.unit }"
          :aria-pressed="reading.unit === u.unit"
          :data-test="`unit-${u.name}`"
          @click="reading.unit = u.unit"
        >
          <svg :viewBox="`0 0 ${BOX.width} ${BOX.height}`">
            <g :transform="`translate(4 ${BOX.height - 4}) scale(${u.person})`" class="person">
              <circle cx=".16" cy="-.93" r=".065" />
              <path d="M.09 -.85h.14l.06 .38h-.06v.45h-.05v-.42h-.04v.42h-.05v-.45h-.06z" />
            </g>
            <path class="dots" :d="u.dots" />
          </svg>
          <strong>{{ u.name }}</strong>
          <span class="num quiet">{{ u.size }}</span>
        </button>
      </div>
    </template>
    <template v-if="!asset.upIsSure">
      <p>Which way is up?</p>
      <div class="tiles">
        <button
          v-for="w in ways"
          :key="w.up"
          class="tile"
          :class="{ on: reading.up === w.up }"
          :aria-pressed="reading.up === w.up"
          :data-test="`up-${w.up}`"
          @click="reading.up = w.up"
        >
          <svg :viewBox="`0 0 ${BOX.width} ${BOX.height}`">
            <g :transform="`translate(4 ${BOX.height - 4}) scale(${w.person})`" class="person">
              <circle cx=".16" cy="-.93" r=".065" />
              <path d="M.09 -.85h.14l.06 .38h-.06v.45h-.05v-.42h-.04v.42h-.05v-.45h-.06z" />
            </g>
            <path class="dots" :d="w.dots" />
          </svg>
          <strong>{{ WAYS[w.up] }}</strong>
        </button>
      </div>
    </template>
    <p v-if="asset.missing.length > 0" class="missing" data-test="missing">
      It names {{ asset.missing.length === 1 ? "a file that is" : `${asset.missing.length} files that are` }} not among
      those that came: <span class="num">{{ asset.missing.slice(0, 8).join(", ") }}</span>. Go on without, or leave it
      and drop all of them together.
    </p>
    <template #footer>
      <Button label="Leave it" severity="secondary" data-test="import-leave" @click="asked.answer(null)" />
      <Button
        :label="asset.missing.length > 0 ? 'Bring it in without' : 'Bring it in'"
        data-test="import-go"
        @click="answer"
      />
    </template>
  </Dialog>
</template>

<style scoped>
p {
  margin: 0 0 6px;
}
.tiles {
  display: flex;
  gap: 6px;
  margin-bottom: 12px;
}
.tile {
  flex: 0 1 144px;
  display: grid;
  gap: 2px;
  justify-items: start;
  background: var(--band);
  border: 1px solid var(--line);
  color: var(--ink);
  font: inherit;
  padding: 4px 6px;
  cursor: pointer;
  min-width: 0;
}
.tile.on {
  border-color: var(--accent);
  background: #48403d;
}
.tile svg {
  width: 100%;
}
.tile .num {
  white-space: normal;
  text-align: left;
  font-size: 10.5px;
}
.person {
  fill: #8f8b86;
}
.dots {
  stroke: var(--accent);
  stroke-width: 1.6;
  stroke-linecap: round;
  fill: none;
}
.missing {
  color: var(--warn);
}
</style>
