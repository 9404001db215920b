<script setup lang="ts">
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { leaderOf, shareShine, shineLike } from "#core/light/alike";
import { IesError, profileOf, readIes } from "#core/light/ies";
import { LAMPS, LAMP_NAMES } from "#core/light/lamps";
import { levelOfLumens, levelOfLux, lumensOf, luxAhead, whiteLuminance } from "#core/light/photometry";
import type { ShotLamp } from "#core/light/schema";
import { newLamp } from "#core/light/schema";
import { storable } from "#core/text/storable";
import { deletion } from "../../desk/deletion.ts";
import { freshId } from "../../desk/ids.ts";
import LengthField from "../../parts/LengthField.vue";
import { fromHex, toHex } from "../../parts/hexColour.ts";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import KelvinField from "./KelvinField.vue";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** Lamps of the place or of the scene: windows, work lights, lanterns. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const store = useShot();
const notices = useNotices();

const lamps = computed(() => Object.values(props.shot.light.lamps));
const chosen = computed(() => props.shot.light.lamps[desk.selected ?? ""] ?? null);

/** Two metres and a half above the ground that the middle of the picture shows. */
function landing(): Vec3 {
  const { camera, shot } = props;
  const at = camera && pixelOnPlane(camera, [shot.plates.main.width / 2, shot.plates.main.height * 0.7], groundPlane());
  return at ? [at[0], at[1], 2.5] : [0, 0, 2.5];
}

async function add(kind: ShotLamp["kind"], edit: (lamp: ShotLamp) => void = () => undefined): Promise<void> {
  const id = freshId("lamp", props.shot.light.lamps);
  await store.commit("Hang lamp", (d) => {
    const lamp = newLamp(id, kind, landing().map((v) => Number(v.toFixed(3))) as Vec3);
    edit(lamp);
    d.light.lamps[id] = lamp;
  });
  desk.selected = id;
}

const picker = ref<HTMLInputElement>();
/** Hangs a lamp by its photometric file, or gives the chosen one another file. */
async function takeFile(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement;
  const file = input.files?.[0];
  if (!file) return;
  try {
    const read = readIes(new Uint8Array(await file.arrayBuffer()));
    const profile = profileOf(read);
    profile.name = storable(profile.name || file.name);
    const across = Math.max(read.opening[0], read.opening[1]);
    const wear = (lamp: ShotLamp) => {
      lamp.profile = profile;
      if (across > 0) lamp.size = [across, across];
      if (white.value) lamp.level = Number(levelOfLumens(lamp, profile.lumens, white.value).toPrecision(5));
    };
    if (chosen.value?.kind === "photometric") await change("Change photometric file", wear);
    else
      await add("photometric", (lamp) => {
        lamp.name = profile.name.slice(0, 60);
        lamp.colour = [1, 1, 1];
        wear(lamp);
      });
  } catch (error) {
    if (error instanceof IesError) notices.say("bad", `“${file.name}”: ${error.message}`);
    else notices.fail(error);
  } finally {
    input.value = "";
  }
}
const hang = (kind: ShotLamp["kind"]) => (LAMPS[kind].profile ? picker.value?.click() : void add(kind));

/** What the level is told in. Lumens and lux need to know what the plate's white is in cd/m². */
const UNITS = [
  { value: "white", label: "times white" },
  { value: "lumens", label: "lumens" },
  { value: "lux", label: "lux at 1 m" },
] as const;
const unit = ref<(typeof UNITS)[number]["value"]>("white");
const white = computed(() => whiteLuminance(props.shot));
const level = computed(() => {
  const lamp = chosen.value;
  if (!lamp) return 0;
  if (unit.value === "white" || !white.value) return lamp.level;
  return unit.value === "lumens" ? lumensOf(lamp, white.value) : luxAhead(lamp, 1, white.value);
});
const setLevel = (value: number) =>
  change("Change level", (lamp) => {
    const told =
      unit.value === "white" || !white.value
        ? value
        : unit.value === "lumens"
          ? levelOfLumens(lamp, value, white.value)
          : levelOfLux(lamp, value, 1, white.value);
    lamp.level = Number(told.toPrecision(6));
  });
const setWhite = (cd: number) => store.commit("Type the plate's white", (d) => (d.light.whiteCd = cd > 0 ? cd : null));
const change = (name: string, edit: (lamp: ShotLamp) => void) =>
  store.commit(name, (d) => {
    const { id } = chosen.value!;
    edit(d.light.lamps[id]);
    shareShine(d.light.lamps, id);
  });
