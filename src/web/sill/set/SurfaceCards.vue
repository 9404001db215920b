<script setup lang="ts">
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import { computed } from "vue";
import { linearToSrgb } from "#core/colour/srgb";
import { MATERIAL_PRESETS, fromPreset, newMaterial } from "#core/set/materials";
import type { SetMaterial } from "#core/set/materials";
import type { Flags, Role } from "#core/set/roles";
import { FLAG_NAMES, ROLES, ROLE_WORDS, flagsOf, roleOf } from "#core/set/roles";
import { referencesTo, removeMaterial } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";
import BakeCard from "./BakeCard.vue";
import RolePicture from "./RolePicture.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();

const part = computed(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const materials = computed(() => Object.values(props.shot.materials));
/** What the selected face, part, or the ground beyond the set is made of. */
const material = computed<SetMaterial | undefined>(() => {
  const { materials: all, ground } = props.shot;
  return all[part.value ? (part.value.faceMaterials[desk.face ?? ""] ?? part.value.material) : ground];
});
const where = computed(() =>
  part.value ? (desk.face ? `${part.value.name}, ${desk.face}` : part.value.name) : "the ground beyond the set",
);
const role = computed(() => (part.value ? roleOf(part.value.flags) : null));
const swatch = ({ albedo }: SetMaterial) =>
  `rgb(${albedo.colour.map((c) => Math.round(255 * Math.min(1, linearToSrgb(c)))).join(" ")})`;
const FLAG_WORDS: Record<keyof Flags, [string, string]> = {
  seen: ["seen", "Stands before props in the picture, showing the plate"],
  catches: ["catches", "Takes shadow, bounce and reflection of the props"],
  shadow: ["shades", "Keeps sun and lamps from what is behind it"],
  reflection: ["mirrored", "Is seen in mirrors and gloss"],
  bounce: ["bounces", "Returns light in its own colours"],
  blocks: ["blocks outside", "Keeps sky and surroundings from what is behind it"],
};

function choose(id: string): void {
  void store.commit("Choose material", (d) => {
    if (!part.value) d.ground = id;
    else if (desk.face) d.set[part.value.id].faceMaterials[desk.face] = id;
    else d.set[part.value.id].material = id;
  });
}

/** A material of its own for what is selected, from a preset or as the one that it has. */
function add(preset: string): void {
  const id = freshId("material", props.shot.materials);
  const found = MATERIAL_PRESETS.find((p) => p.name === preset);
  const made = found
    ? fromPreset(found, id)
    : material.value
      ? { ...material.value, id, name: `${material.value.name}, copy` }
      : newMaterial(id, "Material", [0.3, 0.3, 0.3]);
  void store.commit("Add material", (d) => {
    d.materials[id] = made;
    if (!part.value) d.ground = id;
    else if (desk.face) d.set[part.value.id].faceMaterials[desk.face] = id;
    else d.set[part.value.id].material = id;
  });
}

const change = (name: string, put: (m: SetMaterial) => void) => {
  const { id } = material.value!;
  return store.commit(name, (d) => put(d.materials[id] as SetMaterial));
};
const setRole = (to: Role) => store.commit(`Make ${to}`, (d) => void (d.set[part.value!.id].flags = flagsOf(to)));
const setFlag = (flag: keyof Flags) =>
  store.commit(`Change ${FLAG_WORDS[flag][0]}`, (d) => {
    const { flags } = d.set[part.value!.id];
    flags[flag] = !flags[flag];
  });

function drop(): void {
  const { id } = material.value!;
  const instead = materials.value.find((m) => m.id !== id);
  if (instead) void store.commit("Delete material", (d) => removeMaterial(d as Shot, id, instead.id));
}
const used = computed(() => (material.value ? referencesTo(props.shot, material.value.id).length : 0));
</script>

<template>
  <section class="card" style="flex: 1.05">
    <h3>Role of {{ part?.name ?? "a part" }}</h3>
    <template v-if="part">
      <div class="roles">
        <button
          v-for="(_, r) in ROLES"
          :key="r"
          :class="{ on: role === r }"
          :title="ROLE_WORDS[r]"
          :data-test="`role-${r}`"
          @click="setRole(r)"
        >
          <RolePicture :role="r" />{{ r }}
        </button>
      </div>
      <div class="row flags">
        <label v-for="f in FLAG_NAMES" :key="f" :title="FLAG_WORDS[f][1]"
          ><input type="checkbox" :checked="part.flags[f]" :data-test="`flag-${f}`" @change="setFlag(f)" />
          {{ FLAG_WORDS[f][0] }}</label
        >
      </div>
      <p class="quiet words">{{ role ? ROLE_WORDS[role] : "Flags of your own choice." }}</p>
    </template>
    <p v-else class="quiet">Select a part to say what it is for.</p>
  </section>
  <section class="card" style="flex: 1.55">
    <h3>
      Material of {{ where }}
      <span class="end row">
        <Select
          :model-value="material?.id"
          :options="materials"
          option-label="name"
          option-value="id"
          size="small"
          aria-label="Material"
          data-test="material"
          @update:model-value="choose"
        />
        <Select
          :model-value="null"
          :options="[...MATERIAL_PRESETS.map((p) => p.name), 'as it is']"
          placeholder="new from"
          size="small"
          aria-label="New material from"
          data-test="material-new"
          @update:model-value="add"
        />
      </span>
    </h3>
    <template v-if="material">
      <div class="row">
        <i class="swatch" :style="{ background: swatch(material) }" />
        <InputText
          :model-value="material.name"
          aria-label="Material's name"
          style="width: 130px"
          @change="change('Rename material', (m) => (m.name = ($event.target as HTMLInputElement).value || m.name))"
        />
        <NumberField
          v-for="(c, k) in material.albedo.colour"
          :key="k"
          :model-value="c"
          :label="`Albedo ${'RGB'[k]}`"
          narrow
          :digits="3"
          :min="0.001"
          :max="0.98"
          :data-test="`material-albedo-${k}`"
          @update:model-value="
            (v) =>
              change('Type albedo', (m) => {
                m.albedo.colour[k] = v;
                m.albedo.source = 'typed';
              })
          "
        />
        <span class="quiet">±</span>
        <NumberField
          :model-value="material.albedo.spread"
          label="Spread"
          narrow
          :digits="3"
          :min="0"
          :max="1"
          @update:model-value="(v) => change('Type spread', (m) => (m.albedo.spread = v))"
        />
        <ToolButton tool="pick-material" label="from the plate" />
      </div>
      <p class="quiet words" :title="material.albedo.source">{{ material.albedo.source || "no source given" }}</p>
      <div class="row">
        <span class="quiet" title="What it reflects straight on, against glass of index 1.5: water 0.5, planed wood 0.7"
          >gloss</span
        >
        <NumberField
          :model-value="material.gloss"
          label="Gloss"
          narrow
          :min="0"
          :max="1"
          @update:model-value="(v) => change('Change gloss', (m) => (m.gloss = v))"
        />
        <span class="quiet">rough</span>
        <NumberField
          :model-value="material.roughness"
          label="Roughness"
          narrow
          :min="0"
          :max="1"
          @update:model-value="(v) => change('Change roughness', (m) => (m.roughness = v))"
        />
        <span class="quiet" title="So many times the brightness that the plate has there; for windows, signs, panels"
          >glow</span
        >
        <NumberField
          :model-value="material.glow"
          label="Glow"
          narrow
          :min="0"
          :max="1000"
          @update:model-value="(v) => change('Change glow', (m) => (m.glow = v))"
        />
        <label title="Has the albedo's colour also where the plate shows it"
          ><input
            type="checkbox"
            :checked="material.shows === 'colour'"
            @change="change('Show colour', (m) => (m.shows = m.shows === 'plate' ? 'colour' : 'plate'))"
          />
          own colour</label
        >
        <span class="quiet">used {{ used }} ×</span>
        <button v-if="materials.length > 1" class="plain" aria-label="Delete material" @click="drop">
          <i class="pi pi-trash" />
        </button>
      </div>
    </template>
  </section>
  <BakeCard v-if="store.id" :id="store.id" :shot="shot" />
</template>

<style scoped>
.roles {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 4px;
}
.roles button {
  background: #3d3b3a;
  border: 1px solid var(--line);
  color: var(--ink);
  font: inherit;
  font-size: 12px;
  cursor: pointer;
  padding: 2px;
  display: grid;
  justify-items: center;
}
.roles button.on {
  border-color: var(--accent);
  background: #53403a;
}
.flags {
  gap: 2px 10px;
  margin-top: 5px;
}
.flags label,
.row label {
  white-space: nowrap;
}
.words {
  margin: 3px 0;
}
.swatch {
  width: 22px;
  height: 22px;
  border: 1px solid #0006;
}
</style>
