<script setup lang="ts">
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import type { ShotLamp } from "#core/light/schema";
import { LAMP_KINDS, newLamp } from "#core/light/schema";
import { deletion } from "../../desk/deletion.ts";
import { freshId } from "../../desk/ids.ts";
import LengthField from "../../parts/LengthField.vue";
import { fromHex, toHex } from "../../parts/hexColour.ts";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import KelvinField from "./KelvinField.vue";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";

/** Lamps of the place or of the scene: windows, work lights, lanterns. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();

const lamps = computed(() => Object.values(props.shot.light.lamps));
const chosen = computed(() => props.shot.light.lamps[desk.selected ?? ""] ?? null);

/** Two metres and a half above the ground that the middle of the picture shows. */
function landing(): Vec3 {
  const { camera, shot } = props;
  const at = camera && pixelOnPlane(camera, [shot.plates.main.width / 2, shot.plates.main.height * 0.7], groundPlane());
  return at ? [at[0], at[1], 2.5] : [0, 0, 2.5];
}

async function add(kind: ShotLamp["kind"]): Promise<void> {
  const id = freshId("lamp", props.shot.light.lamps);
  await store.commit("Hang lamp", (d) => {
    d.light.lamps[id] = newLamp(id, kind, landing().map((v) => Number(v.toFixed(3))) as Vec3);
  });
  desk.selected = id;
}
const change = (name: string, edit: (lamp: ShotLamp) => void) =>
  store.commit(name, (d) => edit(d.light.lamps[chosen.value!.id]));
async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (desk.selected === id) desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}
const round = (kind: ShotLamp["kind"]) => kind !== "rectangle";
</script>

<template>
  <section class="card" style="flex: 0.9">
    <h3>Lamps</h3>
    <div class="row">
      <button v-for="kind in LAMP_KINDS" :key="kind" class="plain" :data-test="`add-${kind}`" @click="add(kind)">
        <i class="pi pi-plus" /> {{ kind }}
      </button>
    </div>
    <div class="list" style="margin-top: 6px">
      <div
        v-for="lamp in lamps"
        :key="lamp.id"
        :class="{ on: desk.selected === lamp.id }"
        :data-test="`lamp-${lamp.id}`"
        @click="desk.selected = lamp.id"
      >
        {{ lamp.name }}
        <ToggleSwitch
          class="end"
          :model-value="lamp.on"
          :aria-label="`${lamp.name} on`"
          @click.stop
          @update:model-value="
            (on: boolean) => store.commit(on ? 'Lamp on' : 'Lamp off', (d) => (d.light.lamps[lamp.id].on = on))
          "
        />
        <button class="plain" :aria-label="`Delete ${lamp.name}`" @click.stop="remove(lamp.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="lamps.length === 0" class="quiet">
      A window is a rectangle lamp in its opening; a lantern is a sphere. A model that shines needs none.
    </p>
  </section>
  <template v-if="chosen">
    <section class="card" style="flex: 1.2">
      <h3>
        <TextField
          :model-value="chosen.name"
          label="Name"
          @update:model-value="(name) => change('Name lamp', (l) => (l.name = name))"
        />
      </h3>
      <div class="row">
        <ToolButton tool="lamp-place" label="above a point" />
        <ToolButton v-if="chosen.kind !== 'sphere'" tool="lamp-aim" label="aim at" />
      </div>
      <div class="facts" style="margin-top: 5px">
        <span>Place</span>
        <span class="row">
          <LengthField
            v-for="(axis, k) in ['X', 'Y', 'Z']"
            :key="axis"
            :model-value="chosen.position[k]"
            :unit="shot.unit"
            :label="`Lamp ${axis}`"
            @update:model-value="(m) => change('Type place', (l) => (l.position[k] = m))"
          />
        </span>
        <template v-if="chosen.kind !== 'sphere'">
          <span>Faces</span>
          <span class="row">
            <NumberField
              :model-value="chosen.azimuthDeg"
              label="Lamp azimuth"
              unit="°"
              @update:model-value="(v) => change('Turn lamp', (l) => (l.azimuthDeg = v))"
            />
            <NumberField
              :model-value="chosen.tiltDeg"
              label="Lamp tilt"
              unit="°"
              :min="-90"
              :max="90"
              @update:model-value="(v) => change('Tilt lamp', (l) => (l.tiltDeg = v))"
            />
            <span class="quiet">azimuth, up</span>
          </span>
        </template>
      </div>
    </section>
    <section class="card" style="flex: 1.1">
      <h3>What it sends out</h3>
      <div class="facts">
        <span>Kind</span>
        <span>
          <Select
            :model-value="chosen.kind"
            :options="[...LAMP_KINDS]"
            aria-label="Kind of lamp"
            @update:model-value="(kind) => change('Change lamp', (l) => (l.kind = kind))"
          />
        </span>
        <span>{{ round(chosen.kind) ? "Diameter" : "Size" }}</span>
        <span class="row">
          <LengthField
            :model-value="chosen.size[0]"
            :unit="shot.unit"
            :label="round(chosen.kind) ? 'Diameter' : 'Width'"
            positive
            @update:model-value="(m) => change('Size lamp', (l) => (l.size[0] = m))"
          />
          <LengthField
            v-if="!round(chosen.kind)"
            :model-value="chosen.size[1]"
            :unit="shot.unit"
            label="Height of the lamp"
            positive
            @update:model-value="(m) => change('Size lamp', (l) => (l.size[1] = m))"
          />
        </span>
        <span>Light</span>
        <span class="row">
          <input
            type="color"
            :value="toHex(chosen.colour)"
            aria-label="Colour of the lamp"
            @change="change('Colour lamp', (l) => (l.colour = fromHex(($event.target as HTMLInputElement).value)))"
          />
          <KelvinField
            :colour="chosen.colour"
            label="Temperature of the lamp"
            @colour="(c) => change('Warm lamp', (l) => (l.colour = c))"
          />
          <NumberField
            :model-value="chosen.level"
            label="Level"
            :min="0"
            :max="100000"
            data-test="lamp-level"
            @update:model-value="(v) => change('Change level', (l) => (l.level = v))"
          />
          <span class="quiet" title="Radiance times its colour; the plate's white is 1">times white</span>
        </span>
        <template v-if="chosen.kind === 'spot'">
          <span>Cone</span>
          <span class="row">
            <NumberField
              :model-value="chosen.cone.innerDeg"
              label="Full up to"
              unit="°"
              :min="0"
              :max="89"
              @update:model-value="(v) => change('Change cone', (l) => (l.cone.innerDeg = v))"
            />
            <NumberField
              :model-value="chosen.cone.outerDeg"
              label="Dark beyond"
              unit="°"
              :min="0.1"
              :max="89"
              @update:model-value="(v) => change('Change cone', (l) => (l.cone.outerDeg = v))"
            />
            <span class="quiet">full, dark</span>
          </span>
        </template>
      </div>
    </section>
  </template>
</template>
