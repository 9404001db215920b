<script setup lang="ts">
import Button from "primevue/button";
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import { modelBounds, triangleCount } from "#core/props/model";
import { dropToFloor } from "#core/props/transform";
import { modelOf, placementOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { plainProp } from "#core/props/schema";
import { formatLength } from "#core/units/length";
import { api } from "../api.ts";
import { deletion } from "../desk/deletion.ts";
import { freshId } from "../desk/ids.ts";
import LengthField from "../parts/LengthField.vue";
import { fromHex, toHex } from "../parts/hexColour.ts";
import NumberField from "../parts/NumberField.vue";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const models = useModels();
const notices = useNotices();
const picker = ref<HTMLInputElement>();
const reading = ref(false);

const list = computed(() => Object.values(props.shot.props));
const chosen = computed<Prop | null>(() => (desk.selected ? (props.shot.props[desk.selected] ?? null) : null));
const model = computed(() => chosen.value && modelOf(chosen.value, models.models));
const size = computed<Vec3 | null>(() => {
  if (!model.value || !chosen.value) return null;
  const { low, high } = modelBounds(model.value);
  return [0, 1, 2].map((k) => (high[k] - low[k]) * chosen.value!.placement.scale[k]) as Vec3;
});

/** The ground below the middle of the picture, or the origin. */
function landing(): Vec3 {
  const { camera, shot } = props;
  if (!camera) return [0, 0, 0];
  for (const v of [0.62, 0.75, 0.9]) {
    const at = pixelOnPlane(camera, [shot.plates.main.width / 2, shot.plates.main.height * v], groundPlane());
    if (at && Math.hypot(at[0] - camera.position[0], at[1] - camera.position[1]) < 40) return at;
  }
  return [0, 0, 0];
}

async function add(name: string, source: Prop["source"]): Promise<void> {
  const id = freshId("prop", props.shot.props);
  await store.commit(`Add ${name}`, (d) => {
    d.props[id] = {
      id,
      name,
      source,
      placement: { position: landing(), turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
      keeps: "metres",
      ...plainProp(),
    };
  });
  desk.selected = id;
}

async function importModel(files: ArrayLike<File> | null | undefined): Promise<void> {
  const file = files?.[0];
  if (!file) return;
  reading.value = true;
  try {
    const asset = await api.addModel(file);
    for (const text of asset.notices) notices.say("warn", text);
    await add(file.name.replace(/\.[^.]*$/, ""), { kind: "model", asset: asset.hash, fileName: file.name });
    notices.say(
      "good",
      `${file.name}: ${asset.triangles.toLocaleString("en")} triangles, ${asset.size.map((v) => formatLength(v, props.shot.unit)).join(" × ")}.`,
    );
  } catch (error) {
    notices.fail(error);
  } finally {
    reading.value = false;
    if (picker.value) picker.value.value = "";
  }
}
defineExpose({ importModel });

const place = (name: string, change: (p: Prop["placement"]) => void) =>
  store.commit(name, (d) => change(d.props[chosen.value!.id].placement));

async function drop(): Promise<void> {
  if (!model.value || !chosen.value) return;
  const dropped = dropToFloor(placementOf(chosen.value), model.value);
  await place("Drop to the floor", (p) => (p.position = dropped.position));
}

/** Sizes along one axis change the whole prop alike. */
const resize = (k: number, metres: number) => {
  const now = size.value;
  if (!now || now[k] <= 0 || metres <= 0) return;
  const s = metres / now[k];
  void place("Size prop", (p) => (p.scale = p.scale.map((v) => v * s) as Vec3));
};
async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}
const surface = (change: (s: Extract<Prop["source"], { roughness: number }>) => void) =>
  store.commit("Change surface", (d) => {
    const { source } = d.props[chosen.value!.id];
    if (source.kind !== "model") change(source);
  });
const MEETS = [
  ["camera", "seen"],
  ["shadow", "casts shadow"],
  ["reflection", "in reflections"],
  ["bounce", "bounces light"],
] as const;
const meet = (key: keyof Prop["visibility"]) =>
  store.commit("Change what meets it", (d) => {
    const own = d.props[chosen.value!.id].visibility;
    own[key] = !own[key];
  });
const setMotion = (motion: Prop["motion"]) =>
  store.commit("Change motion", (d) => {
    d.props[chosen.value!.id].motion = motion;
  });
const moveBy = (k: number, metres: number) =>
  setMotion({
    ...chosen.value!.motion!,
    offset: chosen.value!.motion!.offset.map((v, i) => (i === k ? metres : v)) as Vec3,
  });
const KEEPS = [
  { label: "its metres", value: "metres" },
  { label: "its place in the picture", value: "picture" },
];
</script>

<template>
  <section class="card" style="flex: 0.9">
    <h3>Add</h3>
    <div class="row">
      <Button
        :label="reading ? 'Reading …' : 'Model (GLB)'"
        icon="pi pi-upload"
        :disabled="reading"
        @click="picker?.click()"
      />
      <input
        ref="picker"
        type="file"
        accept=".glb,model/gltf-binary"
        hidden
        data-test="model-file"
        @change="importModel(($event.target as HTMLInputElement).files)"
      />
      <Button
        v-for="kind in ['box', 'sphere', 'cylinder'] as const"
        :key="kind"
        :label="kind"
        severity="secondary"
        @click="add(kind, { kind, colour: [0.5, 0.5, 0.5], roughness: 0.5, metallic: 0 })"
      />
    </div>
    <div class="list" style="margin-top: 6px">
      <div v-for="p in list" :key="p.id" :class="{ on: desk.selected === p.id }" @click="desk.selected = p.id">
        {{ p.name }}
        <button
          class="plain end"
          :aria-label="p.hidden ? `Show ${p.name}` : `Hide ${p.name}`"
          @click.stop="store.commit(p.hidden ? 'Show prop' : 'Hide prop', (d) => (d.props[p.id].hidden = !p.hidden))"
        >
          <i class="pi" :class="p.hidden ? 'pi-eye-slash' : 'pi-eye'" />
        </button>
        <button class="plain" :aria-label="`Delete ${p.name}`" @click.stop="remove(p.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="list.length === 0" class="quiet">
      Drop a GLB on the plate, or add a shape. It lands on the ground before the camera.
    </p>
  </section>
  <template v-if="chosen">
    <section class="card" style="flex: 1.1">
      <h3>
        {{ chosen.name }}
        <span v-if="model" class="end quiet num">{{ triangleCount(model).toLocaleString("en") }} triangles</span>
      </h3>
      <div class="facts">
        <span>Foot at</span>
        <span class="row">
          <LengthField
            v-for="(axis, k) in ['x', 'y', 'z']"
            :key="axis"
            :model-value="chosen.placement.position[k]"
            :unit="shot.unit"
            :label="`Foot ${axis}`"
            :data-test="`foot-${axis}`"
            @update:model-value="(m) => place('Type place', (p) => (p.position[k] = m))"
          />
        </span>
        <span>Size</span>
        <span class="row">
          <LengthField
            v-for="(axis, k) in ['x', 'y', 'z']"
            :key="axis"
            :model-value="size?.[k] ?? 0"
            :unit="shot.unit"
            :label="`Size ${axis}`"
            positive
            @update:model-value="(m) => resize(k, m)"
          />
        </span>
        <span>Turn, lean</span>
        <span class="row">
          <NumberField
            :model-value="chosen.placement.turnDeg"
            label="Turn"
            unit="°"
            data-test="turn"
            @update:model-value="(v) => place('Type turn', (p) => (p.turnDeg = v))"
          />
          <NumberField
            :model-value="chosen.placement.leanDeg[0]"
            label="Lean about X"
            unit="°"
            @update:model-value="(v) => place('Type lean', (p) => (p.leanDeg[0] = v))"
          />
          <NumberField
            :model-value="chosen.placement.leanDeg[1]"
            label="Lean about Y"
            unit="°"
            @update:model-value="(v) => place('Type lean', (p) => (p.leanDeg[1] = v))"
          />
        </span>
      </div>
    </section>
    <section class="card" style="flex: 0.9">
      <h3>Standing</h3>
      <div class="row">
        <Button label="Drop to the floor" icon="pi pi-arrow-down" severity="secondary" @click="drop" />
        <button class="plain" @click="desk.outside = !desk.outside">
          <i class="pi pi-compass" /> {{ desk.outside ? "Back through the camera" : "Look from outside" }} <kbd>C</kbd>
        </button>
      </div>
      <label class="row" style="margin-top: 6px">
        <span class="quiet">When the camera is solved again it keeps</span>
        <Select
          :model-value="chosen.keeps"
          :options="KEEPS"
          option-label="label"
          option-value="value"
          @update:model-value="(k) => store.commit('Change what is kept', (d) => (d.props[chosen!.id].keeps = k))"
        />
      </label>
      <div class="row" style="margin-top: 6px" role="group" aria-label="What meets the prop">
        <button
          v-for="[key, label] in MEETS"
          :key="key"
          class="chip"
          :class="{ off: !chosen.visibility[key] }"
          :aria-pressed="chosen.visibility[key]"
          :data-test="`meets-${key}`"
          @click="meet(key)"
        >
          {{ label }}
        </button>
      </div>
      <label class="row" style="margin-top: 6px">
        <ToggleSwitch
          :model-value="chosen.motion !== null"
          aria-label="Moves while the shutter is open"
          data-test="moves"
          @update:model-value="(on: boolean) => setMotion(on ? { offset: [0, 0, 0], turnDeg: 0 } : null)"
        />
        <span class="quiet">moves while the shutter is open</span>
      </label>
      <div v-if="chosen.motion" class="row" style="margin-top: 4px">
        <LengthField
          v-for="(axis, k) in ['X', 'Y', 'Z']"
          :key="axis"
          :model-value="chosen.motion.offset[k]"
          :unit="shot.unit"
          :label="`Way along ${axis}`"
          @update:model-value="(m) => moveBy(k, m)"
        />
        <NumberField
          :model-value="chosen.motion.turnDeg"
          label="Turn on the way"
          unit="°"
          @update:model-value="(v) => setMotion({ ...chosen!.motion!, turnDeg: v })"
        />
      </div>
      <div v-if="chosen.source.kind !== 'model'" class="row" style="margin-top: 6px">
        <input
          type="color"
          :value="toHex(chosen.source.colour)"
          aria-label="Colour"
          @change="surface((s) => (s.colour = fromHex(($event.target as HTMLInputElement).value)))"
        />
        <span class="quiet">roughness</span>
        <NumberField
          :model-value="chosen.source.roughness"
          label="Roughness"
          :min="0"
          :max="1"
          @update:model-value="(v) => surface((s) => (s.roughness = v))"
        />
        <span class="quiet">metal</span>
        <NumberField
          :model-value="chosen.source.metallic"
          label="Metal"
          :min="0"
          :max="1"
          @update:model-value="(v) => surface((s) => (s.metallic = v))"
        />
      </div>
      <InputText
        :model-value="chosen.name"
        aria-label="Name"
        style="margin-top: 6px"
        @change="
          store.commit(
            'Rename prop',
            (d) => (d.props[chosen!.id].name = ($event.target as HTMLInputElement).value || chosen!.name),
          )
        "
      />
    </section>
  </template>
</template>

<style scoped>
.chip {
  background: #4a4746;
  border: 1px solid var(--line);
  color: var(--ink);
  font: inherit;
  font-size: 11.5px;
  padding: 1px 7px;
  cursor: pointer;
}
.chip.off {
  background: none;
  color: var(--quiet);
  text-decoration: line-through;
}
</style>
