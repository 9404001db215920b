<script setup lang="ts">
import Button from "primevue/button";
import ToggleSwitch from "primevue/toggleswitch";
import { computed } from "vue";
import { equivalents35mm, focalFromEquivalent, orientationDegrees } from "#core/optics/camera";
import { evidenceKey } from "#core/shot/assemble";
import { takeCamera } from "#core/shot/resolve";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { deletion } from "../desk/marks.ts";
import LengthField from "../parts/LengthField.vue";
import NumberField from "../parts/NumberField.vue";
import ToolButton from "../parts/ToolButton.vue";
import { useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";
import { useSolver } from "../stores/solver.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();

const frame = computed(() => ({ width: props.shot.plate.width, height: props.shot.plate.height }));
const facts = computed(() => {
  const { answer } = solver;
  const { camera, sigma } = answer ?? {};
  if (!camera || !sigma) return null;
  const eq = equivalents35mm(camera.focalPx, frame.value);
  const share = sigma.focalPx / camera.focalPx;
  const { focalMm, equivalentMm } = props.shot.plate.exif;
  const angles = orientationDegrees(camera.rotation);
  // EXIF's pair of focal lengths tells the sensor's size; without it millimetres on the sensor cannot be known.
  const crop = focalMm && equivalentMm ? focalMm / equivalentMm : null;
  return { camera, sigma, eq, share, angles, mm: crop ? eq.diagonal * crop : null, height: camera.position[2] };
});
const residuals = computed(() => new Map((solver.answer?.residuals ?? []).map((r) => [r.id, r])));
const edges = computed(() => Object.values(props.shot.edges));
const worst = computed(() => Math.max(1, ...[...residuals.value.values()].map((r) => r.px)));

const pending = computed(() => {
  const { solved } = props.shot;
  if (!solver.answer?.camera || !solved || solved.evidence === evidenceKey(props.shot) || store.live) return null;
  const copy = structuredClone(props.shot);
  return takeCamera(copy, solver.answer);
});

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}

const NEXT = { x: "y", y: "z", z: "x" } as const;
const turn = (id: string) =>
  store.commit("Change edge's direction", (d) => (d.edges[id].axis = NEXT[d.edges[id].axis]));
const fixed = computed(() => props.shot.lens.focalPx !== null);
const holdFocal = (hold: boolean) =>
  store.commit(hold ? "Hold focal length" : "Solve focal length", (d) => {
    const { equivalentMm } = d.plate.exif;
    d.lens.focalPx = hold
      ? (solver.answer?.camera?.focalPx ?? focalFromEquivalent(equivalentMm ?? 28, frame.value))
      : null;
  });
const slide = (k: 0 | 1 | 2, value: number) => store.commit("Move test box", (d) => (d.box.position[k] = value));
const stretch = (k: 0 | 1 | 2, value: number) => store.commit("Size test box", (d) => (d.box.size[k] = value));
</script>

