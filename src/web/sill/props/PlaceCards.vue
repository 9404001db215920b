<script setup lang="ts">
import InputText from "primevue/inputtext";
import Select from "primevue/select";
import Slider from "primevue/slider";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, nextTick, ref, watch } from "vue";
import type { Camera } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import { add, sub } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { triangleCount } from "#core/props/model";
import { placedDistance } from "#core/props/pin";
import { placementOf, singleModelOf } from "#core/props/placed";
import { baseOf } from "#core/props/reading";
import { grown } from "#core/props/span";
import { placePoint } from "#core/props/transform";
import type { Prop } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { UNITS } from "./bringModel.ts";
import { useContact } from "../../desk/contact.ts";
import { useTurning } from "../../desk/turning.ts";
import { useProps } from "./useProps.ts";

/** Where the chosen prop stands, how large it is, and what it rests on. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { desk, store, models, chosen, single, model, size, change, place } = useProps(props);
const { busy, rest, push } = useContact();
const { turnBy } = useTurning();

/** Sizes along one axis change the whole prop alike; held apart, that axis alone, as a stand-in's are to begin with. */
const apart = ref(false);
watch(
  () => chosen.value?.id,
  () => (apart.value = chosen.value?.source.kind === "standIn"),
  { immediate: true },
);
function resize(k: number, metres: number): void {
  const now = size.value;
  if (!now || now[k] <= 0 || metres <= 0) return;
  const s = metres / now[k];
  void place("Size prop", (p) => (p.scale = p.scale.map((v, i) => (apart.value && i !== k ? v : v * s)) as Vec3));
}

const sink = (metres: number) =>
  place("Sink prop", (p) => (p.position = [p.position[0], p.position[1], p.position[2] - metres]));

/** Distance of the two points that were picked on it, as it stands. */
const spannedMetres = computed(() => {
  const { spanned } = desk;
  if (!spanned || spanned.prop !== chosen.value?.id) return null;
  return placedDistance(placementOf(chosen.value), ...spanned.ends);
});
/** All of it is scaled until they are as far apart as was typed; it stays where it stands. */
function fitSpan(metres: number): void {
  if (!single.value || !chosen.value || !spannedMetres.value) return;
  const found = grown(single.value, placementOf(chosen.value), metres / spannedMetres.value);
  void place("Fit known size", (p) => {
    p.scale = found.scale;
    p.position = found.position;
  });
}
const spanField = ref<HTMLElement | null>(null);
// Once both points are picked, the next thing that is typed is how far apart they are.
watch(
  () => spannedMetres.value !== null,
  async (picked) => {
    if (!picked) return;
    await nextTick();
    const input = spanField.value?.querySelector("input");
    input?.focus();
    input?.select();
  },
);

const WAYS: { label: string; way: string; direction: Vec3 }[] = [
  { label: "+X", way: "along X", direction: [1, 0, 0] },
  { label: "−X", way: "against X", direction: [-1, 0, 0] },
  { label: "+Y", way: "along Y", direction: [0, 1, 0] },
  { label: "−Y", way: "against Y", direction: [0, -1, 0] },
  { label: "up", way: "above", direction: [0, 0, 1] },
];
const MEETS = [
  ["camera", "seen"],
  ["shadow", "casts shadow"],
  ["reflection", "in reflections"],
  ["bounce", "bounces light"],
] as const;
const KEEPS = [
  { label: "its metres", value: "metres" },
  { label: "its place in the picture", value: "picture" },
];
const ROLES = [
  { label: "CG in the picture", value: "cg" },
  { label: "catcher for other props", value: "catcher" },
  { label: "blocker: a real thing of the plate", value: "blocker" },
];
const UPS = [
  { label: "Z", value: "z" },
  { label: "Y", value: "y" },
  { label: "X", value: "x" },
];
const FEET = [
  { label: "its base's middle", value: "base" },
  { label: "its file's origin", value: "origin" },
];
/** Another foot; the prop stays where it is seen. */
function readFrom(foot: "base" | "origin"): void {
  const { source, placement } = chosen.value!;
  if (source.kind !== "model" || !single.value || foot === (source.reading.foot ?? "origin")) return;
  const other = { ...chosen.value!, source: { ...source, reading: { ...source.reading, foot } } };
  const read = singleModelOf(other, models.models);
  if (!read) return;
  // Both readings have the same base: where it stands is where it has to stay.
  const at = (model: Model): Vec3 => placePoint(placementOf(chosen.value!), baseOf(model));
  const by = sub(at(single.value), at(read));
  void change("Read from another foot", (p) => {
    if (p.source.kind === "model") p.source.reading.foot = foot;
    p.placement.position = add(placement.position, by);
  });
}
const standsOn = (prop: Prop): string => {
  const { stands } = prop;
  if (!stands) return "free";
  return stands.on === "prop"
    ? `on ${props.shot.props[stands.prop]?.name ?? "what is gone"}`
    : `on ${props.shot.set[stands.part]?.name ?? "what is gone"}, ${stands.face}`;
};
const turnTo = (deg: number) => {
  const { id, placement } = chosen.value!;
  return store.commit("Type turn", (d) => turnBy(d, id, deg - placement.turnDeg));
};
const setMotion = (motion: Prop["motion"]) => change("Change motion", (p) => (p.motion = motion));
const moveBy = (k: number, metres: number) =>
  setMotion({
    ...chosen.value!.motion!,
    offset: chosen.value!.motion!.offset.map((v, i) => (i === k ? metres : v)) as Vec3,
  });
