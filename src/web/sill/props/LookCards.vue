<script setup lang="ts">
import Select from "primevue/select";
import { computed, ref, watch } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Look } from "#core/props/looks";
import { lookName, lookedMaterial } from "#core/props/looks";
import type { Material } from "#core/props/model";
import { singleModelOf } from "#core/props/placed";
import type { LookPresetName } from "#core/props/presets";
import { LOOK_PRESETS, LOOK_PRESET_NAMES, lookOfPreset } from "#core/props/presets";
import type { Shot } from "#core/shot/schema";
import { fromHex, toHex } from "../../parts/hexColour.ts";
import NumberField from "../../parts/NumberField.vue";
import SkinCard from "./SkinCard.vue";
import ShapeFields from "./ShapeFields.vue";
import { useProps } from "./useProps.ts";

/** How the chosen prop's materials look; what its file says stays in the file. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { chosen, change, models } = useProps(props);

/** The model as its file has it, without looks. */
const bare = computed(() => chosen.value && singleModelOf({ ...chosen.value, looks: {} }, models.models));
const names = computed(() => bare.value?.materials.map((material, i) => lookName(material, i)) ?? []);
const name = ref<string | null>(null);
watch(
  names,
  (list) => {
    if (!name.value || !list.includes(name.value)) name.value = list[0] ?? null;
  },
  { immediate: true },
);
const own = computed<Material | null>(() => bare.value?.materials[names.value.indexOf(name.value ?? "")] ?? null);
const look = computed<Look | null>(() => (name.value && chosen.value?.looks[name.value]) || null);
/** As it looks now. */
const shown = computed<Material | null>(
  () => own.value && (look.value ? lookedMaterial(own.value, look.value) : own.value),
);
const textured = computed(
  () => own.value && [own.value.baseTexture, own.value.surfaceTexture, own.value.normalTexture].some((t) => t !== null),
);

const edit = (words: string, changes: Partial<Look>) =>
  change(words, (p) => {
    const before = p.looks[name.value!] ?? { preset: null };
    p.looks = { ...p.looks, [name.value!]: { ...before, ...changes } };
  });
const take = (preset: LookPresetName) =>
  change(`Make ${name.value} of ${LOOK_PRESETS[preset].title}`, (p) => {
    p.looks = { ...p.looks, [name.value!]: lookOfPreset(preset) };
  });
const reset = () =>
  change("Back to the file's look", (p) => {
    p.looks = Object.fromEntries(Object.entries(p.looks).filter(([of]) => of !== name.value));
  });

const PRESETS = LOOK_PRESET_NAMES.map((value) => ({ value, label: LOOK_PRESETS[value].title }));
const presetOf = computed(() => PRESETS.find(({ label }) => label === look.value?.preset) ?? null);

type NumberKey =
  | "metallic"
  | "roughness"
  | "coat"
  | "coatRoughness"
  | "transmission"
  | "index"
  | "sheenRoughness"
  | "anisotropy"
  | "normalScale";
const NUMBERS: { key: NumberKey; label: string; max: number; min?: number }[] = [
  { key: "roughness", label: "roughness", max: 1 },
  { key: "metallic", label: "metal", max: 1 },
  { key: "coat", label: "coat", max: 1 },
  { key: "coatRoughness", label: "its roughness", max: 1 },
  { key: "transmission", label: "lets through", max: 1 },
  { key: "index", label: "index", min: 1, max: 4 },
  { key: "anisotropy", label: "brushed", max: 1 },
];
const absorbed = computed(() => shown.value?.absorption ?? [0, 0, 0]);
</script>

