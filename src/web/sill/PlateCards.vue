<script setup lang="ts">
import { useTemplateRef } from "vue";
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { isFloat } from "#core/image/profile";
import type { Shot } from "#core/shot/schema";
import { PLATE_ACCEPT } from "#core/plate/formats";
import TakeShelf from "../parts/TakeShelf.vue";
import { usePlateVersion } from "./plateVersion.ts";
import { useShot } from "../stores/shot.ts";

defineProps<{ shot: Shot }>();
const store = useShot();
const UNITS = [
  { label: "metres", value: "m" },
  { label: "centimetres", value: "cm" },
  { label: "millimetres", value: "mm" },
  { label: "feet and inches", value: "ft" },
] as const;

const { bring, reading } = usePlateVersion();
const picker = useTemplateRef<HTMLInputElement>("picker");
async function pick(): Promise<void> {
  const file = picker.value?.files?.[0];
  if (file) await bring(file);
  if (picker.value) picker.value.value = "";
}

const text = (key: "owner" | "licence", value: string) =>
  store.commit(key === "owner" ? "Change owner" : "Change licence", (d) => (d.plates.main[key] = value));
</script>

<template>
  <section class="card" style="flex: 1.1">
    <h3>Plate</h3>
    <div class="facts">
      <span>File</span><span>{{ shot.plates.main.fileName }}</span>
      <span>Frame</span>
      <span class="num"
        >{{ shot.plates.main.width }} × {{ shot.plates.main.height }} px, {{ shot.plates.main.encoding.bits }} bit{{
          isFloat(shot.plates.main.encoding) ? " float" : ""
        }}</span
      >
      <span>Colour</span>
      <span>{{
        isFloat(shot.plates.main.encoding)
          ? "linear light"
          : shot.plates.main.profile
            ? "own ICC profile, kept"
            : "sRGB"
      }}</span>
    </div>
    <button
      class="plain"
      style="margin-top: 6px"
      :disabled="reading !== null"
      title="The same photo larger, smaller, developed or graded anew: marks, camera, set, light and mattes come along. It can be dropped here, too."
      data-test="plate-version"
      @click="picker?.click()"
    >
      <i class="pi pi-images" /> {{ reading ? `Reading ${reading} …` : "Another version of it …" }}
    </button>
    <input ref="picker" type="file" :accept="PLATE_ACCEPT" hidden data-test="plate-version-file" @change="pick" />
    <label class="row" style="margin-top: 8px"
      ><ToggleSwitch
        :model-value="shot.plates.main.drawing"
        data-test="drawing"
        @update:model-value="
          (v: boolean) =>
            store.commit(v ? 'The plate is a drawing' : 'The plate is a photo', (d) => (d.plates.main.drawing = v))
        "
      />
      a drawing or design</label
    >
    <p v-if="shot.plates.main.drawing" class="quiet" style="margin: 2px 0 0">
      Its lines are taken as off by some pixels and its lens as unknown; parts that contradict are named.
    </p>
  </section>
  <section class="card" style="flex: 1.2">
    <h3>From the camera (EXIF)</h3>
    <div v-if="Object.values(shot.plates.main.exif).some((v) => v !== null)" class="facts">
      <span>Camera</span><span>{{ shot.plates.main.exif.camera ?? "not said" }}</span>
      <span>Lens</span>
      <span>
        {{ shot.plates.main.exif.lens ?? "not said" }}
        <span v-if="shot.plates.main.exif.focalMm" class="num">· {{ shot.plates.main.exif.focalMm }} mm</span>
      </span>
      <span>35 mm equivalent</span>
      <span class="num">{{
        shot.plates.main.exif.equivalentMm ? `${shot.plates.main.exif.equivalentMm} mm, by the diagonal` : "not said"
      }}</span>
      <span>Taken</span><span class="num">{{ shot.plates.main.exif.taken ?? "not said" }}</span>
      <template v-if="(shot.plates.main.exif.orientation ?? 1) !== 1">
        <span>Orientation</span><span>turned upright as EXIF says ({{ shot.plates.main.exif.orientation }})</span>
      </template>
    </div>
    <p v-else class="quiet">The file carries no EXIF. The lens follows from the marks.</p>
  </section>
  <section class="card" style="flex: 1">
    <h3>Shot</h3>
    <label class="line"
      >Name
      <InputText
        :model-value="shot.name"
        @change="store.commit('Rename shot', (d) => (d.name = ($event.target as HTMLInputElement).value || d.name))"
    /></label>
    <label class="line"
      >Owner
      <InputText
        :model-value="shot.plates.main.owner"
        data-test="owner"
        @change="text('owner', ($event.target as HTMLInputElement).value)"
    /></label>
    <label class="line"
      >Licence
      <InputText
        :model-value="shot.plates.main.licence"
        @change="text('licence', ($event.target as HTMLInputElement).value)"
    /></label>
    <label class="line">
      Lengths in
      <Select
        :model-value="shot.unit"
        :options="[...UNITS]"
        option-label="label"
        option-value="value"
        @update:model-value="(u) => store.commit('Change unit', (d) => (d.unit = u))"
      />
    </label>
  </section>
  <section class="card" style="flex: 1">
    <TakeShelf :shot="shot" />
  </section>
</template>

<style scoped>
.line {
  display: grid;
  grid-template-columns: 72px 1fr;
  align-items: center;
  margin-bottom: 3px;
  color: var(--quiet);
}
.line :deep(input) {
  padding: 2px 6px;
  min-width: 0;
}
</style>
