<script setup lang="ts">
import Button from "primevue/button";
import SelectButton from "primevue/selectbutton";
import { computed } from "vue";
import { equivalents35mm, orientationDegrees } from "#core/optics/camera";
import { evidenceKey, uncountedLengths } from "#core/match/requestOfShot";
import { shotFrame } from "#core/plate/schema";
import { takeCamera } from "#core/shot/resolve";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import type { Drawer } from "../stores/desk.ts";
import DrawerRow from "../parts/DrawerRow.vue";
import { DRAWERS, useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";
import { useSolver } from "../stores/solver.ts";
import AnswerCards from "./camera/AnswerCards.vue";
import CheckCards from "./camera/CheckCards.vue";
import HandCards from "./camera/HandCards.vue";
import LensCards from "./camera/LensCards.vue";
import MarkCards from "./camera/MarkCards.vue";
import NoteCards from "./camera/NoteCards.vue";
import ScaleCards from "./camera/ScaleCards.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();

const TITLES: Record<Drawer, string> = {
  marks: "Marks",
  scale: "Scale",
  lens: "Lens",
  answers: "Answers",
  checks: "Checks",
  hand: "By hand",
  notes: "Notes",
};

const LIST = DRAWERS.map((key) => ({ key, title: TITLES[key] }));

const byHand = computed(() => props.shot.match.by === "hand");
const facts = computed(() => {
  const camera = byHand.value ? props.shot.solved?.camera : solver.answer?.camera;
  if (!camera) return null;
  const sigma = byHand.value ? null : solver.answer?.sigmaWidened;
  return {
    camera,
    focal: sigma && sigma.focalPx > 0 ? ` ± ${sigma.focalPx.toFixed(1)}` : "",
    eq: equivalents35mm(camera.focalPx, shotFrame(props.shot)).diagonal,
    angles: orientationDegrees(camera.rotation),
    height: formatLength(camera.position[2], props.shot.unit),
  };
});
const pending = computed(() => {
  const { solved } = props.shot;
  if (byHand.value || !solver.answer?.camera || !solved || solved.evidence === evidenceKey(props.shot) || store.live)
    return null;
  const copy = structuredClone(props.shot);
  return takeCamera(copy, solver.answer);
});
const findings = computed(() => {
  if (byHand.value) return [];
  const told = [
    ...(solver.answer?.findings ?? []),
    ...(solver.details?.findings ?? []),
    ...uncountedLengths(props.shot),
  ];
  const loose = Object.values(props.shot.edges).filter((e) => e.axis === "any" && !e.muted).length;
  if (loose > 0 && !solver.answer?.camera) {
    told.push({
      code: "unassigned",
      severity: "info",
      message: `${loose} ${loose === 1 ? "edge has" : "edges have"} no direction yet. With two or more that meet, directions are read from the picture; or name them.`,
      ids: [],
    });
  }
  const order = { error: 0, warning: 1, info: 2 };
  return told.sort((a, b) => order[a.severity] - order[b.severity]);
});
const previewing = computed(() => store.live !== null && desk.previewing);

async function look(): Promise<void> {
  if (desk.previewing) {
    desk.previewing = false;
    store.cancelPreview();
    return;
  }
  desk.previewing = true;
  await store.previewSolved();
}
async function take(): Promise<void> {
  desk.previewing = false;
  store.cancelPreview();
  await store.takeSolved();
}
const KEEPS = [
  { label: "metres", value: "metres" },
  { label: "place in picture", value: "picture" },
] as const;
const keep = (id: string, keeps: "metres" | "picture") =>
  store.commit("What a new camera keeps", (d) => (d.props[id].keeps = keeps));

/** Settles what is noted of the lens against the marks, one way or the other. */
const trustNoted = (focalPx: number) =>
  store.commit("Hold the noted lens", (d) => {
    if (d.lens.focalPx !== focalPx) {
      d.lens.source = "EXIF";
      d.lens.givenAs = null;
    }
    d.lens.focalPx = focalPx;
    d.lens.focal = "hold";
    d.lens.marksSettled = true;
  });
const trustMarks = () =>
  store.commit("Trust the marks for the lens", (d) => {
    d.lens.focal = "solve";
    d.lens.marksSettled = true;
  });

function point(ids: string[]): void {
  const id = ids[0];
  if (!id) return;
  desk.selected = id;
}
</script>

<template>
  <DrawerRow v-model="desk.drawer" :drawers="LIST" label="Camera drawers" />
  <MarkCards v-if="desk.drawer === 'marks'" :shot="shot" />
  <ScaleCards v-else-if="desk.drawer === 'scale'" :shot="shot" />
  <LensCards v-else-if="desk.drawer === 'lens'" :shot="shot" />
  <AnswerCards v-else-if="desk.drawer === 'answers'" :shot="shot" />
  <CheckCards v-else-if="desk.drawer === 'checks'" :shot="shot" />
  <HandCards v-else-if="desk.drawer === 'hand'" :shot="shot" />
  <NoteCards v-else :shot="shot" />
  <section class="card findings" style="flex: 0.9" data-test="findings">
    <h3>
      Findings
      <span v-if="!byHand" class="end quiet num">{{
        solver.answer?.rmsPx != null ? `rms ${solver.answer.rmsPx.toFixed(2)} px` : ""
      }}</span>
    </h3>
    <div v-if="facts" class="readout num" data-test="camera-facts">
      <span
        ><span data-test="focal-px">{{ facts.camera.focalPx.toFixed(1) }}</span> px{{ facts.focal }}</span
      >
      <span>{{ facts.eq.toFixed(1) }} mm eq.</span>
      <span>tilt {{ facts.angles.tilt.toFixed(1) }}°</span>
      <span>roll {{ facts.angles.roll.toFixed(1) }}°</span>
      <span>{{ facts.height }} high</span>
    </div>
    <p v-if="byHand" class="quiet">
      The camera is matched by hand; marks are kept but not counted.
      {{ solver.answer?.camera ? "They would give another camera: compare under “By hand”." : "" }}
    </p>
    <div v-if="pending || previewing" class="finding warning" data-test="pending">
      <div>
        {{
          previewing
            ? "This is how the new camera would have it."
            : "The marks now give another camera than set and props were built with."
        }}
        <template v-if="pending?.length">
          It would move {{ pending.length }} {{ pending.length === 1 ? "thing" : "things" }}:</template
        >
        <div v-for="m in (pending ?? []).slice(0, 6)" :key="m.id + m.name" class="num">
          {{ m.name }}:
          {{
            m.lost
              ? m.id === "sun"
                ? "stays, its sighting cannot be read any more"
                : "keeps its metres, its pixel shows no ground"
              : m.degrees !== undefined
                ? `turns by ${m.degrees.toFixed(2)}°`
                : `${formatLength(m.metres, shot.unit)}, ${m.pixels.toFixed(1)} px`
          }}
        </div>
        <div v-if="(pending?.length ?? 0) > 6" class="quiet">and {{ pending!.length - 6 }} more</div>
        <div v-for="p in Object.values(shot.props)" :key="p.id" class="row keeps">
          {{ p.name }} keeps its
          <SelectButton
            :model-value="p.keeps"
            :options="[...KEEPS]"
            option-label="label"
            option-value="value"
            size="small"
            :allow-empty="false"
            @update:model-value="(k: 'metres' | 'picture') => keep(p.id, k)"
          />
        </div>
        <div class="row">
          <Button label="Take the new camera" size="small" data-test="take-camera" @click="take" />
          <Button :label="previewing ? 'As it was' : 'Look first'" size="small" severity="secondary" @click="look" />
        </div>
      </div>
    </div>
    <div v-for="(f, i) in findings" :key="i" class="finding" :class="f.severity" @click="point(f.ids)">
      <div>
        <div v-if="f.code === 'lens-against-marks' && f.numbers" class="row acts">
          <button class="act" data-test="trust-noted" @click.stop="trustNoted(f.numbers.noted)">
            hold {{ f.numbers.noted.toFixed(0) }} px
          </button>
          <button class="act" data-test="trust-marks" @click.stop="trustMarks">
            trust the marks, {{ f.numbers.marks.toFixed(0) }} px
          </button>
        </div>
        {{ f.message }}
      </div>
    </div>
    <p v-if="!pending && !byHand && findings.length === 0" class="quiet">Nothing contradicts.</p>
  </section>
</template>

<style scoped>
.readout {
  display: flex;
  flex-wrap: wrap;
  gap: 0 10px;
  color: var(--ink);
  border-bottom: 1px solid var(--line);
  padding-bottom: 4px;
  margin-bottom: 5px;
}
.keeps {
  margin: 3px 0;
}
.keeps :deep(.p-togglebutton) {
  padding: 0 4px;
  font-size: 11px;
}
.finding {
  cursor: default;
}
</style>
