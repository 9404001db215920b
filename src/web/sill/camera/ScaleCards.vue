<script setup lang="ts">
import Button from "primevue/button";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, onMounted, ref } from "vue";
import type { ScaleReading } from "#core/match/scales";
import { HEIGHT_ID } from "#core/match/scales";
import type { Vec3 } from "#core/math/vec3";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Yardstick } from "#core/match/yardsticks";
import type { Shot } from "#core/shot/schema";
import type { ShotLength } from "#core/match/schema";
import { formatLength } from "#core/units/length";
import { deletion } from "../../desk/deletion.ts";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import YardstickSheet from "../../parts/YardstickSheet.vue";
import { useDesk } from "../../stores/desk.ts";
import { useLibrary } from "../../stores/library.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";
import { useSolver } from "../../stores/solver.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();
const library = useLibrary();
const notices = useNotices();
const sheet = ref(false);
const search = ref("");

onMounted(() => library.openYardsticks().catch(notices.fail));

const lengths = computed(() => Object.values(props.shot.lengths));
const readings = computed(() => new Map((solver.details?.scales ?? []).map((s) => [s.id, s])));
const selected = computed(() => (desk.selected ? (props.shot.lengths[desk.selected] ?? null) : null));
function fromKnown(on: boolean): void {
  const l = selected.value;
  if (!l) return;
  const camera = solver.answer?.camera;
  const world = camera && pixelOnPlane(camera, l.from, groundPlane());
  void change(on ? "Length from a known point" : "Length from the ground", l.id, (d) => {
    d.fromWorld = on ? ((world?.map((v) => Number(v.toFixed(3))) as Vec3 | undefined) ?? [0, 0, 0]) : null;
  });
}
const surfaces = computed(() => Object.values(props.shot.set).filter((s) => s.kind !== "post"));
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return library.yardsticks.filter((y) => words.every((w) => y.name.toLowerCase().includes(w)));
});
const change = (name: string, id: string, make: (l: ShotLength) => void) =>
  store.commit(name, (d) => make(d.lengths[id] as ShotLength));

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}

/** How a length runs, as one choice: along an axis from the ground, on the ground, or on a surface of the set. */
const runOf = (l: ShotLength) => (l.on ? `on:${l.on}` : (l.along ?? ""));
const run = (l: ShotLength, value: string) =>
  change("Change how length runs", l.id, (d) => {
    d.on = value.startsWith("on:") ? value.slice(3) : null;
    d.along = ["x", "y", "z"].includes(value) ? (value as "x" | "y" | "z") : null;
  });

/** A yardstick goes to the selected length, or waits for the next one to be marked. */
async function use(y: Yardstick): Promise<void> {
  const on = desk.selected ? props.shot.lengths[desk.selected] : undefined;
  if (on) {
    await change(`Measure by ${y.name}`, on.id, (d) => {
      Object.assign(d, { name: y.name, metres: y.metres, sigmaMetres: y.spread });
    });
    return;
  }
  desk.choose("length");
  desk.preset = { name: y.name, metres: y.metres, sigmaMetres: y.spread, along: y.along };
  notices.say("good", `${y.name}: click its two ends on the plate.`);
}

/** What the others make of a size: how much they would have the whole place larger or smaller than it does. */
const against = (r: ScaleReading) => {
  const percent = (1 / r.against - 1) * 100;
  return `${percent >= 0 ? "+" : "−"}${Math.abs(percent).toFixed(1)} ± ${(r.sigma * 100).toFixed(1)} %`;
};
const height = computed(() => props.shot.cameraHeight);
const toggleHeight = (on: boolean) =>
  store.commit(on ? "Know camera height" : "Forget camera height", (d) => {
    const now = solver.answer?.camera?.position[2] ?? 1.6;
    d.cameraHeight = on ? { metres: Number(now.toFixed(2)), sigmaMetres: 0.05 } : null;
  });
const toggleLevel = (on: boolean) =>
  store.commit(on ? "Held level" : "Not held level", (d) => (d.level = on ? { sigmaDeg: 0.5 } : null));
</script>

