<script setup lang="ts">
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import type { Coefficient } from "#core/match/lensEdits";
import { COEFFICIENTS, clearDistortion, putCoefficient, putDistortion, putStraightened } from "#core/match/lensEdits";
import { plumbLine } from "#core/match/plumbLine";
import { markSigma } from "#core/match/requestOfShot";
import { noDistortion } from "#core/optics/distortion";
import type { DatabaseLens } from "#core/optics/lensDatabase";
import { databaseDistortion, lensName, search } from "#core/optics/lensDatabase";
import type { Shot } from "#core/shot/schema";
import NumberField from "../../../parts/NumberField.vue";
import { useLibrary } from "../../../stores/library.ts";
import { useNotices } from "../../../stores/notices.ts";
import { useLens } from "./useLens.ts";

/** Distortion: solved, typed, from curved edges, or from the database. */
const props = defineProps<{ shot: Shot }>();
const library = useLibrary();
const notices = useNotices();
const { lens, exif, frame, whole, camera, focal, likely, figures, exifSensor, principal, change } = useLens(props);
const lensSearch = ref(props.shot.plates.main.exif.lens ?? "");

const lenses = computed(() =>
  library.database && lensSearch.value.length > 2 ? search(library.database.lenses, lensName, lensSearch.value, 5) : [],
);
function takeDistortion(found: DatabaseLens): void {
  const sensor = lens.value.sensorMm ?? exifSensor.value;
  const focalMm = figures.value?.mm ?? exif.value.focalMm;
  if (!sensor || !focalMm) {
    notices.say(
      "warn",
      "The sensor's size and a focal length in millimetres are needed.",
      "Give them under Lens first.",
    );
    return;
  }
  const fit = databaseDistortion(found, focalMm, sensor, whole.value);
  const name = lensName(found);
  if (!fit) {
    notices.say(
      "warn",
      `${name} was not calibrated at ${focalMm.toFixed(1)} mm.`,
      "Take another lens, or solve k1 from curved edges.",
    );
    return;
  }
  const source = `${name} at ${focalMm.toFixed(1)} mm (lens database; fit to ${fit.misfitPx.toFixed(1)} px)`;
  void change(`Distortion of ${name}`, (l) => putDistortion(l, fit.distortion, source));
}

function straighten(): void {
  const edges = Object.values(props.shot.edges)
    .filter((e) => !e.muted)
    .map((e) => ({ id: e.id, axis: `free:${e.id}`, points: e.points, sigmaPx: markSigma(props.shot) }));
  const [u, v] = principal.value;
  const found = plumbLine(
    {
      focalPx: focal.value ?? likely.value,
      principal: [u, v],
      distortion: { ...noDistortion(), ...lens.value.distortion },
    },
    frame.value,
    edges,
    lens.value.solveK2,
  );
  if (typeof found === "string") notices.say("warn", found);
  else void change("Straighten curved edges", (l) => putStraightened(l, found));
}
const coefficient = (key: Coefficient, value: number) =>
  change("Type distortion", (l) => putCoefficient(l, key, value));
const shownDistortion = computed(() => camera.value?.distortion ?? { ...noDistortion(), ...lens.value.distortion });
const bend = (on: boolean) => change(on ? "Solve distortion" : "No distortion", (l) => (l.solveK1 = on));
</script>

<template>
  <section class="card" style="flex: 1.15">
    <h3>
      Distortion
      <label class="row end"
        ><ToggleSwitch :model-value="lens.solveK1" data-test="solve-k1" @update:model-value="bend" /> solve k1</label
      >
      <label class="row"
        ><ToggleSwitch
          :model-value="lens.solveK2"
          @update:model-value="(v: boolean) => change(v ? 'Solve k2' : 'Hold k2', (l) => (l.solveK2 = v))"
        />
        k2</label
      >
    </h3>
    <div class="row">
      <label v-for="k in COEFFICIENTS" :key="k" class="row quiet"
        >{{ k }}
        <NumberField
          :model-value="shownDistortion[k]"
          :label="k"
          :digits="4"
          narrow
          @update:model-value="(v) => coefficient(k, v)"
      /></label>
    </div>
    <p v-if="lens.distortionSource" class="quiet note">{{ lens.distortionSource }}</p>
    <div class="row acts" style="margin: 4px 0">
      <button class="act" data-test="plumb-line" @click="straighten">from curved edges</button>
      <button class="act" @click="change('No distortion', clearDistortion)">none</button>
    </div>
    <div class="row">
      <input v-model="lensSearch" class="search" placeholder="lens, from the database" aria-label="Search lenses" />
      <button
        v-for="l in lenses"
        :key="l.maker + l.model + l.crop"
        class="act"
        data-test="database-lens"
        @click="takeDistortion(l)"
      >
        {{ lensName(l) }}
      </button>
      <span v-if="lensSearch.length > 2 && lenses.length === 0" class="quiet">not in the database</span>
    </div>
  </section>
</template>

<style scoped src="./lens.css"></style>
