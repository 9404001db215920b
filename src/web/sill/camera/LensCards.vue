<script setup lang="ts">
import Button from "primevue/button";
import SelectButton from "primevue/selectbutton";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, onMounted, ref } from "vue";
import { plumbLine } from "#core/match/plumbLine";
import { noDistortion } from "#core/optics/distortion";
import type { LensFigure } from "#core/optics/lens";
import { focalFromFigure, lensFigures, sensorFromCrop } from "#core/optics/lens";
import type { DatabaseLens } from "#core/optics/lensDatabase";
import { cameraName, cropOf, databaseDistortion, lensName, search } from "#core/optics/lensDatabase";
import type { LensKit } from "#core/optics/lensKit";
import { kitEntry, kitLens, withEntry } from "#core/optics/lensKit";
import type { KeptLensKit } from "#core/shot/api";
import { AS_SOLVED, exifFocal, markSigma } from "#core/match/requestOfShot";
import { shotFrame } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";
import NumberField from "../../parts/NumberField.vue";
import { useLibrary } from "../../stores/library.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";
import { useSolver } from "../../stores/solver.ts";

const props = defineProps<{ shot: Shot }>();
const store = useShot();
const solver = useSolver();
const library = useLibrary();
const notices = useNotices();
const cameraSearch = ref("");
const lensSearch = ref(props.shot.plates.main.exif.lens ?? "");
const kitName = ref("");

onMounted(() => Promise.all([library.openDatabase(), library.openKits()]).catch(notices.fail));

const lens = computed(() => props.shot.lens);
const exif = computed(() => props.shot.plates.main.exif);
const frame = computed(() => shotFrame(props.shot));
/** The whole picture that the lens made; the plate may be a part of it. */
const whole = computed(() => lens.value.crop ?? frame.value);
const camera = computed(() => (props.shot.match.by === "hand" ? (props.shot.solved?.camera ?? null) : solver.camera));
/** The focal length that the figures show: the given one, or what the marks give. */
const shownFocal = computed(() =>
  lens.value.focal === "solve"
    ? (camera.value?.focalPx ?? null)
    : (lens.value.focalPx ?? camera.value?.focalPx ?? null),
);
const figures = computed(() =>
  shownFocal.value ? lensFigures(shownFocal.value, whole.value, lens.value.sensorMm) : null,
);
const MODES = [
  { label: "solve", value: "solve" },
  { label: "tolerant", value: "tolerant" },
  { label: "hold", value: "hold" },
] as const;
const ROWS: { figure: LensFigure; label: string; unit: string; digits: number }[] = [
  { figure: "mm", label: "Focal length", unit: "mm", digits: 2 },
  { figure: "eqDiagonal", label: "35 mm eq., diagonal", unit: "mm", digits: 2 },
  { figure: "eqWidth", label: "35 mm eq., width", unit: "mm", digits: 2 },
  { figure: "horizontal", label: "View across", unit: "°", digits: 2 },
  { figure: "vertical", label: "View high", unit: "°", digits: 2 },
  { figure: "diagonal", label: "View corner", unit: "°", digits: 2 },
];

/** Puts a focal length in, as tolerant if so far it was solved freely. */
const giveFocal = (
  name: string,
  focalPx: number,
  source: string,
  givenAs: Shot["lens"]["givenAs"],
  tolerance?: number,
) =>
  store.commit(name, (d) => {
    d.lens.focalPx = focalPx;
    d.lens.source = source;
    d.lens.givenAs = givenAs;
    d.lens.marksSettled = false;
    if (tolerance !== undefined) d.lens.tolerance = Math.min(1, Math.max(1e-4, tolerance));
    if (d.lens.focal === "solve") d.lens.focal = "tolerant";
  });