</script>

<template>
  <template v-if="chosen">
    <section class="card" style="flex: 1.2">
      <h3>
        <InputText
          class="name"
          :model-value="chosen.name"
          aria-label="Name"
          @change="change('Rename prop', (p) => (p.name = ($event.target as HTMLInputElement).value || p.name))"
        />
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
          <label class="row quiet" title="Each side by itself: stretches the prop"
            ><input v-model="apart" type="checkbox" /> apart</label
          >
        </span>
        <span>Turn, lean</span>
        <span class="row">
          <NumberField
            :model-value="chosen.placement.turnDeg"
            label="Turn"
            unit="°"
            data-test="turn"
            @update:model-value="(v) => turnTo(v)"
          />
          <NumberField
            v-for="k in [0, 1] as const"
            :key="k"
            :model-value="chosen.placement.leanDeg[k]"
            :label="`Lean about ${'XY'[k]}`"
            unit="°"
            @update:model-value="(v) => place('Type lean', (p) => (p.leanDeg[k] = v))"
          />
        </span>
        <span>Goes by steps</span>
        <span class="row">
          <LengthField
            :model-value="desk.gridStep"
            :unit="shot.unit"
            label="Step of the grid that props are moved on"
            @update:model-value="(m) => (desk.gridStep = Math.max(0, m))"
          />
          <span class="quiet">sink by</span>
          <LengthField :model-value="0" :unit="shot.unit" label="Sink by" @update:model-value="sink" />
          <span class="quiet">as feet in grass</span>
        </span>
        <template v-if="chosen.source.kind === 'model'">
          <span>Read as</span>
          <span class="row">
            <Select
              :model-value="chosen.source.reading.unit"
              :options="[...UNITS]"
              option-label="name"
              option-value="unit"
              size="small"
              aria-label="Unit of the file"
              @update:model-value="
                (u) => change('Read in another unit', (p) => p.source.kind === 'model' && (p.source.reading.unit = u))
              "
            />
            <Select
              :model-value="chosen.source.reading.up"
              :options="UPS"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="Axis of the file that is up"
              @update:model-value="
                (u) => change('Turn its file up', (p) => p.source.kind === 'model' && (p.source.reading.up = u))
              "
            />
            <span class="quiet">up, foot</span>
            <Select
              :model-value="chosen.source.reading.foot ?? 'origin'"
              :options="FEET"
              option-label="label"
              option-value="value"
              size="small"
              aria-label="What of it stands at its foot's place"
              data-test="read-foot"
              @update:model-value="readFrom"
            />
          </span>
        </template>
      </div>
    </section>
    <section class="card" style="flex: 1.1">
      <h3>
        Standing <span class="quiet">{{ standsOn(chosen) }}</span>
        <button class="plain end" @click="desk.outside = !desk.outside">
          <i class="pi pi-compass" /> {{ desk.outside ? "through the camera" : "from outside" }} <kbd>C</kbd>
        </button>
      </h3>
      <div class="row tight">
        <button
          class="act"
          data-test="rest"
          title="Down until it touches, tipping until its weight lies within its feet"
          :disabled="busy"
          @click="rest(shot, chosen.id, true)"
        >
          <i class="pi pi-angle-double-down" /> rest
        </button>
        <button
          class="act"
          data-test="drop"
          title="Straight down until it touches, without turning"
          :disabled="busy"
          @click="rest(shot, chosen.id, false)"
        >
          <i class="pi pi-arrow-down" /> drop
        </button>
        <ToolButton tool="pin" label="pin" shortcut="I" />
        <ToolButton tool="span" label="size" shortcut="U" />
        <ToolButton tool="align" label="align" shortcut="L" />
        <ToolButton tool="pivot" label="turn about" shortcut="O" />
        <span class="quiet">push</span>
        <button
          v-for="w in WAYS"
          :key="w.label"
          class="act"
          :disabled="busy"
          :data-test="`push-${w.label}`"
          :title="`Until it touches, ${w.way}`"
          @click="push(shot, chosen.id, w.direction, w.way)"
        >
          {{ w.label }}
        </button>
      </div>
      <label v-if="spannedMetres !== null" ref="spanField" class="row line" data-test="span">
        <span class="quiet">the two points are apart</span>
        <LengthField
          :model-value="spannedMetres"
          :unit="shot.unit"
          label="Distance of the two points"
          positive
          @update:model-value="fitSpan"
        />
        <button class="plain" @click="desk.spanned = null"><i class="pi pi-times" /></button>
      </label>
      <div v-if="desk.pivot?.prop === chosen.id" class="row line" data-test="pivot">
        <span class="quiet">turns about {{ desk.pivot.at.map((m) => formatLength(m, shot.unit)).join(", ") }}</span>
        <button class="plain" aria-label="Turn about its foot again" @click="desk.pivot = null">
          <i class="pi pi-times" />
        </button>
      </div>
      <label class="row line strength">
        <span class="quiet">plate in front</span>
        <Slider
          :model-value="1 - desk.propStrength"
          :min="0"
          :max="1"
          :step="0.01"
          aria-label="Strength of the plate before the props"
          @update:model-value="(v) => (desk.propStrength = 1 - (v as number))"
        />
      </label>
      <label class="row line">
        <span class="quiet">it is</span>
        <Select
          :model-value="chosen.role"
          :options="ROLES"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="What it is in the picture"
          data-test="prop-role"
          @update:model-value="(r) => change('Change what it is', (p) => (p.role = r))"
        />
      </label>
      <label class="row line">
        <span class="quiet">with a new camera it keeps</span>
        <Select
          :model-value="chosen.keeps"
          :options="KEEPS"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="What it keeps when the camera is solved again"
          @update:model-value="(k) => change('Change what is kept', (p) => (p.keeps = k))"
        />
      </label>
      <div class="row line" role="group" aria-label="What meets the prop">
        <button
          v-for="[key, label] in MEETS"
          :key="key"
          class="chip"
          :class="{ off: !chosen.visibility[key] }"
          :aria-pressed="chosen.visibility[key]"
          :data-test="`meets-${key}`"
          @click="change('Change what meets it', (p) => (p.visibility[key] = !p.visibility[key]))"
        >
          {{ label }}
        </button>
      </div>
      <label class="row line">
        <ToggleSwitch
          :model-value="chosen.motion !== null"
          aria-label="Moves while the shutter is open"
          data-test="moves"
          @update:model-value="(on: boolean) => setMotion(on ? { offset: [0, 0, 0], turnDeg: 0 } : null)"
        />
        <span class="quiet">moves while the shutter is open</span>
      </label>
      <div v-if="chosen.motion" class="row line">
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
    </section>
  </template>
  <section v-else class="card" style="flex: 2"><p class="quiet">Click a prop on the plate or in the list.</p></section>
</template>

<style scoped>
.name {
  padding: 2px 6px;
  width: 150px;
}
.line {
  margin-top: 5px;
}
.strength :deep(.p-slider) {
  flex: 1;
  max-width: 180px;
  margin: 0 10px;
}
.tight {
  gap: 4px;
}
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
