<script setup lang="ts">
import Select from "primevue/select";
import { ref } from "vue";
import type { Comp } from "#core/comp/schema";
import { straight } from "#core/comp/curve";
import { fitted, packLut, readCube, writeCube } from "#core/comp/lut";
import { lookColour, lookOf } from "#core/comp/stages/look";
import { linearToSrgb, srgbToLinear } from "#core/colour/srgb";
import type { Shot } from "#core/shot/schema";
import { useComp } from "../../stores/comp.ts";
import { useNotices } from "../../stores/notices.ts";
import CurveField from "./CurveField.vue";
import StageCard from "./StageCard.vue";
import { GRADE_FIELDS } from "./stageField.ts";

/** The look of the whole picture, or of what is rendered: grade, curve, table of colours. */
const props = defineProps<{ shot: Shot }>();
const comp = useComp();
const notices = useNotices();
const OF = [
  { label: "picture", value: "both" },
  { label: "props only", value: "cg" },
  { label: "plate only", value: "plate" },
];
const CURVES = [
  { key: "all", label: "all" },
  { key: "red", label: "red" },
  { key: "green", label: "green" },
  { key: "blue", label: "blue" },
] as const;
const curve = ref<keyof Comp["look"]["curves"]>("all");

/** Most bytes of a table of colours that is read. */
const MOST_BYTES = 64 * 1024 * 1024;
async function bringLut(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (!file) return;
  try {
    if (file.size > MOST_BYTES) throw new Error(`“${file.name}” is larger than any table of colours.`);
    const lut = readCube(await file.text());
    const small = fitted(lut);
    if (small !== lut) notices.say("good", `Of ${lut.size} entries a side, ${small.size} are kept.`);
    await comp.keep("Bring in a table of colours", (c) => {
      c.look.lut = packLut(lut.title || file.name.replace(/\.cube$/i, ""), small);
      c.look.on = true;
    });
  } catch (error) {
    notices.fail(error);
  }
}
function saveLut(): void {
  const look = lookOf(props.shot.comp.look);
  const text = writeCube(`${props.shot.name}, look`, 33, (c) => {
    for (let k = 0; k < 3; k++) c[k] = srgbToLinear(c[k]);
    lookColour(look, c);
    for (let k = 0; k < 3; k++) c[k] = linearToSrgb(c[k]);
  });
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/plain" }));
  link.download = `${props.shot.name}-look.cube`;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}
</script>

<template>
  <StageCard :shot="shot" stage="look" :fields="GRADE_FIELDS" />
  <section class="card" style="flex: 1.6">
    <h3>
      Curve
      <button
        v-for="c in CURVES"
        :key="c.key"
        class="plain"
        :class="{ on: curve === c.key }"
        :aria-pressed="curve === c.key"
        @click="curve = c.key"
      >
        {{ c.label }}
      </button>
      <button class="plain end" @click="comp.keep('Straight curve', (c) => void (c.look.curves[curve] = straight()))">
        straight
      </button>
    </h3>
    <CurveField
      :points="(comp.draft ?? shot.comp).look.curves[curve]"
      :scopes="comp.scopes"
      @drag="(p) => comp.adjust((c) => void Object.assign(c.look, { on: true }, (c.look.curves[curve] = p) && {}))"
      @keep="
        (p) =>
          comp.keep('Bend curve', (c) => {
            c.look.curves[curve] = p;
            c.look.on = true;
          })
      "
    />
    <div class="row">
      <span class="quiet">On</span>
      <Select
        :model-value="shot.comp.look.of"
        :options="OF"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="What the look is for"
        @update:model-value="
          (of: Comp['look']['of']) => comp.keep('What the look is for', (c) => void (c.look.of = of))
        "
      />
      <label class="act file"
        >Table of colours …<input type="file" accept=".cube" data-test="bring-lut" @change="bringLut"
      /></label>
      <button class="plain" data-test="save-lut" @click="saveLut">
        <i class="pi pi-download" /> save look as .cube
      </button>
      <template v-if="shot.comp.look.lut">
        <span class="num">{{ shot.comp.look.lut.name }}</span>
        <button
          class="plain"
          aria-label="Take the table of colours out"
          @click="comp.keep('Take table of colours out', (c) => void (c.look.lut = null))"
        >
          <i class="pi pi-times" />
        </button>
      </template>
    </div>
  </section>
</template>

<style scoped>
.file input {
  display: none;
}
.plain.on {
  color: var(--accent);
}
</style>
