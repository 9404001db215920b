<script setup lang="ts">
import Button from "primevue/button";
import InputText from "primevue/inputtext";
import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { newLength } from "#core/match/schema";
import { sizesCsv } from "#core/set/csv";
import type { Measure } from "#core/set/measures";
import { MEASURES, MEASURE_NAMES, endsUnder } from "#core/set/measures";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import { figureWords, nearestYardstick, withinWords } from "../../desk/measureWords.ts";
import LengthField from "../../parts/LengthField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useLibrary } from "../../stores/library.ts";
import { useShot } from "../../stores/shot.ts";
import { useSizes } from "./useSizes.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const library = useLibrary();
const { measures, sizesOf, tally: tallyIn } = useSizes(props);

void library.openYardsticks();
const unit = computed(() => props.shot.unit);
const part = computed(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const sizes = computed(() => (part.value ? sizesOf(part.value) : []));
const tally = computed(() => part.value && tallyIn(part.value));
/** What is usually as long as a measured length. */
function like(metres: number): string {
  const yardstick = nearestYardstick(metres, library.yardsticks);
  return yardstick ? `as ${yardstick.name.toLowerCase()}, ${figureWords(yardstick.metres, "length", unit.value)}` : "";
}

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
const rename = (id: string, name: string) =>
  name && store.commit("Rename measure", (d) => void (d.measures[id].name = name));

function saveCsv(): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([sizesCsv(measures.value, props.shot.set)], { type: "text/csv" }));
  link.download = `${props.shot.name.replaceAll(/[^\w -]/g, "")} sizes.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
</script>

<template>
  <section class="card" style="flex: 1.6">
    <h3>
      Measured
      <span class="end row"
        ><ToolButton
          v-for="name in MEASURE_NAMES"
          :key="name"
          :tool="`measure-${name}`"
          :label="MEASURES[name].title.toLowerCase()"
          :shortcut="MEASURES[name].key?.toUpperCase()" /><Button
          label="Save as CSV"
          size="small"
          data-test="measures-csv"
          @click="saveCsv"
      /></span>
    </h3>
    <div class="list">
      <div
        v-for="{ measure, reading, within } in measures"
        :key="measure.id"
        :class="{ on: desk.selected === measure.id }"
        :data-test="measure.id"
        @click="desk.selected = measure.id"
      >
        <InputText
          :model-value="measure.name"
          class="name"
          :aria-label="`Name of ${measure.name}`"
          @change="rename(measure.id, ($event.target as HTMLInputElement).value)"
        />
        <span class="num" :title="reading.unit === 'length' ? like(reading.value) : ''"
          >{{ figureWords(reading.value, reading.unit, unit) }}
          {{ withinWords(within, reading.value, reading.unit, unit) }} {{ reading.label }}</span
        >
        <span class="quiet num also">{{
          reading.also.map((a) => `${a.label} ${figureWords(a.value, a.unit, unit)}`).join(", ")
        }}</span>
        <span class="end row">
          <template v-if="measure.kind === 'length'">
            <span class="quiet">known as</span>
            <LengthField
              :model-value="reading.value"
              :unit="unit"
              :label="`${measure.name} is known to be`"
              positive
              @update:model-value="(m) => tellCamera(measure, m)"
            />
          </template>
          <button class="plain" :aria-label="`Delete ${measure.name}`" @click.stop="remove(measure.id)">
            <i class="pi pi-times" />
          </button>
        </span>
      </div>
    </div>
    <p v-if="measures.length === 0" class="quiet">
      Measure between any points of ground and set. A length that is known becomes a known length of the camera.
    </p>
  </section>
  <section class="card" style="flex: 0.9">
    <h3 title="± holds nineteen times out of twenty">{{ part?.name ?? "Sizes of a part" }}</h3>
    <div v-if="part" class="facts" data-test="sizes">
      <template v-for="{ label, unit: told, value, within } in sizes" :key="label">
        <span>{{ label }}</span><span class="num" :title="told === 'length' ? like(value) : ''"
          >{{ figureWords(value, told, unit) }} {{ withinWords(within, value, told, unit) }}</span
        >
      </template>
    </div>
    <p v-else class="quiet">Select a part.</p>
  </section>
  <section v-if="tally && part" class="card" style="flex: 0.8">
    <h3>{{ part.kind === "row" ? "The row" : "All of its kind" }}</h3>
    <div class="facts" data-test="tally">
      <span>of them</span><span class="num">{{ tally.count }}</span> <span>apart</span
      ><span class="num">{{ figureWords(tally.mean, "length", unit) }}</span> <span>nearest</span
      ><span class="num">{{ figureWords(tally.least, "length", unit) }}</span> <span>cover</span
      ><span class="num">{{ figureWords(tally.area, "area", unit) }}</span>
      <template v-if="tally.volume !== null"
        ><span>take</span><span class="num">{{ figureWords(tally.volume, "volume", unit) }}</span></template
      >
    </div>
  </section>
</template>

<style scoped>
.name {
  width: 92px;
}
.also {
  flex: 1;
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
