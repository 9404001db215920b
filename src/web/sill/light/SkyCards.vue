<script setup lang="ts">
import { daylightOfExposure, whiteLuminance } from "#core/light/photometry";
import Select from "primevue/select";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import { sunDirection } from "#core/light/rig";
import type { SkySpread } from "#core/light/schema";
import { GENERAL_SKIES } from "#core/light/skies/general";
import { skyOfPlate } from "#core/light/skies/gradient";
import { levelDirection } from "#core/light/level";
import { SKIES, groundLevel, shapeOf } from "#core/light/skies/index";
import { clearDaylight } from "#core/light/skies/physical";
import type { Camera } from "#core/optics/camera";
import { roomOpenings } from "#core/set/portals";
import type { Shot } from "#core/shot/schema";
import { useNotices } from "../../stores/notices.ts";
import { usePlate } from "../../stores/plate.ts";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { SURROUNDINGS_FILES, useSurroundings } from "./bringSurroundings.ts";
import SkyDome from "./SkyDome.vue";
import SurroundingsCards from "./SurroundingsCards.vue";
import { useDesk } from "../../stores/desk.ts";
import KelvinField from "./KelvinField.vue";
import { swatch, three, useLight } from "./useLight.ts";

/** How the sky's light is spread and how much of it there is. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { light, set } = useLight(props);

const NAMES: Record<SkySpread["kind"], string> = {
  even: "even",
  overcast: "overcast, three times as bright overhead",
  general: "one of the general skies (ISO 15469)",
  physical: "clear, by turbidity",
  gradient: "from horizon to zenith",
  picture: "picture of all around",
};
const kinds = (Object.keys(SKIES) as SkySpread["kind"][]).map((value) => ({ value, label: NAMES[value] }));
const skies = GENERAL_SKIES.map(({ number, name }) => ({ value: number, label: `${number}  ${name}` }));
const spread = computed(() => light.value.sky.spread);
const follows = computed(() => spread.value.kind === "general" || spread.value.kind === "physical");

const PLAIN: { [K in Exclude<SkySpread["kind"], "picture">]: Extract<SkySpread, { kind: K }> } = {
  even: { kind: "even" },
  overcast: { kind: "overcast" },
  general: { kind: "general", number: 12 },
  physical: { kind: "physical", turbidity: 3 },
  gradient: { kind: "gradient", horizon: [1.3, 1.3, 1.3], zenith: [0.7, 0.8, 1], steepness: 4 },
};
/** Counts how often a picture was asked for: the choice shows what is there until one comes. */
const asked = ref(0);
function choose(kind: SkySpread["kind"]): void {
  if (kind === "picture") {
    picker.value?.click();
    asked.value++;
  } else void set("Choose sky", (l) => (l.sky.spread = PLAIN[kind]));
}
const picker = ref<HTMLInputElement>();
const { bring, fromPlate } = useSurroundings();
async function pick(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement;
  if (input.files?.[0]) await bring(input.files[0]);
  input.value = "";
}

const plate = usePlate();
const notices = useNotices();
/** The gradient, and the level, of the sky that the plate itself shows. */
function takePlateSky(): void {
  if (!plate.shown) return;
  const found = skyOfPlate(props.camera, props.shot.set, plate.shown, light.value.slope);
  if (typeof found === "string") {
    notices.say("warn", found);
    return;
  }
  const radiance = groundLevel(shapeOf(found, levelSun.value)!, levelSun.value, light.value.slope);
  void set("Take the plate's sky", (l) => {
    l.sky.on = true;
    l.sky.spread = found;
    l.sky.radiance = radiance.map((c) => Number(c.toPrecision(5))) as typeof l.sky.radiance;
  });
}

/** The sun against what is level: by that go air and clouds. */
const levelSun = computed(() => levelDirection(light.value.slope, sunDirection(props.shot)));

const desk = useDesk();
/** Openings of the set's rooms, through which the sky is drawn. */
const through = computed(() => roomOpenings(props.shot.set));

/** What the plate was balanced for, by the notes of the shoot. */
const notedWhite = computed(
  () =>
    Object.values(props.shot.notes.values).find(({ kind, value }) => kind === "white" && value !== null)?.value ?? null,
);
const white = computed(() => whiteLuminance(props.shot));