<template>
  <section class="card" style="flex: 1.75">
    <h3>
      Mark what is straight
      <span class="end quiet num">{{
        solver.answer?.rmsPx != null ? `rms ${solver.answer.rmsPx.toFixed(2)} px` : ""
      }}</span>
    </h3>
    <div class="row" style="margin-bottom: 5px">
      <ToolButton tool="edge-x" label="along X" shortcut="X" tone="axis-x" />
      <ToolButton tool="edge-y" label="along Y" shortcut="Y" tone="axis-y" />
      <ToolButton tool="edge-z" label="upright" shortcut="Z" tone="axis-z" />
      <ToolButton tool="origin" label="origin" shortcut="O" />
      <ToolButton tool="length" label="known length" shortcut="L" />
    </div>
    <div class="list edges">
      <div v-for="e in edges" :key="e.id" :class="{ on: desk.selected === e.id }" @click="desk.selected = e.id">
        <button class="plain" :class="`axis-${e.axis}`" title="Change direction" @click.stop="turn(e.id)">
          {{ e.axis.toUpperCase() }}
        </button>
        <span class="bar"><span :style="{ width: `${((residuals.get(e.id)?.px ?? 0) / worst) * 100}%` }" /></span>
        <span class="num">{{ residuals.get(e.id)?.px.toFixed(2) ?? "–" }} px</span>
        <button class="plain" :aria-label="`Delete ${e.id}`" @click.stop="remove(e.id)">
          <i class="pi pi-times" />
        </button>
      </div>
      <div
        v-for="l in Object.values(shot.lengths)"
        :key="l.id"
        :class="{ on: desk.selected === l.id }"
        @click="desk.selected = l.id"
      >
        <select
          class="along"
          :value="l.along ?? ''"
          aria-label="Along"
          @change="
            store.commit(
              'Change length\'s direction',
              (d) =>
                (d.lengths[l.id].along = (($event.target as HTMLSelectElement).value || null) as
                  'x' | 'y' | 'z' | null),
            )
          "
        >
          <option value="z">upright</option>
          <option value="x">along X</option>
          <option value="y">along Y</option>
          <option value="">on the ground</option>
        </select>
        <LengthField
          :model-value="l.metres"
          :unit="shot.unit"
          label="Known length"
          positive
          data-test="length"
          @update:model-value="(m) => store.commit('Type known length', (d) => (d.lengths[l.id].metres = m))"
        />
        <span class="num">{{ residuals.get(l.id)?.px.toFixed(2) ?? "–" }} px</span>
        <button class="plain" :aria-label="`Delete ${l.id}`" @click.stop="remove(l.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
  </section>
  <section class="card" style="flex: 1.35">
    <h3>
      Camera
      <span class="row end"
        ><label class="row"><ToggleSwitch :model-value="fixed" @update:model-value="holdFocal" /> hold focal</label>
        <NumberField
          v-if="shot.lens.focalPx"
          :model-value="shot.lens.focalPx"
          label="Focal length in pixels"
          unit="px"
          :digits="1"
          :min="1"
          @update:model-value="(v) => store.commit('Type focal length', (d) => (d.lens.focalPx = v))"
        />
        <label class="row"
          ><ToggleSwitch
            :model-value="shot.lens.solveK1"
            data-test="solve-k1"
            @update:model-value="
              (v: boolean) => store.commit(v ? 'Solve distortion' : 'No distortion', (d) => (d.lens.solveK1 = v))
            "
          />
          distortion k1</label
        ></span
      >
    </h3>
    <div v-if="facts" class="facts" data-test="camera-facts">
      <span>Focal length</span>
      <span class="num">
        <template v-if="facts.mm">{{ facts.mm.toFixed(2) }} ± {{ (facts.mm * facts.share).toFixed(2) }} mm · </template>
        <span data-test="focal-px">{{ facts.camera.focalPx.toFixed(1) }}</span> ±
        {{ facts.sigma.focalPx.toFixed(1) }} px
      </span>
      <span>35 mm equiv.</span>
      <span class="num"
        >{{ facts.eq.diagonal.toFixed(1) }} mm by diagonal · {{ facts.eq.width.toFixed(1) }} by width</span
      >
      <span>Tilt, roll</span>
      <span class="num">
        {{ facts.angles.tilt.toFixed(2) }}° ± {{ facts.sigma.rotationDeg[0].toFixed(2) }} ·
        {{ facts.angles.roll.toFixed(2) }}° ±
        {{ facts.sigma.rotationDeg[2].toFixed(2) }}
      </span>
      <span>Camera height</span>
      <span class="num"
        >{{ formatLength(facts.height, shot.unit) }}
        {{
          facts.sigma.cameraHeightM ? `± ${formatLength(facts.sigma.cameraHeightM, shot.unit)}` : "(no scale yet)"
        }}</span
      >
      <span>View</span>
      <span class="num"
        >{{ facts.camera.fovDeg.horizontal.toFixed(1) }}° across, {{ facts.camera.fovDeg.vertical.toFixed(1) }}°
        high</span
      >
      <template v-if="shot.lens.solveK1"
        ><span>k1</span><span class="num">{{ facts.camera.distortion.k1.toFixed(4) }}</span></template
      >
    </div>
    <p v-else class="quiet">No camera yet. Two edges along one direction and two along another are the least.</p>
  </section>
  <section class="card" style="flex: 0.9">
    <h3>Findings</h3>
    <div v-if="pending" class="finding warning">
      <div>
        The marks now give another camera than set and props were built with.
        <template v-if="pending.length"
          >It would move {{ pending.length }} {{ pending.length === 1 ? "thing" : "things" }}:</template
        >
        <div v-for="m in pending.slice(0, 4)" :key="m.id + m.name" class="num">
          {{ m.name }}:
          {{
            m.lost
              ? "keeps its metres, its pixel shows no ground"
              : `${formatLength(m.metres, shot.unit)}, ${m.pixels.toFixed(1)} px`
          }}
        </div>
        <div v-if="pending.length > 4" class="quiet">and {{ pending.length - 4 }} more</div>
        <Button label="Take the new camera" size="small" @click="store.takeSolved()" />
      </div>
    </div>
    <div
      v-for="(f, i) in solver.answer?.findings ?? []"
      :key="i"
      class="finding"
      :class="f.severity"
      @click="f.ids[0] && (desk.selected = f.ids[0])"
    >
      <div>{{ f.message }}</div>
    </div>
    <p v-if="!pending && solver.answer?.findings.length === 0" class="quiet">Nothing contradicts.</p>
    <div v-if="solver.answer && solver.answer.alternatives.length" class="quiet">
      {{ solver.answer.alternatives.length }} other
      {{ solver.answer.alternatives.length === 1 ? "answer" : "answers" }}:
      <span v-for="(a, i) in solver.answer.alternatives" :key="i" class="num"
        >{{ a.camera.focalPx.toFixed(0) }} px at rms {{ a.rmsPx.toFixed(1) }}
      </span>
    </div>
  </section>
  <section class="card" style="flex: 0.72">
    <h3>
      Test box <label class="row end"><ToggleSwitch v-model="desk.box" data-test="box" /></label>
    </h3>
    <div class="facts">
      <template v-for="(axis, k) in ['x', 'y', 'z'] as const" :key="axis">
        <span :class="`axis-${axis}`">{{ axis.toUpperCase() }}</span>
        <span class="row" style="flex-wrap: nowrap">
          <LengthField
            :model-value="shot.box.position[k]"
            :unit="shot.unit"
            :label="`Box at ${axis}`"
            @update:model-value="(v) => slide(k as 0 | 1 | 2, v)"
          />
          <LengthField
            :model-value="shot.box.size[k]"
            :unit="shot.unit"
            :label="`Box size along ${axis}`"
            positive
            @update:model-value="(v) => stretch(k as 0 | 1 | 2, v)"
          />
        </span>
      </template>
    </div>
    <p class="quiet" style="margin: 3px 0 0">place · size; drag it on the plate</p>
  </section>
</template>

<style scoped>
.edges {
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
}
.bar {
  flex: 1;
  height: 4px;
  background: #454342;
}
.bar span {
  display: block;
  height: 100%;
  background: var(--quiet);
}
.along {
  background: #292827;
  color: inherit;
  border: 1px solid var(--line);
  font: inherit;
}
</style>
