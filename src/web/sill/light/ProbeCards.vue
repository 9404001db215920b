<script setup lang="ts">
import Button from "primevue/button";
import Select from "primevue/select";
import { computed, ref, watch } from "vue";
import { isFloat } from "#core/image/profile";
import type { Probe } from "#core/light/schema";
import { probeLabel, probeNumber } from "#core/light/schema";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { ProbedLight } from "#core/render/probeLight";
import { alikeTo } from "#core/light/alike";
import { takeColours, tintSurfaces } from "#core/render/probeLight";
import { MATERIAL_PRESETS, fromPreset } from "#core/set/materials";
import { pickFace } from "#core/set/pick";
import { materialAt } from "#core/set/surface";
import type { Shot } from "#core/shot/schema";
import { deletion } from "../../desk/deletion.ts";
import FigureChart from "../../parts/FigureChart.vue";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import { useProof } from "../../stores/proof.ts";
import { swatch, useLight } from "./useLight.ts";

/** Patches of the plate, and the sources' colours that explain them. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const { light, set, store } = useLight(props);
const desk = useDesk();
const proof = useProof();
const notices = useNotices();
const busy = ref(false);
const last = ref<ProbedLight | null>(null);

const probes = computed(() => Object.values(light.value.probes));
const chosen = computed<Probe | null>(
  () => light.value.probes[desk.selected ?? ""] ?? probes.value[probes.value.length - 1] ?? null,
);
const patchOf = (id: string) => last.value?.patches.find((patch) => patch.id === id);
/** What the surface under a probe is made of: its albedo is what light is weighed against. */
const material = computed(() => {
  const { set: parts, materials, ground } = props.shot;
  const picked = chosen.value && props.camera ? pickFace(parts, props.camera, chosen.value.pixel) : null;
  return (
    (picked && materialAt(props.shot, picked.part, picked.face.id)) ?? materials[ground] ?? Object.values(materials)[0]
  );
});
const presets = MATERIAL_PRESETS.map((p) => ({ label: `${p.name}, ${p.albedo}`, value: p.name }));
const SUNS = [
  { label: "sun as the set lets it", value: "as set" },
  { label: "in full sun", value: "lit" },
  { label: "no sun", value: "shaded" },
];
/** Cards by their reflectance (common practice, no published source). */
const CARDS = [
  { label: "the set's material", value: "set", colour: null },
  { label: "grey card, 18 %", value: "grey", colour: [0.18, 0.18, 0.18] as Vec3 },
  { label: "white card, 90 %", value: "white", colour: [0.9, 0.9, 0.9] as Vec3 },
  { label: "grey of a chart", value: "typed", colour: [0.36, 0.36, 0.36] as Vec3 },
];
const cardOf = (probe: Probe) =>
  probe.card === null ? "set" : (CARDS.find(({ colour }) => colour?.[1] === probe.card?.[1])?.value ?? "typed");
const grey = (share: number): Vec3 => [share, share, share];

const change = (name: string, edit: (probe: Probe) => void) => set(name, (l) => edit(l.probes[chosen.value!.id]));
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
async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (gone) await store.commit(gone.name, gone.change);
}

async function balance(): Promise<void> {
  busy.value = true;
  const check = store.stays();
  try {
    const result = await proof.probe(props.shot);
    check();
    if (typeof result === "string") {
      notices.say("warn", result);
      return;
    }
    last.value = result;
    desk.nextProbe = result.next;
    await store.commit("Balance the light", (d) => takeColours(d.light, result.colours));
  } catch (error) {
    notices.fail(error);
  } finally {
    busy.value = false;
    // The proof gave way to the probing.
    if (store.shot) proof.render(store.shot);
  }
}
/** The light was given a colour that is the surfaces' own. */
async function colourSurfaces(): Promise<void> {
  const tint = last.value?.tint;
  if (!tint) return;
  await store.commit("Give the surfaces their colour", (d) => tintSurfaces(d, tint));
  await balance();
}
// What was found holds for these probes alone.
watch(
  () => light.value.probes,
  () => {
    last.value = null;
    desk.nextProbe = null;
  },
);
/** The plate's own curve: how the camera bent light. */
const response = computed(() => props.shot.plates.main.encoding.response ?? null);
const setResponse = (name: string, changes: { shoulder?: number; contrast?: number } | null) =>
  store.commit(name, (d) => {
    const { encoding } = d.plates.main;
    const next = changes && { shoulder: 1, contrast: 1, ...encoding.response, ...changes };
    encoding.response = next && (next.shoulder < 1 || next.contrast !== 1) ? next : null;
  });
