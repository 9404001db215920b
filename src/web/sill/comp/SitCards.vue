<script setup lang="ts">
import { computed } from "vue";
import type { Shot } from "#core/shot/schema";
import { STEP_TITLES, useDesk } from "../../stores/desk.ts";
import { useFinals } from "../../stores/finals.ts";
import { useProof } from "../../stores/proof.ts";
import type { ShownLine } from "../../stores/sit.ts";
import { useSit } from "../../stores/sit.ts";

/** What still gives the composite away, the worst first; each line leads to its place and to the step that mends it. */
const props = defineProps<{ shot: Shot }>();
const sit = useSit();
const desk = useDesk();
const finals = useFinals();
const proof = useProof();
const newest = computed(
  () =>
    finals.list.find(
      (f) => f.status === "done" && f.files.includes("premultiplied") && f.plate === props.shot.plates.main.codes,
    ) ?? null,
);
const counts = computed(() => ({
  bad: sit.lines?.filter(({ state }) => state === "bad").length ?? 0,
  warn: sit.lines?.filter(({ state }) => state === "warn").length ?? 0,
}));

const look = () => newest.value && sit.look(newest.value.id, newest.value.width / props.shot.plates.main.width);
/** Brings the place of a line into the view. */
function goTo({ spot }: ShownLine): void {
  if (!spot || !sit.of) return;
  const k = 1 / sit.of.scale;
  desk.fitTo([
    [spot.x * k, spot.y * k],
    [(spot.x + spot.width) * k, (spot.y + spot.height) * k],
  ]);
}
function mend({ step, check }: ShownLine): void {
  if (step === "comp")
    desk.compDrawer =
      check === "tone" ? "shadow" : check === "grain" || check === "sharpness" ? "match" : ("tone" as const);
  else {
    if (check === "direction") desk.lightDrawer = "sun";
    if (check === "contact" || check === "size" || check === "stretch") desk.propDrawer = "place";
    desk.step = step;
  }
}
</script>

<template>
  <section class="card head">
    <h3>Sit report</h3>
    <template v-if="!newest">
      <p class="quiet">It looks at a final.</p>
      <button class="act" data-test="sit-to-render" @click="desk.step = 'render'">Render one</button>
    </template>
    <template v-else>
      <button v-if="!sit.busy" class="act" data-test="sit-report" @click="look">
        {{ sit.lines ? "Look again" : "Look at the newest final" }}
      </button>
      <button v-else class="act" @click="sit.cancel()">cancel</button>
      <p v-if="sit.busy" class="quiet" data-test="sit-progress">
        {{ sit.work?.what || "starting" }} … {{ Math.round(100 * (sit.work?.share ?? 0)) }} %<span
          v-if="sit.work?.secondsLeft != null"
          class="num"
          >, {{ Math.ceil(sit.work.secondsLeft) }} s left</span
        >
      </p>
      <p v-if="sit.lines" class="state" data-test="sit-state">
        <span v-if="counts.bad" class="bad">{{ counts.bad }} to mend</span>
        <span v-if="counts.warn" class="warn">{{ counts.warn }} to look at</span>
        <span v-if="!counts.bad && !counts.warn" class="good">Nothing gives it away.</span>
      </p>
      <p v-if="sit.stale" class="quiet">The shot was changed since.</p>
      <p class="quiet">HTML and PDF are under Hand over.</p>
      <button v-if="proof.picture" class="plain" @click="desk.fit(shot.plates.main.width, shot.plates.main.height)">
        whole picture
      </button>
    </template>
  </section>
  <section class="card lines">
    <div v-if="sit.lines" class="list">
      <div v-for="line in sit.lines" :key="line.check" :data-test="`sit-${line.check}`">
        <button class="thumb" :disabled="!line.spot" :title="line.spot ? 'Go there' : ''" @click="goTo(line)">
          <img v-if="line.picture" :src="line.picture" alt="" />
        </button>
        <span class="dot" :class="line.state" />
        <span class="what"
          ><b>{{ line.label }}</b> <span class="quiet">{{ line.words }}</span></span
        >
        <span class="num found"
          >{{ line.value }}<br /><span class="quiet">allowed {{ line.tolerance }}</span></span
        >
        <button class="act" :class="{ faint: line.state === 'good' }" @click="mend(line)">
          {{ STEP_TITLES[line.step] }}
        </button>
      </div>
    </div>
    <p v-else class="quiet">
      Contact, shadow, black and white, colour, grain, sharpness, camera against its marks, sizes, edges of what was
      built: each with its figure and what is allowed.
    </p>
  </section>
</template>

<style scoped>
.head {
  flex: 0 0 190px;
}
.lines {
  flex: 1;
}
.list > div {
  display: grid;
  grid-template-columns: 66px 10px minmax(0, 1fr) minmax(150px, 0.5fr) auto;
  gap: 4px 10px;
  align-items: center;
}
.thumb {
  width: 66px;
  height: 40px;
  padding: 0;
  border: 0;
  background: #222;
  cursor: pointer;
  overflow: hidden;
}
.thumb:disabled {
  cursor: default;
}
.thumb img {
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.dot {
  width: 9px;
  height: 9px;
  border-radius: 50%;
  background: #777;
}
.dot.good {
  background: var(--good);
}
.dot.warn {
  background: var(--warn);
}
.dot.bad {
  background: var(--bad);
}
.what,
.found {
  line-height: 1.25;
  font-size: 12.5px;
}
.found {
  white-space: normal;
  overflow-wrap: anywhere;
  font-size: 11.5px;
}
.faint {
  opacity: 0.5;
}
.state span {
  margin-right: 8px;
}
.state .good {
  color: var(--good);
}
.state .warn {
  color: var(--warn);
}
.state .bad {
  color: var(--bad);
}
</style>
