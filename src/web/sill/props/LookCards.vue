<script setup lang="ts">
import Select from "primevue/select";
import { computed, ref, watch } from "vue";
import type { Camera } from "#core/optics/camera";
import { MODEL_LIMITS } from "#core/exchange/glbCheck";
import type { Look, LookPicture } from "#core/props/looks";
import { pictureHeader } from "#core/image/header";
import { LOOK_PICTURES, lookName, lookedMaterial, meshKey } from "#core/props/looks";
import type { Material } from "#core/props/model";
import { singleModelOf } from "#core/props/placed";
import type { LookPresetName } from "#core/props/presets";
import { LOOK_PRESETS, LOOK_PRESET_NAMES, lookOfPreset } from "#core/props/presets";
import type { Shot } from "#core/shot/schema";
import { fromHex, toHex } from "../../parts/hexColour.ts";
import NumberField from "../../parts/NumberField.vue";
import { api } from "../../api.ts";
import { useNotices } from "../../stores/notices.ts";
import SkinCard from "./SkinCard.vue";
import ShapeFields from "./ShapeFields.vue";
import { useProps } from "./useProps.ts";

/** How the chosen prop's materials look; what its file says stays in the file. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { store, chosen, change, models } = useProps(props);
const notices = useNotices();
/** More parts than this are not told one by one. */
const MOST_MESHES = 60;

/** The model as its file has it, without looks. */
const bare = computed(() => chosen.value && singleModelOf({ ...chosen.value, looks: {} }, models.models));
/** What can have a look: materials by their names, and meshes by themselves where there are several. */
const targets = computed(() => {
  const { materials = [], meshes = [] } = bare.value ?? {};
  const named = materials.map((material, i) => {
    const title = lookName(material, i);
    return { key: title, title, material };
  });
  if (meshes.length < 2 || meshes.length > MOST_MESHES) return named;
  return [
    ...named,
    ...meshes.map((mesh, i) => ({
      key: meshKey(i),
      title: `part ${i + 1}${mesh.name ? `: ${mesh.name}` : ""}`,
      material: materials[mesh.material],
    })),
  ];
});
const name = ref<string | null>(null);
watch(
  targets,
  (list) => {
    if (!list.some(({ key }) => key === name.value)) name.value = list[0]?.key ?? null;
  },
  { immediate: true },
);
const target = computed(() => targets.value.find(({ key }) => key === name.value) ?? null);
const own = computed<Material | null>(() => target.value?.material ?? null);
const look = computed<Look | null>(() => (name.value && chosen.value?.looks[name.value]) || null);
/** As it looks now. */
const shown = computed<Material | null>(
  () => own.value && (look.value ? lookedMaterial(own.value, look.value) : own.value),
);
const textured = computed(
  () =>
    Object.keys(look.value?.pictures ?? {}).length > 0 ||
    (own.value && [own.value.baseTexture, own.value.surfaceTexture, own.value.normalTexture].some((t) => t !== null)),
);

const PICTURES: Record<LookPicture, { label: string; title: string }> = {
  base: { label: "colour", title: "A picture of its colour" },
  surface: {
    label: "surface",
    title: "A picture of how it reflects: green is roughness, blue is metal (as glTF has it)",
  },
  normal: { label: "bumps", title: "A picture of its normals (as glTF has it: green is up)" },
};
const picker = ref<HTMLInputElement>();
const picking = ref<LookPicture>("base");
function choosePicture(kind: LookPicture): void {
  picking.value = kind;
  picker.value?.click();
}
async function takePicture(input: HTMLInputElement): Promise<void> {
  const [file] = input.files ?? [];
  if (!file) return;
  // Another prop may be chosen while it is on its way.
  const check = store.stays();
  const [kind, of, { id }] = [picking.value, name.value!, chosen.value!];
  try {
    const head = pictureHeader(new Uint8Array(await file.slice(0, 65_536).arrayBuffer()));
    if (!head || Math.max(head.width, head.height) > MODEL_LIMITS.textureSide)
      throw new Error(
        head
          ? `“${file.name}” has ${head.width} × ${head.height} pixels; at most ${MODEL_LIMITS.textureSide} along a side fit. Make it smaller.`
          : `“${file.name}” is no picture that a material can have. Save it as JPEG, PNG or WebP.`,
      );
    const { hash } = await api.addPicture(file);
    await models.fetched(hash);
    check();
    await store.commit(`Picture of ${PICTURES[kind].label}`, (d) => {
      const prop = d.props[id];
      if (!prop) return;
      const before = prop.looks[of] ?? { preset: null };
      prop.looks[of] = { ...before, pictures: { ...before.pictures, [kind]: hash } };
    });
  } catch (error) {
    notices.fail(error);
  } finally {
    input.value = "";
  }
}
function dropPicture(kind: LookPicture): void {
  const pictures = { ...look.value?.pictures };
  delete pictures[kind];
  void edit("Without that picture", { pictures });
}

