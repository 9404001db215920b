<script setup lang="ts">
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import { computed, onBeforeUnmount } from "vue";
import { linearToSrgb } from "#core/colour/srgb";
import { MATERIAL_PRESETS, fromPreset, newMaterial } from "#core/set/materials";
import type { SetMaterial } from "#core/set/materials";
import { facesOf } from "#core/set/faces";
import type { Part } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import type { Flags, Role } from "#core/set/roles";
import { FLAG_NAMES, ROLES, ROLE_WORDS, flagsOf, roleOf } from "#core/set/roles";
import { faceKey, materialIdOf } from "#core/set/surface";
import { shotFrame } from "#core/plate/schema";
import { coverageOf } from "#core/set/coverage";
import { referencesTo, removeMaterial } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import type { Ball } from "../../stores/proof.ts";
import { useProof } from "../../stores/proof.ts";
import { useShot } from "../../stores/shot.ts";
import BakeCard from "./BakeCard.vue";
import RolePicture from "./RolePicture.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const proof = useProof();

const part = computed(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const materials = computed(() => Object.values(props.shot.materials));
/** What the selected face, part, or the ground beyond the set is made of. */
const material = computed<SetMaterial | undefined>(() => {
  const { materials: all, ground } = props.shot;
  if (!part.value) return all[ground];
  return all[key.value ? materialIdOf(props.shot.set, part.value, desk.face!) : part.value.material];
});
/** What of the part has a surface of its own: the selected face, or the mesh that it belongs to. */
const key = computed(() => (part.value && desk.face ? faceKey(part.value, desk.face) : null));
const groups = computed(() => (part.value && kindOf(part.value).groups?.(part.value)) ?? []);
const whatOf = (of: Part) =>
  key.value ? `${of.name}, ${groups.value.find((g) => g.value === key.value)?.label ?? key.value}` : of.name;
const where = computed(() => (part.value ? whatOf(part.value) : "the ground beyond the set"));
const flags = computed(() => part.value && ((key.value && part.value.faceFlags[key.value]) || part.value.flags));
const role = computed(() => (flags.value ? roleOf(flags.value) : null));
/** How much of the selected surface the plate shows; the rest has the material's own colour. */
const coverage = computed(() => {
  const camera = props.shot.solved?.camera;
  if (!part.value || !camera) return null;
  return coverageOf(props.shot.set, { part: part.value.id, key: key.value }, camera, shotFrame(props.shot));
});
const percent = (share: number) => `${Math.round(100 * share)} %`;
/** Whether the selected face has a role of its own. */
const ownRole = computed(() => Boolean(part.value && key.value && part.value.faceFlags[key.value]));
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

const BALLS: Record<Ball, string> = { off: "none", filled: "as filled", hidden: "hidden marked" };
onBeforeUnmount(() => proof.ball !== "off" && proof.showBall("off", props.shot));

function choose(id: string): void {
  void store.commit("Choose material", (d) => {
    if (!part.value) d.ground = id;
    else if (key.value) d.set[part.value.id].faceMaterials[key.value] = id;
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
    else if (key.value) d.set[part.value.id].faceMaterials[key.value] = id;
    else d.set[part.value.id].material = id;
  });
}

const change = (name: string, put: (m: SetMaterial) => void) => {
  const { id } = material.value!;
  return store.commit(name, (d) => put(d.materials[id] as SetMaterial));
};
/** Gives the selected face a role of its own, or the part with all faces that have none. */
function putFlags(name: string, to: Flags): void {
  void store.commit(name, (d) => {
    const of = d.set[part.value!.id];
    if (key.value) of.faceFlags[key.value] = to;
    else of.flags = to;
  });
}
const setRole = (to: Role) => putFlags(`Make ${to}`, flagsOf(to));
const setFlag = (flag: keyof Flags) =>
  putFlags(`Change ${FLAG_WORDS[flag][0]}`, { ...flags.value!, [flag]: !flags.value![flag] });
const asPart = () =>
  store.commit("Role of the part", (d) => {
    delete d.set[part.value!.id].faceFlags[key.value!];
  });
const faceOfGroup = (group: string) =>
  facesOf(props.shot.set, part.value!.id).find((face) => faceKey(part.value!, face.id) === group)?.id ?? null;

function drop(): void {
  const { id } = material.value!;
  const instead = materials.value.find((m) => m.id !== id);
  if (instead) void store.commit("Delete material", (d) => removeMaterial(d as Shot, id, instead.id));
}
const used = computed(() => (material.value ? referencesTo(props.shot, material.value.id).length : 0));
</script>

<template>
  <section class="card" style="flex: 1.05">
    <h3>
      Role of {{ part ? whatOf(part) : "a part" }}
      <span class="end row">
        <button v-if="ownRole" class="plain" @click="asPart">as the part</button>
        <Select
          v-if="groups.length > 0"
          :model-value="key"
          :options="groups"
          option-label="label"
          option-value="value"
          placeholder="all meshes"
          show-clear
          filter
          size="small"
          aria-label="Mesh"
          data-test="mesh"
          @update:model-value="(g: string | null) => (desk.face = g === null ? null : faceOfGroup(g))"
      /></span>
    </h3>
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
          ><input type="checkbox" :checked="flags?.[f]" :data-test="`flag-${f}`" @change="setFlag(f)" />
          {{ FLAG_WORDS[f][0] }}</label
        >
      </div>
      <p class="quiet words">{{ role ? ROLE_WORDS[role] : "Flags of your own choice." }}</p>
    </template>
    <p v-else class="quiet">Select a part to say what it is for.</p>
    <div class="row ball">
      <span
        class="quiet"
        title="In a mirror ball in the proof: what the plate shows of the place, and what fills the rest"
        >mirror ball</span
      >
      <button
        v-for="(word, b) in BALLS"
        :key="b"
        class="act"
        :class="{ on: proof.ball === b }"
        :disabled="!shot.solved"
        :data-test="`ball-${b}`"
        @click="proof.showBall(b, shot)"
      >
        {{ word }}
      </button>
    </div>
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
      <p class="quiet words" :title="material.albedo.source">
        {{ material.albedo.source || "no source given"
        }}<span v-if="coverage && material.shows === 'plate'" data-test="coverage">
          · the plate shows {{ percent(coverage.seen) }}; its own colour fills {{ percent(coverage.hidden) }} hidden and
          {{ percent(coverage.outside) }} outside the frame</span
        >
      </p>
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
.ball {
  margin-top: 4px;
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
