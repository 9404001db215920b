<script setup lang="ts">
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import SelectButton from "primevue/selectbutton";
import { computed, watchEffect } from "vue";
import type { ExportId } from "#core/handover/choice";
import { EXPORTS, EXPORT_IDS, PRESETS, fileName } from "#core/handover/choice";
import type { Shot } from "#core/shot/schema";
import ChangedSince from "../parts/ChangedSince.vue";
import NumberField from "../parts/NumberField.vue";
import { useFinals } from "../stores/finals.ts";
import { useHanding } from "../stores/handing.ts";

/** From one page: what is handed over, of which final, how it is named and sized. */
const props = defineProps<{ shot: Shot }>();
const finals = useFinals();
const handing = useHanding();
const done = computed(() => finals.list.filter((f) => f.status === "done" && f.files.includes("premultiplied")));
watchEffect(() => {
  if (!done.value.some((f) => f.id === handing.final)) handing.final = done.value[0]?.id ?? null;
});
const FROM_SHOT: readonly ExportId[] = ["st", "camera", "glb", "usda", "obj", "takes", "match", "bundle"];
const can = (id: ExportId) => handing.final !== null || FROM_SHOT.includes(id);
const offered = computed(() =>
  done.value.map((f) => ({
    label: `${f.width} × ${f.height}, ${f.samples} samples, ${new Date(f.createdAt).toLocaleTimeString("en-GB", { timeStyle: "short" })}`,
    value: f.id,
  })),
);
const chosen = computed(() => done.value.find((f) => f.id === handing.final) ?? null);
const size = computed(() => chosen.value ?? props.shot.plates.main);

function toggle(id: ExportId): void {
  const { exports } = handing.choice;
  handing.choice.exports = exports.includes(id) ? exports.filter((e) => e !== id) : [...exports, id];
}
const isPreset = (key: string) =>
  PRESETS[key].exports.length === handing.choice.exports.length &&
  PRESETS[key].exports.every((id) => handing.choice.exports.includes(id));
const wanted = computed(() => handing.choice.exports.filter(can));
const example = computed(() =>
  fileName(
    handing.choice.pattern,
    {
      shot: props.shot.name,
      what: "picture",
      width: size.value.width,
      height: size.value.height,
      date: new Date().toISOString().slice(0, 10),
    },
    "png",
  ),
);
const patternWrong = computed(() => !handing.choice.pattern.includes("{what}"));
const running = computed(() => handing.work?.state === "running");
async function start(): Promise<void> {
  handing.choice.exports = wanted.value;
  await handing.start();
}
const together = computed(() => (handing.work?.files ?? []).reduce((sum, { bytes }) => sum + bytes, 0));
const megabytes = (bytes: number) => (bytes < 1e5 ? `${Math.ceil(bytes / 1000)} kB` : `${(bytes / 1e6).toFixed(1)} MB`);
function setRegion(key: "x" | "y" | "width" | "height", value: number): void {
  const whole = { x: 0, y: 0, width: size.value.width, height: size.value.height };
  const next = { ...(handing.choice.region ?? whole), [key]: Math.round(value) };
  const all = next.x === 0 && next.y === 0 && next.width >= whole.width && next.height >= whole.height;
  handing.choice.region = all ? null : next;
}
const region = computed(
  () => handing.choice.region ?? { x: 0, y: 0, width: size.value.width, height: size.value.height },
);

/** The document, for the command line's render. */
function saveDocument(): void {
  const url = URL.createObjectURL(new Blob([JSON.stringify(props.shot, null, 1)], { type: "application/json" }));
  const link = document.createElement("a");
  link.href = url;
  link.download = `${props.shot.name}.shot.json`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(url), 1000);
}
</script>

