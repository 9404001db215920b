<script setup lang="ts">
import Button from "primevue/button";
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import { sunFromSighting } from "#core/light/sighting";
import type { ProbeResult } from "#core/render/probeShot";
import type { Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { linearToSrgb } from "#core/colour/srgb";
import type { Shot } from "#core/shot/schema";
import { MATERIAL_PRESETS, fromPreset } from "#core/set/materials";
import { pickFace } from "#core/set/pick";
import { materialAt } from "#core/set/surface";
import { formatLength } from "#core/units/length";
import { deletion } from "../desk/deletion.ts";
import DrawerRow from "../parts/DrawerRow.vue";
import NumberField from "../parts/NumberField.vue";
import ToolButton from "../parts/ToolButton.vue";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { useProof } from "../stores/proof.ts";
import { useShot } from "../stores/shot.ts";
import LampCards from "./LampCards.vue";

const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const proof = useProof();
const notices = useNotices();
const busy = ref(false);
const last = ref<ProbeResult | null>(null);

const DRAWERS = [
  { key: "sky", title: "Sun, sky" },
  { key: "lamps", title: "Lamps" },
] as const;
const light = computed(() => props.shot.light);
const sighted = computed(() => {
  const { sighting } = light.value;
  return sighting && props.camera ? sunFromSighting(props.camera, sighting) : null;
});
const swatch = (c: readonly number[], s: number) =>
  `rgb(${c.map((v) => Math.round(255 * Math.min(1, Math.max(0, linearToSrgb(v * s))))).join(" ")})`;
/** What the surface under the lit probe is made of: its albedo is what light is weighed against. */
const material = computed(() => {
  const { set, materials, ground } = props.shot;
  const picked = light.value.lit && props.camera ? pickFace(set, props.camera, light.value.lit.pixel) : null;
  return (
    (picked && materialAt(props.shot, picked.part, picked.face.id)) ?? materials[ground] ?? Object.values(materials)[0]
  );
});
const options = MATERIAL_PRESETS.map((p) => ({ label: `${p.name}, ${p.albedo}`, value: p.name }));

function choosePreset(name: string): void {
  const preset = MATERIAL_PRESETS.find((p) => p.name === name);
  if (!preset || !material.value) return;
  const { id } = material.value;
  void store.commit("Choose albedo", (d) => {
    const { albedo, name: named } = fromPreset(preset, id);
    Object.assign(d.materials[id], { albedo, name: named });
  });
}
const typeAlbedo = (k: number, v: number) =>
  store.commit("Type albedo", (d) => {
    const { albedo } = d.materials[material.value.id];
    albedo.colour[k] = v;
    albedo.source = "typed";
  });

async function balance(): Promise<void> {
  busy.value = true;
  try {
    const result = await proof.probe(props.shot);
    if (typeof result === "string") {
      notices.say("warn", result);
      return;
    }
    last.value = result;
    await store.commit("Balance sun and sky", (d) => {
      d.light.sunIrradiance = result.sunIrradiance;
      d.light.skyRadiance = result.skyRadiance;
    });
  } finally {
    busy.value = false;
    proof.render(props.shot);
  }
}
const three = (c: readonly number[]) => c.map((v) => v.toFixed(3)).join("  ");
const set = (name: string, change: (l: Shot["light"]) => void) => store.commit(name, (d) => change(d.light));
async function removeShade(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (gone) await store.commit(gone.name, gone.change);
}
const tintOf = (k: number, v: number) =>
  set("Change tint", (l) => (l.tint = l.tint.map((x, i) => (i === k ? v : x)) as Vec3));
</script>

<template>
  <DrawerRow v-model="desk.lightDrawer" :drawers="DRAWERS" label="Light drawers" />
  <LampCards v-if="desk.lightDrawer === 'lamps'" :shot="shot" :camera="camera" />
  <template v-else>
    <section class="card" style="flex: 1">
      <h3>
        Sun
        <ToggleSwitch
          class="end"
          :model-value="light.sun.on"
          aria-label="Sun"
          @update:model-value="(v: boolean) => set(v ? 'Sun on' : 'Sun off', (l) => (l.sun.on = v))"
        />
      </h3>
      <div class="row"><ToolButton tool="sighting" label="sight a shadow" shortcut="S" /></div>
      <div class="facts" style="margin-top: 5px">
        <span>Azimuth</span>
        <span class="row"
          ><NumberField
            :model-value="light.sun.azimuthDeg"
            label="Azimuth"
            unit="°"
            data-test="azimuth"
            @update:model-value="(v) => set('Type azimuth', (l) => (l.sun.azimuthDeg = v))"
          /><span class="quiet">clockwise from +Y</span></span
        >
        <span>Height</span>
        <span class="row"
          ><NumberField
            :model-value="light.sun.elevationDeg"
            label="Height"
            unit="°"
            :min="-5"
            :max="90"
            data-test="elevation"
            @update:model-value="(v) => set('Type height', (l) => (l.sun.elevationDeg = v))"
        /></span>
        <span>Radius</span>
        <span class="row"
          ><NumberField
            :model-value="light.sun.radiusDeg"
            label="Radius"
            unit="°"
            :digits="3"
            :min="0.01"
            :max="20"
            @update:model-value="(v) => set('Type radius', (l) => (l.sun.radiusDeg = v))"
        /></span>
      </div>
      <template v-if="sighted">
        <div v-if="typeof sighted === 'string'" class="finding warning">
          <div>{{ sighted }}</div>
        </div>
        <p v-else class="quiet num" style="margin: 3px 0 0">
          ± {{ toDegrees(sighted.sigma.azimuth).toFixed(2) }}° and ±
          {{ toDegrees(sighted.sigma.elevation).toFixed(2) }}°; {{ formatLength(sighted.height, shot.unit) }} high
        </p>
      </template>
    </section>
    <section class="card" style="flex: 1.45">
      <h3>Sun against sky</h3>
      <div class="row">
        <ToolButton tool="lit" label="probe in the sun" shortcut="N" />
        <ToolButton tool="shaded" label="in the shade" shortcut="M" />
        <Button
          :label="busy ? 'Tracing …' : 'Balance'"
          :disabled="busy || !light.lit || !light.shaded"
          data-test="balance"
          @click="balance"
        />
      </div>
      <div class="row" style="margin-top: 5px">
        <span class="quiet">The surface is</span>
        <Select
          :model-value="material.name"
          :options="options"
          option-label="label"
          option-value="value"
          :placeholder="material.name"
          style="max-width: 104px"
          aria-label="Surface"
          title="The material under the lit probe; more of it under Set, Surfaces"
          @update:model-value="choosePreset"
        />
        <NumberField
          v-for="(c, k) in material.albedo.colour"
          :key="k"
          :model-value="c"
          :label="`Albedo ${'RGB'[k]}`"
          narrow
          :digits="3"
          :min="0.01"
          :max="0.95"
          :data-test="`albedo-${k}`"
          @update:model-value="(v) => typeAlbedo(k, v)"
        />
      </div>
      <div class="facts" style="margin-top: 5px">
        <span>Sun</span
        ><span class="num"
          ><i
            class="swatch"
            :style="{ background: swatch(light.sunIrradiance, 1 / Math.max(...light.sunIrradiance, 1e-6)) }"
          />
          <span data-test="sun-level">{{ three(light.sunIrradiance) }}</span></span
        >
        <span>Sky</span
        ><span class="num"
          ><i
            class="swatch"
            :style="{ background: swatch(light.skyRadiance, 1 / Math.max(...light.skyRadiance, 1e-6)) }"
          />
          <span>{{ three(light.skyRadiance) }}</span></span
        >
      </div>
      <p
        v-if="last"
        class="quiet num"
        style="margin: 3px 0 0"
        title="Light on the lit probe over the shaded one; how much of the sky each sees; how far the level may be off for not knowing the albedo"
      >
        lit over shaded {{ last.ratio.toFixed(2) }}; sky {{ (last.lit.openSky * 100).toFixed(0) }},
        {{ (last.shaded.openSky * 100).toFixed(0) }} %; level ± {{ (last.levelSigma * 100).toFixed(0) }} %
      </p>
      <p v-else class="quiet num" style="margin: 3px 0 0">
        plate units; level ± {{ ((material.albedo.spread / material.albedo.colour[1]) * 100).toFixed(0) }} % from the
        albedo
      </p>
    </section>
    <section class="card" style="flex: 1.1">
      <h3>Trim</h3>
      <div class="facts">
        <span>Shadow density</span
        ><span
          ><NumberField
            :model-value="light.density"
            label="Shadow density"
            :min="0"
            :max="4"
            @update:model-value="(v) => set('Change density', (l) => (l.density = v))"
        /></span>
        <span>Shadow tint</span>
        <span class="row"
          ><NumberField
            v-for="(c, k) in light.tint"
            :key="k"
            :model-value="c"
            :label="`Tint ${'RGB'[k]}`"
            narrow
            :min="0.05"
            :max="4"
            @update:model-value="(v) => tintOf(k, v)"
        /></span>
        <span>Prop level</span
        ><span
          ><NumberField
            :model-value="light.propLevel"
            label="Prop level"
            :min="0.05"
            :max="10"
            @update:model-value="(v) => set('Change prop level', (l) => (l.propLevel = v))"
        /></span>
      </div>
    </section>
    <section class="card" style="flex: 0.7">
      <h3>Shade the plate already has</h3>
      <div class="row"><ToolButton tool="shadow" label="mark a shaded region" shortcut="H" /></div>
      <div class="list" style="margin-top: 5px">
        <div
          v-for="r in Object.values(light.shadows)"
          :key="r.id"
          :class="{ on: desk.selected === r.id }"
          @click="desk.selected = r.id"
        >
          <div class="shade">
            <span class="name"
              >{{ r.id }}
              <button class="plain" :aria-label="`Delete ${r.id}`" @click.stop="removeShade(r.id)">
                <i class="pi pi-times" /></button
            ></span>
            <span class="quiet">soft over</span>
            <NumberField
              :model-value="r.feather"
              label="Soft border"
              unit="px"
              :min="0"
              :max="400"
              @update:model-value="(v) => set('Soften shade', (l) => (l.shadows[r.id].feather = v))"
            />
            <span
              class="quiet"
              title="What casts the shade hides sky, too: all of it behind a house, less behind what lets light through, as a tree. Its shape is read from the shade."
              >hides sky</span
            >
            <NumberField
              :model-value="r.hidesSky * 100"
              label="Hides sky"
              unit="%"
              :min="0"
              :max="100"
              @update:model-value="(v) => set('Change hidden sky', (l) => (l.shadows[r.id].hidesSky = v / 100))"
            />
          </div>
        </div>
      </div>
      <p v-if="Object.keys(light.shadows).length === 0" class="quiet">
        Not needed where a blocker in the set casts it.
      </p>
    </section>
  </template>
</template>

<style scoped>
.shade {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 10px;
  align-items: center;
  width: 100%;
}
.shade .name {
  grid-column: 1 / -1;
  display: flex;
  justify-content: space-between;
}
.swatch {
  display: inline-block;
  width: 22px;
  height: 10px;
  margin-right: 8px;
  vertical-align: -1px;
}
</style>
