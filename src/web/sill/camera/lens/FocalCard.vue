<script setup lang="ts">
import SelectButton from "primevue/selectbutton";
import { computed, ref } from "vue";
import { chooseFocal, putFocal, putSensor } from "#core/match/lensEdits";
import { AS_SOLVED } from "#core/match/requestOfShot";
import type { LensFigure } from "#core/optics/lens";
import { focalFromFigure, sensorFromCrop } from "#core/optics/lens";
import { cameraName, cropOf, search } from "#core/optics/lensDatabase";
import type { Shot } from "#core/shot/schema";
import NumberField from "../../../parts/NumberField.vue";
import { useLibrary } from "../../../stores/library.ts";
import { useNotices } from "../../../stores/notices.ts";
import { useLens } from "./useLens.ts";

/** Focal length, in any figure, and the sensor. */
const props = defineProps<{ shot: Shot }>();
const library = useLibrary();
const notices = useNotices();
const { lens, exif, whole, camera, exifPx, focal, likely, figures, exifSensor, change } = useLens(props);
const cameraSearch = ref("");

const MODES = [
  { label: "solve", value: "solve" },
  { label: "tolerant", value: "tolerant" },
  { label: "hold", value: "hold" },
] as const;
type Mode = (typeof MODES)[number]["value"];
const MODE_EDITS: Record<Mode, string> = {
  solve: "Solve focal length",
  tolerant: "Tolerant focal length",
  hold: "Hold focal length",
};
const ROWS: { figure: LensFigure; label: string; unit: string; digits: number }[] = [
  { figure: "mm", label: "Focal length", unit: "mm", digits: 2 },
  { figure: "eqDiagonal", label: "35 mm eq., diagonal", unit: "mm", digits: 2 },
  { figure: "eqWidth", label: "35 mm eq., width", unit: "mm", digits: 2 },
  { figure: "horizontal", label: "View across", unit: "°", digits: 2 },
  { figure: "vertical", label: "View high", unit: "°", digits: 2 },
  { figure: "diagonal", label: "View corner", unit: "°", digits: 2 },
];

const giveFocal = (name: string, given: Parameters<typeof putFocal>[1]) => change(name, (l) => putFocal(l, given));
function give(figure: LensFigure, value: number, label: string): void {
  const focalPx = focalFromFigure(figure, value, whole.value, lens.value.sensorMm);
  if (focalPx !== null) {
    void giveFocal("Type focal length", { focalPx, source: `typed: ${label.toLowerCase()} ${value}`, as: figure });
    return;
  }
  const millimetres = figure === "mm";
  notices.say(
    "warn",
    millimetres ? "Millimetres need the sensor's size." : "That is not an angle of view.",
    millimetres ? "Give the sensor below, or type an equivalent." : "Type between 0 and 180 degrees.",
  );
}
const mode = (to: Mode) =>
  change(MODE_EDITS[to], (l) =>
    chooseFocal(
      l,
      to,
      camera.value
        ? { focalPx: camera.value.focalPx, source: AS_SOLVED }
        : { focalPx: likely.value, source: exifPx.value ? "EXIF" : "a usual lens" },
    ),
  );

const cameras = computed(() =>
  library.database && cameraSearch.value.length > 1
    ? search(library.database.cameras, cameraName, cameraSearch.value, 6)
    : [],
);
const knownCrop = computed(() =>
  library.database && exif.value.camera ? cropOf(library.database, exif.value.camera) : null,
);
const giveSensor = (mm: number | null, focalToo: boolean) =>
  change("Give sensor size", (l) => putSensor(l, mm, focalToo));
</script>

<template>
  <section class="card" style="flex: 1.9" data-test="lens-card">
    <h3>
      Lens
      <span class="row end">
        <SelectButton
          :model-value="lens.focal"
          :options="[...MODES]"
          option-label="label"
          option-value="value"
          size="small"
          :allow-empty="false"
          data-test="focal-mode"
          @update:model-value="mode"
        />
        <NumberField
          v-if="lens.focal === 'tolerant'"
          :model-value="lens.tolerance * 100"
          label="Tolerance of the focal length, per cent"
          unit="%"
          narrow
          :min="0.01"
          :max="100"
          @update:model-value="(v) => change('Type tolerance', (l) => (l.tolerance = v / 100))"
        />
      </span>
    </h3>
    <div class="grid">
      <template v-for="r in ROWS" :key="r.figure">
        <span class="quiet">{{ r.label }}</span>
        <NumberField
          v-if="figures && figures[r.figure] !== null"
          :model-value="figures[r.figure]!"
          :label="r.label"
          :unit="r.unit"
          :digits="r.digits"
          :min="0.01"
          @update:model-value="(v) => give(r.figure, v, r.label)"
        />
        <span v-else class="quiet">{{ r.figure === "mm" ? "needs the sensor" : "–" }}</span>
      </template>
      <span class="quiet">Sensor, long side</span>
      <NumberField
        :model-value="lens.sensorMm ?? 0"
        label="Sensor, long side"
        unit="mm"
        :min="0"
        :max="200"
        @update:model-value="(v) => giveSensor(v > 0 ? v : null, true)"
      />
      <span class="quiet">In pixels</span>
      <NumberField
        v-if="focal"
        :model-value="focal"
        label="Focal length in pixels"
        unit="px"
        :digits="1"
        :min="1"
        @update:model-value="(v) => giveFocal('Type focal length', { focalPx: v, source: 'typed', as: 'px' })"
      />
      <span v-else class="quiet">–</span>
    </div>
    <p v-if="lens.source && lens.focal !== 'solve'" class="quiet note">from {{ lens.source }}</p>
    <div class="row acts" style="margin-top: 4px">
      <input v-model="cameraSearch" class="search" placeholder="camera make and model" aria-label="Search cameras" />
      <button
        v-if="exifPx"
        class="act"
        data-test="use-exif"
        @click="
          giveFocal('Focal length from EXIF', {
            focalPx: exifPx,
            source: `EXIF, ${exif.equivalentMm ? `${exif.equivalentMm} mm equivalent` : `${exif.focalMm} mm`}`,
            as: null,
            tolerance: 0.04,
          })
        "
      >
        EXIF, ± 4 %
      </button>
      <button
        v-if="knownCrop"
        class="act"
        data-test="sensor-exif"
        @click="giveSensor(sensorFromCrop(knownCrop!, whole), false)"
      >
        sensor of {{ exif.camera }}
      </button>
      <button v-else-if="exifSensor" class="act" data-test="sensor-exif" @click="giveSensor(exifSensor, false)">
        sensor from EXIF
      </button>
      <button
        v-for="c in cameras"
        :key="c[0] + c[1]"
        class="act"
        @click="(giveSensor(sensorFromCrop(c[2], whole), false), (cameraSearch = ''))"
      >
        {{ cameraName(c) }}
      </button>
    </div>
  </section>
</template>

<style scoped src="./lens.css"></style>
<style scoped>
.grid {
  display: grid;
  grid-template-columns: auto auto auto auto;
  gap: 2px 6px;
  align-items: center;
  justify-content: start;
}
.grid :deep(input) {
  width: 76px;
  padding: 1px 5px;
}
.grid > .quiet {
  white-space: nowrap;
  font-size: 12px;
}
</style>
