<script setup lang="ts">
import Select from "primevue/select";
import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import type { ArrayKind, PropArray } from "#core/props/array";
import { MOST_COPIES, copyPlaces } from "#core/props/array";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import { useNotices } from "../../stores/notices.ts";
import { useProps } from "./useProps.ts";

/** Copies of the chosen prop as instances: in rows, a ring, or along a line that was measured. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { chosen, size, change } = useProps(props);
const notices = useNotices();
const array = computed(() => chosen.value?.array ?? null);
const count = computed(() => (array.value ? copyPlaces(array.value).length : 1));

const KINDS: { label: string; value: ArrayKind | "one" }[] = [
  { label: "one alone", value: "one" },
  { label: "rows", value: "row" },
  { label: "a ring", value: "ring" },
  { label: "along a line", value: "line" },
];

/** Lines that were measured on the set, to stand along. */
const lines = computed(() =>
  Object.values(props.shot.measures)
    .filter((m) => m.points.length >= 2)
    .map((m) => ({ label: m.name || m.id, value: m.id })),
);

function begin(kind: ArrayKind | "one"): void {
  const [wide, deep] = size.value ?? [0.5, 0.5];
  const shared = { count: 5, turnDeg: 0, scatter: 0, scatterDeg: 0 };
  const made: Record<ArrayKind, () => PropArray> = {
    row: () => ({ kind: "row", ...shared, step: [wide * 1.25, 0, 0], rows: 1, rowStep: [0, deep * 1.25, 0] }),
    ring: () => ({ kind: "ring", ...shared, count: 8, radius: Math.max(0.5, wide * 2), faces: true }),
    line: () => {
      const [x, y, z] = chosen.value!.placement.position;
      return {
        kind: "line",
        ...shared,
        points: [
          [x, y, z],
          [x + 4 * wide * 1.25, y, z],
        ],
        faces: true,
      };
    },
  };
  void change("Change copies", (p) => (p.array = kind === "one" ? null : made[kind]()));
}

const put = (words: string, to: (a: PropArray) => void) =>
  change(words, (p) => {
    if (p.array) to(p.array);
  });

/** It and its copies along a measured line, the first at its beginning. */
function along(id: string): void {
  const points = props.shot.measures[id].points.map(({ world }) => [...world] as Vec3);
  void change("Stand along a line", (p) => {
    if (p.array?.kind !== "line") return;
    p.array.points = points;
    p.placement.position = points[0];
  });
  if (count.value > 200) notices.say("good", `${count.value} copies.`);
}
const stepField = (key: "step" | "rowStep", k: number, metres: number) =>
  put("Change step", (a) => a.kind === "row" && (a[key] = a[key].map((x, i) => (i === k ? metres : x)) as Vec3));
</script>

<template>
  <section v-if="chosen" class="card" style="flex: 2">
    <h3>
      Copies
      <Select
        :model-value="array?.kind ?? 'one'"
        :options="KINDS"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="How it is repeated"
        data-test="array-kind"
        @update:model-value="begin"
      />
      <span v-if="array" class="end quiet num">{{ count.toLocaleString("en") }} as instances</span>
    </h3>
    <div v-if="array" class="row">
      <label class="row">
        <span class="quiet">{{ array.kind === "row" ? "in a row" : "number" }}</span>
        <NumberField
          :model-value="array.count"
          label="Number of copies"
          :digits="0"
          :min="1"
          :max="MOST_COPIES"
          @update:model-value="(n) => put('Change number', (a) => (a.count = Math.round(n)))"
        />
      </label>
      <template v-if="array.kind === 'row'">
        <span class="quiet">step</span>
        <LengthField
          v-for="k in [0, 1, 2] as const"
          :key="`s${k}`"
          :model-value="array.step[k]"
          :unit="shot.unit"
          :label="`Step along ${'XYZ'[k]}`"
          @update:model-value="(m) => stepField('step', k, m)"
        />
        <label class="row">
          <span class="quiet">rows</span>
          <NumberField
            :model-value="array.rows"
            label="Number of rows"
            :digits="0"
            :min="1"
            :max="MOST_COPIES"
            @update:model-value="(n) => put('Change rows', (a) => a.kind === 'row' && (a.rows = Math.round(n)))"
          />
        </label>
        <template v-if="array.rows > 1">
          <span class="quiet">apart</span>
          <LengthField
            v-for="k in [0, 1, 2] as const"
            :key="`r${k}`"
            :model-value="array.rowStep[k]"
            :unit="shot.unit"
            :label="`Rows apart along ${'XYZ'[k]}`"
            @update:model-value="(m) => stepField('rowStep', k, m)"
          />
        </template>
      </template>
      <label v-if="array.kind === 'ring'" class="row">
        <span class="quiet">radius</span>
        <LengthField
          :model-value="array.radius"
          :unit="shot.unit"
          label="Radius of the ring"
          positive
          @update:model-value="(m) => put('Change radius', (a) => a.kind === 'ring' && (a.radius = m))"
        />
      </label>
      <label v-if="array.kind !== 'row'" class="row quiet">
        <input
          type="checkbox"
          :checked="array.faces"
          @change="
            put('Change heading', (a) => a.kind !== 'row' && (a.faces = ($event.target as HTMLInputElement).checked))
          "
        />
        turned with it
      </label>
      <label v-if="array.kind === 'line'" class="row">
        <span class="quiet">line</span>
        <Select
          v-if="lines.length > 0"
          :model-value="null"
          :options="lines"
          option-label="label"
          option-value="value"
          placeholder="a measured line"
          size="small"
          aria-label="Measured line to stand along"
          data-test="array-line"
          @update:model-value="along"
        />
        <span v-else class="quiet">measure a length on the set (step 3, Measure), and choose it here</span>
      </label>
      <label class="row">
        <span class="quiet">each turned by</span>
        <NumberField
          :model-value="array.turnDeg"
          label="Turn from copy to copy"
          unit="°"
          @update:model-value="(v) => put('Turn copies', (a) => (a.turnDeg = v))"
        />
      </label>
      <label class="row">
        <span class="quiet">uneven by</span>
        <LengthField
          :model-value="array.scatter"
          :unit="shot.unit"
          label="Uneven by"
          @update:model-value="(m) => m >= 0 && put('Scatter copies', (a) => (a.scatter = m))"
        />
        <NumberField
          :model-value="array.scatterDeg"
          label="Turned unevenly by"
          unit="°"
          :min="0"
          :max="180"
          @update:model-value="(v) => put('Scatter copies', (a) => (a.scatterDeg = v))"
        />
      </label>
    </div>
    <p v-else class="quiet">
      Rows, rings and lines of {{ chosen.name }}: as many as {{ MOST_COPIES.toLocaleString("en") }} cost the memory of
      one.
      <template v-if="size"> It is {{ size.map((m) => formatLength(m, shot.unit)).join(" × ") }}.</template>
    </p>
  </section>
  <section v-else class="card" style="flex: 2"><p class="quiet">Click a prop on the plate or in the list.</p></section>
</template>