<template>
  <section class="card" style="flex: 2.6" data-test="scale-card">
    <h3>
      Known sizes
      <span class="row end"><ToolButton tool="length" label="known length" shortcut="L" /></span>
    </h3>
    <table v-if="lengths.length || height">
      <thead>
        <tr>
          <th>what</th>
          <th>runs</th>
          <th>length</th>
          <th>±</th>
          <th>plate says</th>
          <th title="Scale that it asks for, over what the others agree on">the others say</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="l in lengths"
          :key="l.id"
          :class="{ on: desk.selected === l.id, off: l.muted, odd: readings.get(l.id)?.odd }"
          @click="desk.selected = l.id"
        >
          <td>
            <TextField
              :model-value="l.name"
              label="Name of the length"
              :placeholder="l.id"
              @update:model-value="(n) => change('Name length', l.id, (d) => (d.name = n))"
            />
          </td>
          <td>
            <select
              class="pick"
              :value="runOf(l)"
              aria-label="Along"
              @change="run(l, ($event.target as HTMLSelectElement).value)"
            >
              <option value="z">upright</option>
              <option value="x">along X</option>
              <option value="y">along Y</option>
              <option value="">on the ground</option>
              <option v-for="s in surfaces" :key="s.id" :value="`on:${s.id}`">on {{ s.name }}</option>
            </select>
          </td>
          <td>
            <LengthField
              :model-value="l.metres"
              :unit="shot.unit"
              label="Known length"
              positive
              data-test="length"
              @update:model-value="(m) => change('Type known length', l.id, (d) => (d.metres = m))"
            />
          </td>
          <td>
            <LengthField
              :model-value="l.sigmaMetres"
              :unit="shot.unit"
              label="Tolerance of the length"
              @update:model-value="(m) => change('Type tolerance', l.id, (d) => (d.sigmaMetres = Math.max(0, m)))"
            />
          </td>
          <td class="num">{{ readings.get(l.id) ? formatLength(readings.get(l.id)!.read, shot.unit) : "" }}</td>
          <td class="num">{{ readings.get(l.id) ? against(readings.get(l.id)!) : "alone" }}</td>
          <td>
            <button
              class="act"
              @click.stop="change(l.muted ? 'Count length' : 'Mute length', l.id, (d) => (d.muted = !d.muted))"
            >
              {{ l.muted ? "count" : "mute" }}
            </button>
            <button class="plain" :aria-label="`Delete ${l.id}`" @click.stop="remove(l.id)">
              <i class="pi pi-times" />
            </button>
          </td>
        </tr>
        <tr v-if="height" :class="{ odd: readings.get(HEIGHT_ID)?.odd }">
          <td>Camera height</td>
          <td class="quiet">above the ground</td>
          <td>
            <LengthField
              :model-value="height.metres"
              :unit="shot.unit"
              label="Camera height"
              positive
              @update:model-value="(m) => store.commit('Type camera height', (d) => (d.cameraHeight!.metres = m))"
            />
          </td>
          <td>
            <LengthField
              :model-value="height.sigmaMetres"
              :unit="shot.unit"
              label="Tolerance of the camera height"
              @update:model-value="
                (m) => store.commit('Type tolerance', (d) => (d.cameraHeight!.sigmaMetres = Math.max(0, m)))
              "
            />
          </td>
          <td class="num">
            {{ readings.get(HEIGHT_ID) ? formatLength(readings.get(HEIGHT_ID)!.read, shot.unit) : "" }}
          </td>
          <td class="num">{{ readings.get(HEIGHT_ID) ? against(readings.get(HEIGHT_ID)!) : "alone" }}</td>
          <td></td>
        </tr>
      </tbody>
    </table>
    <div v-if="selected && !selected.on && selected.along" class="row start">
      <label class="row"
        ><ToggleSwitch
          :model-value="selected.fromWorld !== null"
          data-test="from-known"
          @update:model-value="fromKnown"
        />
        starts at a known point</label
      >
      <template v-if="selected.fromWorld">
        <label v-for="(axis, k) in ['x', 'y', 'z']" :key="axis" class="row" :class="`axis-${axis}`"
          >{{ axis.toUpperCase() }}
          <LengthField
            :model-value="selected.fromWorld[k]"
            :unit="shot.unit"
            :label="`Start at ${axis}`"
            @update:model-value="(m) => change('Type start of length', selected!.id, (d) => (d.fromWorld![k] = m))"
        /></label>
      </template>
      <span v-else class="quiet">otherwise on the ground</span>
    </div>
    <p v-if="!lengths.length && !height" class="quiet">
      Mark something whose size you know, from the ground up or between two points of the ground or the set; or say how
      high the camera was. Several are weighed against each other.
    </p>
  </section>
  <section class="card" style="flex: 0.7">
    <h3>Remembered</h3>
    <label class="row"
      ><ToggleSwitch :model-value="height !== null" data-test="camera-height" @update:model-value="toggleHeight" />
      camera height is known</label
    >
    <label class="row" style="margin-top: 4px"
      ><ToggleSwitch :model-value="shot.level !== null" data-test="level" @update:model-value="toggleLevel" /> held
      level</label
    >
    <span v-if="shot.level" class="row"
      >tilt 0 ±
      <NumberField
        :model-value="shot.level.sigmaDeg"
        label="Tolerance of the level, degrees"
        unit="°"
        :min="0.01"
        :max="20"
        @update:model-value="(v) => store.commit('Type tolerance', (d) => (d.level!.sigmaDeg = v))"
      />
    </span>
  </section>
  <section class="card" style="flex: 1.3">
    <h3>
      Yardsticks
      <span class="end"><button class="plain" data-test="edit-yardsticks" @click="sheet = true">edit</button></span>
    </h3>
    <input v-model="search" class="search" placeholder="door, pallet, paper …" aria-label="Search yardsticks" />
    <div class="list">
      <div v-for="y in found" :key="y.id" :title="y.source">
        <span>{{ y.name }}</span>
        <span class="num end">{{ formatLength(y.metres, shot.unit) }}</span>
        <button class="act" :aria-label="`Use ${y.name}`" @click="use(y)">use</button>
      </div>
    </div>
    <Button v-if="found.length === 0" label="Add one" size="small" @click="sheet = true" />
    <YardstickSheet v-if="sheet" :unit="shot.unit" @close="sheet = false" />
  </section>
</template>

<style scoped>
table {
  border-collapse: collapse;
  width: 100%;
}
th {
  white-space: nowrap;
  font-weight: 400;
  font-size: 11px;
  color: var(--quiet);
  text-align: left;
}
td :deep(input) {
  width: 72px;
}
td:first-child :deep(input) {
  width: 104px;
}
td {
  padding: 1px 6px 1px 0;
  white-space: nowrap;
}
tr.on td:first-child {
  box-shadow: inset 3px 0 var(--accent);
  padding-left: 6px;
}
tr.off {
  opacity: 0.45;
}
tr.odd td.num {
  color: var(--warn);
}
.start {
  margin-top: 4px;
}
.search {
  width: 100%;
  background: #292827;
  border: 1px solid var(--line);
  color: inherit;
  font: inherit;
  padding: 2px 6px;
  margin-bottom: 4px;
}
</style>