const isFloatPlate = computed(() => isFloat(props.shot.plates.main.encoding));
/** Luminance of the plate and of the render at every probe. */
const chart = computed(() => {
  const lum = (c: readonly number[]) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
  const points = (last.value?.patches ?? []).map(({ id, plate, render }) => ({
    name: id,
    value: [Number(lum(plate).toFixed(4)), Number(lum(render).toFixed(4))],
  }));
  if (points.length < 2) return null;
  const most = Number((1.1 * Math.max(...points.flatMap(({ value }) => value))).toPrecision(2));
  return {
    animation: false,
    grid: { left: 34, right: 8, top: 6, bottom: 18 },
    tooltip: { trigger: "item" },
    xAxis: { type: "value", min: 0, max: most, axisLabel: { fontSize: 9 }, splitLine: { show: false } },
    yAxis: { type: "value", min: 0, max: most, axisLabel: { fontSize: 9 }, splitNumber: 2 },
    series: [
      {
        type: "line",
        symbol: "none",
        lineStyle: { color: "#777", width: 1 },
        data: [
          [0, 0],
          [most, most],
        ],
      },
      { type: "line", lineStyle: { width: 0 }, symbolSize: 6, itemStyle: { color: "#e8c069" }, data: points },
    ],
  };
});
const percent = (v: number) => `${v >= 0 ? "+" : "−"}${Math.abs(v * 100).toFixed(0)} %`;
function sourceName(id: string): string {
  const lamp = light.value.lamps[id];
  if (!lamp) return id;
  const others = alikeTo(light.value.lamps, id).length - 1;
  return others > 0 ? `${lamp.name} and ${others} like it` : lamp.name;
}
</script>