const edit = (words: string, changes: Partial<Look>) =>
  change(words, (p) => {
    const before = p.looks[name.value!] ?? { preset: null };
    p.looks = { ...p.looks, [name.value!]: { ...before, ...changes } };
  });
const take = (preset: LookPresetName) =>
  change(`Make ${target.value?.title} of ${LOOK_PRESETS[preset].title}`, (p) => {
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
const WEAR = [
  { key: "dirt", label: "dirt", title: "Near the ground and in hollows" },
  { key: "rust", label: "rust", title: "In patches" },
  { key: "scratches", label: "scratches", title: "Fine and bare" },
] as const;
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
          v-if="targets.length > 1"
          v-model="name"
          :options="targets"
          option-label="title"
          option-value="key"
          size="small"
          aria-label="Material of the prop"
          data-test="look-material"
        />
        <span v-else>{{ target?.title }}</span>
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
      </div>
      <p v-if="presetOf" class="quiet words">Values: {{ LOOK_PRESETS[presetOf.value].source }}.</p>
    </section>
    <section v-if="own && shown && name" class="card" style="flex: 1">
      <h3>Pictures and wear</h3>
      <div class="row">
        <span v-for="kind in LOOK_PICTURES" :key="kind" class="row">
          <button
            class="act"
            :class="{ on: look?.pictures?.[kind] }"
            :title="PICTURES[kind].title"
            :data-test="`look-picture-${kind}`"
            @click="choosePicture(kind)"
          >
            <i class="pi pi-image" /> {{ PICTURES[kind].label }}
          </button>
          <button
            v-if="look?.pictures?.[kind]"
            class="plain"
            :aria-label="`Without the picture of ${PICTURES[kind].label}`"
            @click="dropPicture(kind)"
          >
            <i class="pi pi-times" />
          </button>
        </span>
        <input
          ref="picker"
          type="file"
          accept="image/png,image/jpeg,image/webp"
          hidden
          data-test="look-picture"
          @change="takePicture($event.target as HTMLInputElement)"
        />
      </div>
      <div class="row line">
        <label v-for="w in WEAR" :key="w.key" class="row" :title="w.title">
          <span class="quiet">{{ w.label }}</span>
          <NumberField
            :model-value="look?.[w.key] ?? 0"
            :label="`Look ${w.label}`"
            :min="0"
            :max="1"
            narrow
            @update:model-value="(v) => edit(`Change ${w.label}`, { [w.key]: v })"
          />
        </label>
      </div>
      <div v-if="textured" class="row line">
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
        <label v-for="k in [0, 1] as const" :key="`o${k}`" class="row">
          <span class="quiet">{{ k === 0 ? "moved" : "," }}</span>
          <NumberField
            :model-value="look?.offset?.[k] ?? 0"
            :label="`Textures moved ${k === 0 ? 'across' : 'down'}`"
            narrow
            @update:model-value="
              (v) =>
                edit('Move textures', {
                  offset: [0, 1].map((i) => (i === k ? v : (look?.offset?.[i] ?? 0))) as [number, number],
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
      </div>
    </section>
  </template>
  <section v-else class="card" style="flex: 2"><p class="quiet">Click a prop on the plate or in the list.</p></section>
</template>

<style scoped>
.line {
  margin-top: 6px;
}
.words {
  margin: 4px 0 0;
}
</style>
