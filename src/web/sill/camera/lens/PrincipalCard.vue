<script setup lang="ts">
import Button from "primevue/button";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import { putCrop, putKit, putPrincipal } from "#core/match/lensEdits";
import type { LensKit } from "#core/optics/lensKit";
import { kitEntry, kitLens, withEntry } from "#core/optics/lensKit";
import type { KeptLensKit } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import NumberField from "../../../parts/NumberField.vue";
import { useLibrary } from "../../../stores/library.ts";
import { useNotices } from "../../../stores/notices.ts";
import { useSolver } from "../../../stores/solver.ts";
import { useLens } from "./useLens.ts";

/** Principal point, crop, and lens kits that are kept for later plates. */
const props = defineProps<{ shot: Shot }>();
const library = useLibrary();
const notices = useNotices();
const solver = useSolver();
const { lens, exif, frame, camera, figures, principal, change } = useLens(props);
const kitName = ref("");

const typePrincipal = (k: number, value: number) =>
  change("Type principal point", (l) => putPrincipal(l, principal.value, k, value));
const crop = computed(() => lens.value.crop);
const toggleCrop = (on: boolean) =>
  change(on ? "The plate is a crop" : "The plate is whole", (l) => putCrop(l, on ? frame.value : null));
const typeCrop = (key: "width" | "height" | "left" | "top", value: number) =>
  change("Type crop", (l) => {
    if (l.crop) l.crop[key] = value;
    l.principal = null;
  });

/** Relative standard deviation of the focal length, for the kit. */
const sigmaShare = computed(() => {
  const { answer } = solver;
  const solved = props.shot.match.by === "marks" && answer?.camera && answer.sigmaWidened;
  return solved ? answer.sigmaWidened!.focalPx / answer.camera!.focalPx : 0.02;
});
const focalMm = computed(() => exif.value.focalMm ?? figures.value?.mm ?? null);
async function saveKit(into: KeptLensKit | null): Promise<void> {
  if (!camera.value) {
    notices.say("warn", "There is no solved lens yet.", "Solve the camera first.");
    return;
  }
  const entry = kitEntry(camera.value, frame.value, focalMm.value, sigmaShare.value);
  const name = kitName.value.trim() || exif.value.lens || "Lens";
  const base: LensKit = into?.kit ?? { name, sensorMm: lens.value.sensorMm, entries: [] };
  try {
    await library.keepKit(into?.id ?? null, withEntry(base, entry));
    kitName.value = "";
    notices.say("good", `“${base.name}” is kept for later plates.`);
  } catch (error) {
    notices.fail(error);
  }
}
function useKit({ kit }: KeptLensKit): void {
  const found = kitLens(kit, frame.value, focalMm.value);
  if (found) void change(`Use lens kit ${kit.name}`, (l) => putKit(l, kit, found));
  else
    notices.say(
      "warn",
      "This kit is a zoom, and the plate does not say its focal length.",
      "Type the focal length in millimetres, then use the kit.",
    );
}
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>Principal point and kits</h3>
    <div class="row">
      <label class="row"
        ><ToggleSwitch
          :model-value="lens.solvePrincipal"
          data-test="solve-principal"
          @update:model-value="
            (v: boolean) => change(v ? 'Solve principal point' : 'Hold principal point', (l) => (l.solvePrincipal = v))
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
        @click="change('Principal point in the middle', (l) => (l.principal = null))"
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

<style scoped src="./lens.css"></style>
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
</style>