<template>
  <section class="card" style="flex: 1.25">
    <h3>
      Probes
      <Button
        class="end"
        :label="busy ? 'Tracing …' : 'Balance'"
        size="small"
        :disabled="busy || probes.length === 0"
        title="Colours of all sources that are on, from the probes"
        data-test="balance"
        @click="balance"
      />
    </h3>
    <div class="row">
      <ToolButton tool="probe" label="anywhere" shortcut="O" />
      <ToolButton tool="lit" label="in the sun" shortcut="N" />
      <ToolButton tool="shaded" label="in the shade" shortcut="M" />
    </div>
    <div class="list" style="margin-top: 4px">
      <div
        v-for="p in probes"
        :key="p.id"
        :class="{ on: chosen?.id === p.id, muted: p.muted }"
        :data-test="p.id"
        @click="desk.selected = p.id"
      >
        <span>{{ probeLabel(p) }}</span>
        <template v-if="patchOf(p.id)">
          <span class="pair" title="The plate, and what the sources give it">
            <i :style="{ background: swatch(patchOf(p.id)!.plate, 1) }" /><i
              :style="{ background: swatch(patchOf(p.id)!.render, 1) }"
            />
          </span>
          <span class="num quiet" :data-test="`${p.id}-off`">{{ percent(patchOf(p.id)!.off) }}</span>
        </template>
        <button
          class="plain end"
          :aria-label="`${p.muted ? 'Count' : 'Mute'} probe ${probeNumber(p.id)}`"
          @click.stop="set(p.muted ? 'Count probe' : 'Mute probe', (l) => (l.probes[p.id].muted = !p.muted))"
        >
          <i :class="p.muted ? 'pi pi-eye-slash' : 'pi pi-eye'" />
        </button>
        <button class="plain" :aria-label="`Delete probe ${probeNumber(p.id)}`" @click.stop="remove(p.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="probes.length === 0" class="quiet">
      One evenly lit patch is enough under an overcast sky; in the sun take one lit and one shaded; indoors some near
      and far from each window.
    </p>
  </section>
  <section class="card" style="flex: 1.1">
    <h3>What is probed</h3>
    <template v-if="chosen">
      <div class="facts">
        <span>Probe {{ probeNumber(chosen.id) }}</span>
        <span class="row">
          <Select
            :model-value="chosen.sun"
            :options="SUNS"
            option-label="label"
            option-value="value"
            aria-label="How much sun the probe gets"
            @update:model-value="(sun: Probe['sun']) => change('Sun on probe', (p) => (p.sun = sun))"
          />
        </span>
        <span>Lies there</span>
        <span class="row">
          <Select
            :model-value="cardOf(chosen)"
            :options="CARDS"
            option-label="label"
            option-value="value"
            aria-label="What lies under the probe"
            @update:model-value="
              (of: string) => change('Card', (p) => (p.card = CARDS.find(({ value }) => value === of)?.colour ?? null))
            "
          />
          <NumberField
            v-if="chosen.card"
            :model-value="chosen.card[1] * 100"
            label="What the card reflects"
            unit="%"
            :digits="1"
            :min="1"
            :max="100"
            title="Several greys of a chart, each probed, tell the plate's curve and its contrast"
            @update:model-value="(share) => change('Type card', (p) => (p.card = grey(share / 100)))"
          />
        </span>
        <span>Counts as</span>
        <span class="row">
          <NumberField
            :model-value="chosen.weight ?? 1"
            label="As how many the probe counts"
            narrow
            :min="0.1"
            :max="10"
            @update:model-value="(weight) => change('Weigh probe', (p) => (p.weight = weight))"
          />
          <span class="quiet">probes</span>
        </span>
        <template v-if="chosen.card === null && material">
          <span>Surface</span>
          <span class="row">
            <Select
              :model-value="material.name"
              :options="presets"
              option-label="label"
              option-value="value"
              :placeholder="material.name"
              style="max-width: 150px"
              aria-label="Surface"
              title="The material under the probe; more of it under Set, Surfaces"
              @update:model-value="choosePreset"
            />
          </span>
          <span>Albedo</span>
          <span class="row">
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
          </span>
        </template>
      </div>
    </template>
    <p v-else class="quiet">Light is weighed against what the surface under a probe reflects.</p>
  </section>
  <section class="card" style="flex: 1.15">
    <h3>What was found</h3>
    <template v-if="last">
      <div class="list">
        <div v-for="(colour, id) in last.colours" :key="id" :data-test="`found-${id}`">
          <i class="swatch" :style="{ background: swatch(colour) }" />
          <span>{{ sourceName(id) }}</span>
          <span class="num end">{{ Math.max(...colour).toFixed(3) }}</span>
          <span class="num quiet" title="Of this source beside the others"
            >± {{ (Math.min(9.99, last.sigma[id]) * 100).toFixed(0) }} %</span
          >
        </div>
      </div>
      <p class="quiet num" data-test="balanced">
        <template v-if="last.sunToSky !== null">sun to sky on level ground {{ last.sunToSky.toFixed(2) }}; </template
        >level ± {{ (last.levelSigma * 100).toFixed(0) }} % from the albedo
      </p>
      <FigureChart v-if="chart" title="Render against plate, luminance" :option="chart" class="chart" />
      <div v-if="last.tint" class="finding warning" data-test="tinted">
        <div>
          Daylight hardly has this colour on a balanced plate: what was probed may have one of its own.
          <button class="act" data-test="colour-surfaces" :disabled="busy" @click="colourSurfaces">
            it is the surface's
          </button>
        </div>
      </div>
      <div v-for="text in last.findings" :key="text" class="finding warning">
        <div>{{ text }}</div>
      </div>
    </template>
    <p v-else class="quiet">
      Balance gives every source that is on the colour that explains the probes, with its ±, and says where the probes
      do not tell two sources apart.
    </p>
  </section>
  <section v-if="!isFloatPlate" class="card" style="flex: 0.75">
    <h3>The plate's curve</h3>
    <div class="facts">
      <span>Shoulder</span>
      <span
        ><NumberField
          :model-value="response?.shoulder ?? 1"
          label="Where the shoulder begins"
          :digits="2"
          :min="0.2"
          :max="1"
          title="Share of white from which on the camera pressed bright light together; 1 for a straight plate"
          data-test="shoulder"
          @update:model-value="(shoulder) => setResponse('Type the plate\'s curve', { shoulder })"
      /></span>
      <span>Contrast</span>
      <span
        ><NumberField
          :model-value="response?.contrast ?? 1"
          label="Contrast of the plate"
          :digits="2"
          :min="0.5"
          :max="2"
          title="Power about middle grey that the camera gave; 1 for none"
          @update:model-value="(contrast) => setResponse('Type the plate\'s contrast', { contrast })"
      /></span>
    </div>
    <p v-if="last?.curve" class="quiet num" data-test="curve">
      Probes: {{ last.curve.sure ? `shoulder from ${last.curve.shoulder}` : "straight is as likely"
      }}{{ last.curve.sure && last.curve.sigma !== null ? ` ± ${last.curve.sigma.toFixed(2)}` : ""
      }}{{ last.curve.sure && last.curve.contrast !== 1 ? `, contrast ${last.curve.contrast}` : "" }}
    </p>
    <p v-else class="quiet">
      Three probes or more tell it: something bright and something dark, in the sun and in the shade, or greys of a
      chart.
    </p>
    <button
      v-if="
        last?.curve?.sure && (last.curve.shoulder !== response?.shoulder || last.curve.contrast !== response.contrast)
      "
      class="act"
      data-test="take-curve"
      @click="setResponse('Take the plate\'s curve', { shoulder: last.curve.shoulder, contrast: last.curve.contrast })"
    >
      take it
    </button>
    <p class="quiet">It is undone before light is reckoned, and laid on what is rendered.</p>
  </section>
</template>

<style scoped>
.chart {
  height: 96px;
}
.pair i {
  display: inline-block;
  width: 18px;
  height: 12px;
}
.muted {
  opacity: 0.55;
}
</style>