/** Sun and sky as clear air has them at that height of the sun, as bright as the plate's exposure says. */
function takeExposure(): void {
  if (white.value === null) return;
  const { spread } = light.value.sky;
  const level = daylightOfExposure(spread.kind === "physical" ? spread.turbidity : CLEAR, levelSun.value, {
    whiteCd: white.value,
    whiteKelvin: props.shot.light.whiteKelvin,
    overcast: !light.value.sun.on,
  });
  void set("Level by the exposure", (l) => {
    l.sky.on = true;
    l.sky.radiance = level.sky.map((c) => Number(c.toPrecision(5))) as typeof level.sky;
    if (l.sun.on) l.sun.irradiance = level.sun.map((c) => Number(c.toPrecision(5))) as typeof level.sun;
  });
}
/** Turbidity of clear air. */
const CLEAR = 3;

/** Sun and sky as that air has them; the brightness of what both light on level ground stays. */
function takeAir(): void {
  const { sky, sun } = light.value;
  if (sky.spread.kind !== "physical") return;
  const both = clearDaylight(sky.spread.turbidity, levelSun.value);
  const luminance = (c: readonly number[]) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
  const up = Math.max(0, Math.sin((sun.elevationDeg * Math.PI) / 180));
  const now = Math.PI * luminance(sky.radiance) + (sun.on ? up * luminance(sun.irradiance) : 0);
  const then = Math.PI * luminance(both.sky) + (sun.on ? up * luminance(both.sun) : 0);
  const level = now > 0 && then > 0 ? now / then : 1;
  void set("Sun and sky of that air", (l) => {
    l.sky.radiance = both.sky.map((c) => c * level) as typeof both.sky;
    if (l.sun.on) l.sun.irradiance = both.sun.map((c) => c * level) as typeof both.sun;
  });
}
</script>