function give(figure: LensFigure, value: number, label: string): void {
  const focalPx = focalFromFigure(figure, value, whole.value, lens.value.sensorMm);
  if (focalPx === null) {
    notices.say(
      "warn",
      figure === "mm" ? "Millimetres need the sensor's size." : "That is not an angle of view.",
      figure === "mm" ? "Give the sensor below, or type an equivalent." : "Type between 0 and 180 degrees.",
    );
    return;
  }
  void giveFocal("Type focal length", focalPx, `typed: ${label.toLowerCase()} ${value}`, figure);
}
const mode = (focal: "solve" | "tolerant" | "hold") =>
  store.commit(
    focal === "hold" ? "Hold focal length" : focal === "solve" ? "Solve focal length" : "Tolerant focal length",
    (d) => {
      d.lens.focal = focal;
      if (focal !== "solve" && d.lens.focalPx === null) {
        d.lens.focalPx =
          camera.value?.focalPx ?? exifPx.value ?? Math.hypot(frame.value.width, frame.value.height) * 0.8;
        d.lens.source = camera.value ? AS_SOLVED : "EXIF";
      }
    },
  );

const exifPx = computed(() => exifFocal(props.shot));

const cameras = computed(() =>
  library.database && cameraSearch.value.length > 1
    ? search(library.database.cameras, cameraName, cameraSearch.value, 6)
    : [],
);
const knownCrop = computed(() =>
  library.database && exif.value.camera ? cropOf(library.database, exif.value.camera) : null,
);
const giveSensor = (mm: number | null, focalToo: boolean) =>
  store.commit("Give sensor size", (d) => {
    // What was given in millimetres stays so: the sensor drives the focal length in pixels.
    const { sensorMm, focalPx } = d.lens;
    if (focalToo && sensorMm && mm && focalPx && d.lens.givenAs === "mm") d.lens.focalPx = (focalPx * sensorMm) / mm;
    d.lens.sensorMm = mm;
  });
const exifSensor = computed(() => {
  const { focalMm, equivalentMm } = exif.value;
  return focalMm && equivalentMm ? sensorFromCrop(equivalentMm / focalMm, whole.value) : null;
});

const lenses = computed(() =>
  library.database && lensSearch.value.length > 2 ? search(library.database.lenses, lensName, lensSearch.value, 5) : [],
);
function takeDistortion(l: DatabaseLens): void {
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
  const found = databaseDistortion(l, focalMm, sensor, whole.value);
  if (!found) {
    notices.say(
      "warn",
      `${lensName(l)} was not calibrated at ${focalMm.toFixed(1)} mm.`,
      "Take another lens, or solve k1 from curved edges.",
    );
    return;
  }
  void store.commit(`Distortion of ${lensName(l)}`, (d) => {
    d.lens.distortion = found.distortion;
    d.lens.distortionSource = `${lensName(l)} at ${focalMm.toFixed(1)} mm (lens database; fit to ${found.misfitPx.toFixed(1)} px)`;
    d.lens.solveK1 = d.lens.solveK2 = false;
  });
}
function straighten(): void {
  const edges = Object.values(props.shot.edges)
    .filter((e) => !e.muted)
    .map((e) => ({ id: e.id, axis: `free:${e.id}`, points: e.points, sigmaPx: markSigma(props.shot) }));
  const found = plumbLine(
    {
      focalPx: shownFocal.value ?? exifPx.value ?? Math.hypot(frame.value.width, frame.value.height) * 0.8,
      principal: camera.value?.principal ?? lens.value.principal ?? [frame.value.width / 2, frame.value.height / 2],
      distortion: { ...noDistortion(), ...lens.value.distortion },
    },
    frame.value,
    edges,
    lens.value.solveK2,
  );
  if (typeof found === "string") {
    notices.say("warn", found);
    return;
  }
  void store.commit("Straighten curved edges", (d) => {
    d.lens.distortion = found.distortion;
    d.lens.distortionSource = `curved edges: ${found.rmsBefore.toFixed(2)} px bent, ${found.rmsPx.toFixed(2)} px now; k1 ± ${found.sigma[0].toFixed(4)}`;
    d.lens.solveK1 = d.lens.solveK2 = false;
  });
}
const coefficient = (key: "k1" | "k2" | "k3" | "p1" | "p2", value: number) =>
  store.commit("Type distortion", (d) => {
    d.lens.distortion[key] = value;
    d.lens.distortionSource = "typed";
    if (key === "k1") d.lens.solveK1 = false;
    if (key === "k2") d.lens.solveK2 = false;
  });