<template>
  <template v-if="chosen">
    <section v-if="chosen.source.kind === 'shape'" class="card" style="flex: 1">
      <h3>Shape</h3>
      <ShapeFields :shot="shot" :prop="chosen" />
    </section>
    <SkinCard
      v-if="chosen.source.kind === 'model' && chosen.source.skin"
      :shot="shot"
      :prop="chosen"
      :skin="chosen.source.skin"
    />
    <section v-if="own && shown && name" class="card" style="flex: 1.6">
      <h3>
        Material
        <Select
          v-if="names.length > 1"
          v-model="name"
          :options="names"
          size="small"
          aria-label="Material of the prop"
          data-test="look-material"
        />
        <span v-else>{{ name }}</span>
        <Select
          :model-value="presetOf?.value ?? null"
          :options="PRESETS"
          option-label="label"
          option-value="value"
          placeholder="made of …"
          size="small"
          aria-label="Preset"
          data-test="look-preset"
          @update:model-value="take"
        />
        <button v-if="look" class="plain end" data-test="look-reset" @click="reset">as in the file</button>
      </h3>
      <div class="row">
        <label class="row">
          <span class="quiet">colour</span>
          <input
            type="color"
            :value="toHex([shown.baseColor[0], shown.baseColor[1], shown.baseColor[2]])"
            aria-label="Base colour"
            data-test="look-colour"
            @change="edit('Change colour', { baseColor: fromHex(($event.target as HTMLInputElement).value) })"
          />
        </label>
        <label v-if="own.baseTexture !== null" class="row quiet">
          <input
            type="checkbox"
            :checked="!look?.plain"
            @change="edit('Change picture of colour', { plain: !($event.target as HTMLInputElement).checked })"
          />
          with its picture
        </label>
        <label v-for="n in NUMBERS" :key="n.key" class="row">
          <span class="quiet">{{ n.label }}</span>
          <NumberField
            :model-value="shown[n.key] as number"
            :label="`Look ${n.label}`"
            :min="n.min ?? 0"
            :max="n.max"
            narrow
            @update:model-value="(v) => edit(`Change ${n.label}`, { [n.key]: v })"
          />
        </label>
        <label class="row">
          <span class="quiet">covers</span>
          <NumberField
            :model-value="shown.baseColor[3]"
            label="Look covers"
            :min="0"
            :max="1"
            narrow
            @update:model-value="(opacity) => edit('Change opacity', { opacity })"
          />
        </label>
        <label class="row">
          <span class="quiet">glows</span>
          <input
            type="color"
            :value="toHex(shown.emissive.map((c) => Math.min(1, c)) as [number, number, number])"
            aria-label="Emission"
            @change="edit('Change emission', { emissive: fromHex(($event.target as HTMLInputElement).value) })"
          />
        </label>
        <label class="row">
          <span class="quiet">sheen</span>
          <input
            type="color"
            :value="toHex(shown.sheenColor)"
            aria-label="Sheen"
            @change="edit('Change sheen', { sheenColor: fromHex(($event.target as HTMLInputElement).value) })"
          />
        </label>
        <template v-if="shown.transmission > 0">
          <label class="row quiet">
            <input
              type="checkbox"
              :checked="!shown.thin"
              aria-label="Solid glass"
              @change="edit('Change thickness', { thin: !($event.target as HTMLInputElement).checked })"
            />
            solid
          </label>
          <label v-for="k in [0, 1, 2] as const" :key="k" class="row">
            <span class="quiet">{{ ["absorbs red", "green", "blue"][k] }}</span>
            <NumberField
              :model-value="absorbed[k]"
              :label="`Absorbs ${['red', 'green', 'blue'][k]}, per metre`"
              :min="0"
              :max="1000"
              narrow
              @update:model-value="
                (v) =>
                  edit('Change absorption', {
                    absorption: absorbed.map((a, i) => (i === k ? v : a)) as [number, number, number],
                  })
              "
            />
          </label>
        </template>
        <template v-if="textured">
          <label v-for="k in [0, 1] as const" :key="`t${k}`" class="row">
            <span class="quiet">{{ k === 0 ? "repeated" : "×" }}</span>
            <NumberField
              :model-value="look?.tiling?.[k] ?? 1"
              :label="`Repeated ${k === 0 ? 'across' : 'down'}`"
              :min="0.001"
              :max="1000"
              narrow
              @update:model-value="
                (v) =>
                  edit('Change tiling', {
                    tiling: [0, 1].map((i) => (i === k ? v : (look?.tiling?.[i] ?? 1))) as [number, number],
                  })
              "
            />
          </label>
          <label class="row">
            <span class="quiet">turned</span>
            <NumberField
              :model-value="look?.turnDeg ?? 0"
              label="Textures turned"
              unit="°"
              narrow
              @update:model-value="(turnDeg) => edit('Turn textures', { turnDeg })"
            />
          </label>
        </template>
      </div>
      <p v-if="presetOf" class="quiet words">Values: {{ LOOK_PRESETS[presetOf.value].source }}.</p>
    </section>
  </template>
  <section v-else class="card" style="flex: 2"><p class="quiet">Click a prop on the plate or in the list.</p></section>
</template>

<style scoped>
.words {
  margin: 4px 0 0;
}
</style>