/** Lamps that the chosen one may shine like: not those that shine like it. */
const likes = computed(() => [
  { value: null, label: "itself" },
  ...lamps.value
    .filter(({ id }) => id !== chosen.value?.id && leaderOf(props.shot.light.lamps, id) !== chosen.value?.id)
    .map(({ id, name }) => ({ value: id, label: name })),
]);
async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (desk.selected === id) desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}
const kindOf = computed(() => LAMPS[chosen.value?.kind ?? "rectangle"]);
/** Kinds that a lamp can become; what needs a file is hung from it. */
const KINDS = LAMP_NAMES.map((value) => ({ value, label: LAMPS[value].label }));
const kinds = computed(() => KINDS.filter(({ value }) => value === chosen.value?.kind || !LAMPS[value].profile));
</script>

<template>
  <section class="card" style="flex: 0.9">
    <h3>Lamps</h3>
    <div class="row">
      <button v-for="kind in LAMP_NAMES" :key="kind" class="plain" :data-test="`add-${kind}`" @click="hang(kind)">
        <i class="pi" :class="LAMPS[kind].icon" /> {{ LAMPS[kind].label }}
      </button>
      <input ref="picker" type="file" hidden accept=".ies,.IES,text/plain" data-test="ies-file" @change="takeFile" />
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
        <ToolButton tool="lamp-hang" label="on a face" />
        <ToolButton v-if="chosen.kind === 'rectangle'" tool="lamp-window" label="in a window" />
        <ToolButton v-if="kindOf.faces" tool="lamp-aim" label="aim at" />
        <ToolButton tool="lamp-highlight" label="highlight here" />
        <ToolButton tool="lamp-shadow" label="shadow there" />
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
        <template v-if="kindOf.faces">
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
            <NumberField
              :model-value="chosen.spinDeg"
              label="Lamp turned about its axis"
              unit="°"
              @update:model-value="(v) => change('Turn lamp', (l) => (l.spinDeg = v))"
            />
            <span class="quiet">azimuth, up, about its axis</span>
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
            :options="kinds"
            option-label="label"
            option-value="value"
            aria-label="Kind of lamp"
            @update:model-value="(kind) => change('Change lamp', (l) => (l.kind = kind))"
          />
        </span>
        <span>{{ kindOf.sizes.length === 1 ? "Diameter" : "Size" }}</span>
        <span class="row">
          <LengthField
            :model-value="chosen.size[0]"
            :unit="shot.unit"
            :label="kindOf.sizes[0]"
            positive
            @update:model-value="(m) => change('Size lamp', (l) => (l.size[0] = m))"
          />
          <LengthField
            v-if="kindOf.sizes[1]"
            :model-value="chosen.size[1]"
            :unit="shot.unit"
            :label="kindOf.sizes[1]"
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
            :white="shot.light.whiteKelvin"
            :colour="chosen.colour"
            label="Temperature of the lamp"
            @colour="(c) => change('Warm lamp', (l) => (l.colour = c))"
          />
        </span>
        <span>Level</span>
        <span class="row">
          <NumberField
            :model-value="level"
            label="Level"
            :min="0"
            :max="1000000000"
            :digits="unit === 'white' ? 3 : 0"
            data-test="lamp-level"
            @update:model-value="setLevel"
          />
          <Select
            v-model="unit"
            :options="[...UNITS]"
            option-label="label"
            option-value="value"
            aria-label="Unit of the level"
            data-test="lamp-unit"
          />
        </span>
        <template v-if="likes.length > 1 || chosen.like">
          <span>Shines like</span>
          <span>
            <Select
              :model-value="chosen.like && shot.light.lamps[chosen.like] ? chosen.like : null"
              :options="likes"
              option-label="label"
              option-value="value"
              aria-label="Lamp that it shines like"
              data-test="lamp-like"
              title="One colour and level for both, also when the light is balanced: windows that look at one sky"
              @update:model-value="
                (other: string | null) =>
                  store.commit('Shine alike', (d) => shineLike(d.light.lamps, chosen!.id, other))
              "
            />
          </span>
        </template>
        <template v-if="unit !== 'white'">
          <span>White</span>
          <span class="row">
            <NumberField
              :model-value="white ?? 0"
              label="The plate's white"
              :min="0"
              :max="1000000000"
              :digits="0"
              data-test="plate-white"
              :title="
                shot.light.whiteCd === null && white
                  ? 'By the plate\'s exposure (ISO 12232); type another, 0 for this one'
                  : 'Luminance of what is white in the plate: a sunlit white wall has about 30 000, a well lit room 200'
              "
              @update:model-value="setWhite"
            />
            <span class="quiet">cd/m²{{ shot.light.whiteCd === null ? (white ? ", by its exposure" : "") : "" }}</span>
            <span v-if="!white" class="warn" data-test="no-white">type it: the plate has no exposure</span>
          </span>
        </template>
        <template v-if="chosen.profile && kindOf.profile">
          <span>File</span>
          <span class="row">
            <button class="plain" title="Another photometric file" @click="picker?.click()">
              <i class="pi pi-folder-open" /> {{ chosen.profile.name }}
            </button>
            <span class="quiet num">{{ chosen.profile.lumens.toFixed(0) }} lm</span>
          </span>
        </template>
        <template v-if="kindOf.cone">
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