const shownDistortion = computed(() => camera.value?.distortion ?? { ...noDistortion(), ...lens.value.distortion });
const bend = (on: boolean) => store.commit(on ? "Solve distortion" : "No distortion", (d) => (d.lens.solveK1 = on));

const principal = computed(
  () => camera.value?.principal ?? lens.value.principal ?? [frame.value.width / 2, frame.value.height / 2],
);
const typePrincipal = (k: number, value: number) =>
  store.commit("Type principal point", (d) => {
    const p = [...principal.value] as [number, number];
    p[k] = value;
    d.lens.principal = p;
    d.lens.solvePrincipal = false;
  });
const crop = computed(() => lens.value.crop);
const toggleCrop = (on: boolean) =>
  store.commit(on ? "The plate is a crop" : "The plate is whole", (d) => {
    d.lens.crop = on ? { width: frame.value.width, height: frame.value.height, left: 0, top: 0 } : null;
    d.lens.principal = null;
  });
const typeCrop = (key: "width" | "height" | "left" | "top", value: number) =>
  store.commit("Type crop", (d) => {
    if (d.lens.crop) d.lens.crop[key] = value;
    d.lens.principal = null;
  });

const sigmaShare = computed(() =>
  solver.answer?.camera && solver.answer.sigmaWidened && props.shot.match.by === "marks"
    ? solver.answer.sigmaWidened.focalPx / solver.answer.camera.focalPx
    : 0.02,
);
async function saveKit(into: KeptLensKit | null): Promise<void> {
  if (!camera.value) {
    notices.say("warn", "There is no solved lens yet.", "Solve the camera first.");
    return;
  }
  const entry = kitEntry(camera.value, frame.value, exif.value.focalMm ?? figures.value?.mm ?? null, sigmaShare.value);
  const base: LensKit = into?.kit ?? {
    name: kitName.value.trim() || exif.value.lens || "Lens",
    sensorMm: lens.value.sensorMm,
    entries: [],
  };
  try {
    await library.keepKit(into?.id ?? null, withEntry(base, entry));
    kitName.value = "";
    notices.say("good", `“${base.name}” is kept for later plates.`);
  } catch (error) {
    notices.fail(error);
  }
}
function useKit({ kit }: KeptLensKit): void {
  const found = kitLens(kit, frame.value, exif.value.focalMm ?? figures.value?.mm ?? null);
  if (!found) {
    notices.say(
      "warn",
      "This kit is a zoom, and the plate does not say its focal length.",
      "Type the focal length in millimetres, then use the kit.",
    );
    return;
  }
  void store.commit(`Use lens kit ${kit.name}`, (d) => {
    d.lens.focal = "tolerant";
    d.lens.focalPx = found.focalPx;
    d.lens.tolerance = Math.max(0.002, found.sigmaPx / found.focalPx);
    d.lens.source = `lens kit “${kit.name}”`;
    d.lens.givenAs = null;
    d.lens.marksSettled = false;
    d.lens.sensorMm = kit.sensorMm ?? d.lens.sensorMm;
    d.lens.distortion = found.distortion;
    d.lens.distortionSource = `lens kit “${kit.name}”`;
    d.lens.solveK1 = d.lens.solveK2 = d.lens.solvePrincipal = false;
    d.lens.principal = found.principal;
  });
}
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
          @update:model-value="(v) => store.commit('Type tolerance', (d) => (d.lens.tolerance = v / 100))"
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
        v-if="shownFocal"
        :model-value="shownFocal"
        label="Focal length in pixels"
        unit="px"
        :digits="1"
        :min="1"
        @update:model-value="(v) => giveFocal('Type focal length', v, 'typed', 'px')"
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
          giveFocal(
            'Focal length from EXIF',
            exifPx!,
            `EXIF, ${exif.equivalentMm ? `${exif.equivalentMm} mm equivalent` : `${exif.focalMm} mm`}`,
            null,
            0.04,
          )
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
  <section class="card" style="flex: 1.15">
    <h3>
      Distortion
      <label class="row end"
        ><ToggleSwitch :model-value="lens.solveK1" data-test="solve-k1" @update:model-value="bend" /> solve k1</label
      >
      <label class="row"
        ><ToggleSwitch
          :model-value="lens.solveK2"
          @update:model-value="(v: boolean) => store.commit(v ? 'Solve k2' : 'Hold k2', (d) => (d.lens.solveK2 = v))"
        />
        k2</label
      >
    </h3>
    <div class="row">
      <label v-for="k in ['k1', 'k2', 'k3', 'p1', 'p2'] as const" :key="k" class="row quiet"
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
      <button
        class="act"
        @click="
          store.commit('No distortion', (d) => {
            d.lens.distortion = noDistortion();
            d.lens.distortionSource = '';
            d.lens.solveK1 = d.lens.solveK2 = false;
          })
        "
      >
        none
      </button>
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
  <section class="card" style="flex: 1">
    <h3>Principal point and kits</h3>
    <div class="row">
      <label class="row"
        ><ToggleSwitch
          :model-value="lens.solvePrincipal"
          data-test="solve-principal"
          @update:model-value="
            (v: boolean) =>
              store.commit(v ? 'Solve principal point' : 'Hold principal point', (d) => (d.lens.solvePrincipal = v))
          "
        />
        solve</label
      >
      <NumberField
        v-for="k in [0, 1]"
        :key="k"
        :model-value="principal[k]"
        :label="k === 0 ? 'Principal point across' : 'Principal point down'"
        :digits="1"
        @update:model-value="(v) => typePrincipal(k, v)"
      />
      <button
        v-if="lens.principal"
        class="act"
        @click="store.commit('Principal point in the middle', (d) => (d.lens.principal = null))"
      >
        middle
      </button>
    </div>
    <div class="row">
      <label class="row"
        ><ToggleSwitch :model-value="crop !== null" @update:model-value="toggleCrop" /> a crop of</label
      >
      <template v-if="crop">
        <NumberField
          v-for="key in ['width', 'height', 'left', 'top'] as const"
          :key="key"
          :model-value="crop[key]"
          :label="`Crop: ${key}`"
          :digits="0"
          narrow
          @update:model-value="(v) => typeCrop(key, v)"
        />
      </template>
    </div>
    <div class="row" style="margin-top: 5px">
      <input v-model="kitName" class="search" placeholder="name of the lens kit" aria-label="Name of the lens kit" />
      <Button label="Keep lens" size="small" data-test="keep-kit" @click="saveKit(null)" />
    </div>
    <div class="list">
      <div v-for="k in library.kits" :key="k.id" class="kit">
        <span class="cut" :title="k.kit.name">{{ k.kit.name }}</span>
        <span class="quiet num cut">{{ k.kit.entries.map((e) => e.focalMm ?? "–").join(", ") }} mm</span>
        <button class="act end" :aria-label="`Use ${k.kit.name}`" @click="useKit(k)">use</button>
        <button class="act" :title="'Add this plate’s focal length to the kit'" @click="saveKit(k)">add</button>
        <button
          class="plain"
          :aria-label="`Delete kit ${k.kit.name}`"
          @click="library.deleteKit(k.id).catch(notices.fail)"
        >
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
  </section>
</template>

<style scoped>
.kit {
  min-width: 0;
}
.kit .cut {
  flex: 0 1 auto;
  min-width: 20px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.kit button {
  flex: none;
}
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
.search {
  background: #292827;
  border: 1px solid var(--line);
  color: inherit;
  font: inherit;
  padding: 1px 6px;
  min-width: 120px;
  flex: 1;
}
.note {
  margin: 3px 0 0;
  font-size: 12px;
}
.row {
  gap: 4px;
}
h3 .row {
  font-weight: 400;
}
.card :deep(.p-togglebutton) {
  padding: 0 5px;
  font-size: 11px;
}
</style>