<template>
  <input ref="picker" type="file" hidden :accept="SURROUNDINGS_FILES" data-test="surroundings-first" @change="pick" />
  <section class="card" :style="{ flex: spread.kind === 'picture' ? 1 : 1.5 }">
    <h3>
      Sky
      <ToggleSwitch
        class="end"
        :model-value="light.sky.on"
        aria-label="Sky"
        @update:model-value="(v: boolean) => set(v ? 'Sky on' : 'Sky off', (l) => (l.sky.on = v))"
      />
    </h3>
    <div class="facts">
      <span>Spread</span>
      <span
        ><Select
          :key="asked"
          :model-value="spread.kind"
          :options="kinds"
          option-label="label"
          option-value="value"
          aria-label="How the sky's light is spread"
          data-test="sky-kind"
          class="wide"
          @update:model-value="choose"
        /><button
          class="act"
          title="Surroundings made up from the plate: what it shows where it is, and mirrored and blurred beyond its frame"
          data-test="around-plate"
          @click="fromPlate"
        >
          around from the plate
        </button></span
      >
      <template v-if="spread.kind === 'general'">
        <span>Sky</span>
        <span
          ><Select
            :model-value="spread.number"
            :options="skies"
            option-label="label"
            option-value="value"
            aria-label="Number of the general sky"
            class="wide"
            @update:model-value="
              (number: number) => set('Choose sky', (l) => (l.sky.spread = { kind: 'general', number }))
            "
        /></span>
      </template>
      <template v-if="spread.kind === 'gradient'">
        <span>Horizon</span>
        <span class="row">
          <NumberField
            v-for="(c, k) in spread.horizon"
            :key="k"
            :model-value="c"
            :label="`Horizon ${'RGB'[k]}`"
            narrow
            :digits="3"
            :min="0"
            :max="1000"
            @update:model-value="
              (v) => set('Type horizon', (l) => l.sky.spread.kind === 'gradient' && (l.sky.spread.horizon[k] = v))
            "
          />
        </span>
        <span>Overhead</span>
        <span class="row">
          <NumberField
            v-for="(c, k) in spread.zenith"
            :key="k"
            :model-value="c"
            :label="`Overhead ${'RGB'[k]}`"
            narrow
            :digits="3"
            :min="0"
            :max="1000"
            @update:model-value="
              (v) => set('Type zenith', (l) => l.sky.spread.kind === 'gradient' && (l.sky.spread.zenith[k] = v))
            "
          />
        </span>
        <span>Steep</span>
        <span class="row">
          <NumberField
            :model-value="spread.steepness"
            label="How steeply it falls off"
            :digits="1"
            :min="0.2"
            :max="20"
            @update:model-value="
              (v) => set('Type steepness', (l) => l.sky.spread.kind === 'gradient' && (l.sky.spread.steepness = v))
            "
          />
          <button
            class="act"
            title="Colours and level of the sky that the plate shows, as far as no part of the set covers it"
            data-test="plate-sky"
            @click="takePlateSky"
          >
            from the plate's sky
          </button>
        </span>
      </template>
      <template v-if="spread.kind === 'physical'">
        <span>Turbidity</span>
        <span class="row"
          ><NumberField
            :model-value="spread.turbidity"
            label="Turbidity"
            :digits="1"
            :min="1.7"
            :max="10"
            title="2 is very clear, 3 clear, 6 hazy, 10 nearly fog"
            @update:model-value="
              (turbidity) => set('Type turbidity', (l) => (l.sky.spread = { kind: 'physical', turbidity }))
            "
          />
          <button
            class="act"
            title="Strength and colour of sun and sky as that air has them; their brightness together stays"
            data-test="sky-air"
            @click="takeAir"
          >
            sun and sky of that air
          </button></span
        >
      </template>
      <span>Ground falls</span>
      <span class="row">
        <NumberField
          :model-value="light.slope.deg"
          label="Slope of the ground"
          unit="°"
          :digits="1"
          :min="0"
          :max="60"
          title="Of the world's ground against what is level: sky and almanac stand level"
          data-test="slope"
          @update:model-value="(v) => set('Type slope', (l) => (l.slope.deg = v))"
        />
        <span class="quiet">towards</span>
        <NumberField
          :model-value="light.slope.towardsDeg"
          label="Azimuth in which the ground falls"
          unit="°"
          :digits="0"
          title="Clockwise from +Y"
          data-test="slope-towards"
          @update:model-value="(v) => set('Type fall', (l) => (l.slope.towardsDeg = v))"
        />
        <ToolButton tool="level-line" label="by the horizon" shortcut="U" />
      </span>
      <span>Radiance</span>
      <span class="row num">
        <NumberField
          v-for="(c, k) in light.sky.radiance"
          :key="k"
          :model-value="c"
          :label="`Sky ${'RGB'[k]}`"
          narrow
          :digits="3"
          :min="0"
          :max="1000"
          @update:model-value="(v) => set('Type sky', (l) => (l.sky.radiance[k] = v))"
        />
        <KelvinField
          :white="shot.light.whiteKelvin"
          :colour="light.sky.radiance"
          label="Temperature of the sky"
          @colour="(c) => set('Warm sky', (l) => (l.sky.radiance = c))"
        />
      </span>
      <span>Plate</span>
      <span class="row">
        <span class="quiet">neutral at</span>
        <NumberField
          :model-value="shot.light.whiteKelvin ?? 6504"
          label="Temperature that the plate shows as neutral"
          unit="K"
          :digits="0"
          :min="1500"
          :max="15000"
          title="The camera's white balance: lights of this temperature are neutral on the plate"
          data-test="white-kelvin"
          @update:model-value="(k) => set('White balance of the plate', (l) => (l.whiteKelvin = k))"
        />
        <button
          v-if="notedWhite !== null && notedWhite !== shot.light.whiteKelvin"
          class="act"
          data-test="white-noted"
          @click="set('White balance from the notes', (l) => (l.whiteKelvin = notedWhite))"
        >
          notes: {{ notedWhite }} K
        </button>
        <ToolButton tool="neutral" label="by a grey thing" shortcut="Y" />
        <span class="quiet">under</span>
        <NumberField
          :model-value="desk.greyUnder"
          label="Temperature of the light on the grey thing"
          unit="K"
          :digits="0"
          :min="1500"
          :max="15000"
          title="Of the light that falls there: about 5500 for sun with its sky, 6500 under cloud, 2700 for lamps"
          @update:model-value="(k) => (desk.greyUnder = k)"
        />
      </span>
      <span>Level</span>
      <span class="row">
        <button
          class="act"
          :disabled="white === null"
          :title="
            white === null
              ? 'The plate does not say how it was exposed: type its white in cd/m² under Lamps'
              : 'Daylight as bright as the exposure says, where nothing else gives the level'
          "
          data-test="level-exposure"
          @click="takeExposure"
        >
          level by the exposure
        </button>
      </span>
    </div>
    <p class="quiet">
      Radiance is that of the even sky which lights level ground alike, so that another spread leaves the ground as
      bright.<template v-if="through.length > 0">
        It comes into the room through {{ through.length === 1 ? "one opening" : `${through.length} openings` }} and is
        drawn through {{ through.length === 1 ? "it" : "them" }}.</template
      ><template v-if="follows"> This sky follows the sun's place, also while the sun is off.</template>
    </p>
  </section>
  <SurroundingsCards v-if="spread.kind === 'picture'" :shot="shot" :camera="camera" :spread="spread" />
  <section v-else class="card" style="flex: 0.6">
    <h3>From below <span class="end quiet">+Y up</span></h3>
    <SkyDome :shot="shot" />
    <span class="quiet num"
      ><i class="swatch" :style="{ background: swatch(light.sky.radiance) }" /> {{ three(light.sky.radiance) }}</span
    >
  </section>
</template>

<style scoped>
.wide {
  max-width: min(330px, 100%);
}
</style>