<template>
  <section class="card" style="flex: 2">
    <h3>
      What
      <button
        v-for="(p, key) in PRESETS"
        :key="key"
        class="act"
        :class="{ on: isPreset(String(key)) }"
        :data-test="`preset-${key}`"
        @click="handing.choice.exports = [...p.exports]"
      >
        {{ p.label }}
      </button>
    </h3>
    <div class="ways">
      <label v-for="id in EXPORT_IDS" :key="id" :class="{ off: !can(id) }" :title="EXPORTS[id].note">
        <input
          type="checkbox"
          :checked="handing.choice.exports.includes(id)"
          :disabled="!can(id)"
          :data-test="`export-${id}`"
          @change="toggle(id)"
        />
        {{ EXPORTS[id].label }}
      </label>
    </div>
  </section>
  <section class="card" style="flex: 1.4">
    <h3>Of what, and how</h3>
    <div class="facts">
      <span>Final</span>
      <span>
        <Select
          v-if="offered.length > 0"
          v-model="handing.final"
          :options="offered"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="Final to hand over"
        />
        <span v-else class="quiet">none yet: pictures and layers need one, the scene does not</span>
        <ChangedSince v-if="chosen" :shot="shot" :final="chosen" />
      </span>
      <span>Named</span>
      <span>
        <InputText
          v-model="handing.choice.pattern"
          size="small"
          :invalid="patternWrong"
          aria-label="Names of the files"
          title="{shot} {what} {width} {height} {date}"
          data-test="pattern"
        />
        <span class="quiet num">{{ patternWrong ? "must contain {what}" : example }}</span>
      </span>
      <span>Pictures</span>
      <span class="row">
        <NumberField
          v-model="handing.choice.percent"
          label="Size of pictures"
          unit="%"
          :digits="0"
          :min="10"
          :max="200"
          narrow
        />
        <SelectButton
          v-model="handing.choice.bits"
          :options="[8, 16]"
          :allow-empty="false"
          size="small"
          aria-label="Bits of PNG"
        />
        <span class="quiet">bits</span>
        <NumberField v-model="handing.choice.quality" label="Quality of JPEG" :digits="0" :min="40" :max="100" narrow />
        <span class="quiet">JPEG</span>
        <label class="row"><input v-model="handing.choice.float" type="checkbox" /> EXR of whole floats</label>
      </span>
      <span>Region</span>
      <span class="row">
        <NumberField
          v-for="key in ['x', 'y', 'width', 'height'] as const"
          :key="key"
          :model-value="region[key]"
          :label="`Region: ${key}`"
          :digits="0"
          :min="key === 'x' || key === 'y' ? 0 : 1"
          :max="65535"
          narrow
          @update:model-value="(v) => setRegion(key, v)"
        />
        <button v-if="handing.choice.region" class="plain" @click="handing.choice.region = null">all</button>
      </span>
    </div>
  </section>
  <section class="card" style="flex: 1.3">
    <h3>
      Files
      <button
        v-if="!running"
        class="act end"
        :disabled="wanted.length === 0 || patternWrong"
        data-test="hand-over"
        @click="start"
      >
        Hand over {{ wanted.length }}
      </button>
      <button v-else class="act end" data-test="cancel-handover" @click="handing.cancel()">Cancel</button>
    </h3>
    <div v-if="running && handing.work">
      <progress :value="handing.work.share" max="1" />
      <p class="quiet">
        {{ handing.work.what
        }}<span v-if="handing.work.secondsLeft !== null" class="num"
          >, {{ Math.ceil(handing.work.secondsLeft) }} s left</span
        >
      </p>
    </div>
    <div v-else-if="handing.work?.state === 'done'" class="list" data-test="handed-over">
      <div v-if="handing.work.files.length > 1">
        <a
          :href="`/api/works/${handing.work.id}/all.zip?as=${encodeURIComponent(shot.name)}`"
          download
          data-test="all-files"
          ><i class="pi pi-download" /> <strong>all {{ handing.work.files.length }} as one zip</strong></a
        >
        <span class="end quiet num">{{ megabytes(together) }}</span>
      </div>
      <div v-for="file in handing.work.files" :key="file.name">
        <a :href="`/api/works/${handing.work.id}/files/${encodeURIComponent(file.name)}`" :download="file.name"
          ><i class="pi pi-download" /> {{ file.name }}</a
        >
        <span class="end quiet num">{{ megabytes(file.bytes) }}</span>
      </div>
    </div>
    <p v-else class="quiet">
      Colours are linear Rec. 709 in EXR, the plate's own curve elsewhere. Every file says its software, day, and the
      plate's licence where its format can.
    </p>
    <p v-if="shot.plates.main.owner || shot.plates.main.licence" class="quiet">
      Plate: {{ shot.plates.main.owner || "owner not said" }}, {{ shot.plates.main.licence || "licence not said" }}
    </p>
    <button class="plain" @click="saveDocument"><i class="pi pi-download" /> shot document for “harbor render”</button>
  </section>
</template>

<style scoped>
.ways {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(200px, 1fr));
  gap: 3px 12px;
}
.ways label {
  display: flex;
  gap: 6px;
  align-items: center;
  cursor: pointer;
}
.off {
  color: var(--quiet);
}
h3 {
  flex-wrap: wrap;
}
h3 .act {
  white-space: nowrap;
}
.act.on {
  border-color: var(--accent);
}
progress {
  width: 100%;
  accent-color: var(--accent);
}
a {
  color: var(--ink);
}
a:hover {
  color: var(--accent);
}
</style>
