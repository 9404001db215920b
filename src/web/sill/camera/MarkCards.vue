<script setup lang="ts">
import Button from "primevue/button";
import ToggleSwitch from "primevue/toggleswitch";
import { computed, ref } from "vue";
import { SURE } from "#core/detect/propose";
import { equivalents35mm } from "#core/optics/camera";
import { edgeAxes, notedLens } from "#core/match/requestOfShot";
import { shotFrame } from "#core/plate/schema";
import { newEdge } from "#core/match/schema";
import type { Shot } from "#core/shot/schema";
import type { ShotEdge } from "#core/match/schema";
import { edgeLetter, edgeTone, edgeWord } from "../../desk/edgeWords.ts";
import { deletion } from "../../desk/deletion.ts";
import { freshId } from "../../desk/ids.ts";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useDetector } from "../../stores/detector.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";
import { useSolver } from "../../stores/solver.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const solver = useSolver();
const detector = useDetector();
const notices = useNotices();

const residuals = computed(() => new Map((solver.answer?.residuals ?? []).map((r) => [r.id, r])));
const worst = computed(() => Math.max(1, ...[...residuals.value.values()].map((r) => r.px)));
const axes = computed(() => edgeAxes(props.shot));
const edges = computed(() => Object.values(props.shot.edges));
const selected = computed<ShotEdge | null>(() => (desk.selected ? (props.shot.edges[desk.selected] ?? null) : null));
const tie = computed(() => (desk.selected ? (props.shot.ties[desk.selected] ?? null) : null));
const own = ref("A");

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (!gone) {
    notices.say("warn", "This edge is locked.", "Unlock it first.");
    return;
  }
  desk.selected = null;
  await store.commit(gone.name, gone.change);
}
const change = (name: string, id: string, make: (e: ShotEdge) => void) =>
  store.commit(name, (d) => make(d.edges[id] as ShotEdge));
const DIRECTIONS = [
  { value: "any", label: "from the picture" },
  { value: "x", label: "along X" },
  { value: "y", label: "along Y" },
  { value: "z", label: "upright" },
  { value: "level", label: "level, own direction" },
  { value: "free", label: "parallel, own direction" },
];
const kindOf = (axis: string) => (axis.includes(":") ? axis.slice(0, axis.indexOf(":")) : axis);
const nameOf = (axis: string) => axis.slice(axis.indexOf(":") + 1);
function redirect(e: ShotEdge, kind: string): Promise<void> {
  const axis = kind === "level" || kind === "free" ? `${kind}:${familyName(e.axis)}` : kind;
  return change("Change edge's direction", e.id, (d) => {
    d.axis = axis;
    if (axis.length > 1) d.onAxis = false;
  });
}
const familyName = (axis: string) => (axis.includes(":") ? nameOf(axis) : own.value || "A");

async function stick(e: ShotEdge): Promise<void> {
  const last = e.points.length - 1;
  const ends = await detector.stick(e.points[0], e.points[last]);
  if (!ends) {
    notices.say(
      "warn",
      "No clear edge lies under this mark.",
      "Move it closer, within six pixels, or leave it as it is.",
    );
    return;
  }
  await change(
    "Stick edge",
    e.id,
    (d) => (d.points = last === 1 ? ends : [ends[0], ...d.points.slice(1, -1), ends[1]]),
  );
}
const trueTo = (axis: string, deg: number) =>
  store.commit("How true a direction is", (d) => (d.match.tolerance.families[axis] = deg));
const addBend = (e: ShotEdge) =>
  change("Add point to edge", e.id, (d) => {
    const n = d.points.length;
    const [a, b] = [d.points[n - 2], d.points[n - 1]];
    d.points.splice(n - 1, 0, [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2]);
  });

function tryThere(e: ShotEdge): void {
  desk.trial = { of: e.id, axis: axes.value.get(e.id) ?? e.axis, points: e.points.map((p) => [...p]) };
  desk.selected = "trial";
}
async function keepTrial(moves: boolean): Promise<void> {
  const { trial } = desk;
  if (!trial) return;
  desk.trial = null;
  if (moves) await change("Move edge", trial.of, (d) => (d.points = trial.points));
  else {
    const id = freshId("edge", props.shot.edges);
    const kept = store.commit("Mark edge", (d) => {
      d.edges[id] = newEdge(id, trial.axis, trial.points);
    });
    desk.selected = id;
    await kept;
  }
}

async function find(): Promise<void> {
  try {
    const { edges: found, lens } = await detector.propose(notedLens(props.shot));
    desk.proposals = found;
    desk.foundLens = lens;
    if (found.length === 0)
      notices.say("warn", "No common directions were found on this plate.", "Mark edges by hand, or match by hand.");
  } catch (error) {
    notices.fail(error);
  }
}
async function accept(indices: number[]): Promise<void> {
  const taken = desk.proposals.filter((_, i) => indices.includes(i));
  desk.proposals = desk.proposals.filter((_, i) => !indices.includes(i));
  desk.lit = null;
  await store.commit(taken.length === 1 ? "Accept edge" : `Accept ${taken.length} edges`, (d) => {
    for (const p of taken) {
      const id = freshId("edge", d.edges);
      d.edges[id] = newEdge(id, p.axis, p.points);
    }
  });
}
const of = (axis: string) => desk.proposals.flatMap((p, i) => (p.axis === axis ? [i] : []));
const sureOnes = computed(() => desk.proposals.flatMap((p, i) => (p.sure >= SURE ? [i] : [])));
/** The directions that were found, with how sure they are. */
const families = computed(() => {
  const found = new Map<string, number>();
  for (const p of desk.proposals) found.set(p.axis, p.sure);
  return [...found].map(([axis, sure]) => ({ axis, sure, count: of(axis).length }));
});
/** What the found lines say of the lens, before any of them counts. */
const lensWord = computed(() => {
  const { foundLens } = desk;
  if (!foundLens || desk.proposals.length === 0) return null;
  const whole = props.shot.lens.crop ?? shotFrame(props.shot);
  const mm = (px: number) => equivalents35mm(px, whole).diagonal.toFixed(0);
  const { focalPx, relative, lensSure, alone } = foundLens;
  const noted = notedLens(props.shot);
  const off = noted ? Math.abs(Math.log(alone.focalPx / noted.focalPx)) : 0;
  if (noted && off > 2.5 * Math.hypot(alone.relative, noted.relative)) {
    return {
      tone: "warning",
      text: `By themselves they give ${mm(alone.focalPx)} mm eq. (± ${(alone.relative * 100).toFixed(0)} %), ${noted.source} says ${mm(noted.focalPx)} mm: look at them before you accept any, or the plate was cropped.`,
    };
  }
  if (lensSure) return { tone: "info", text: `They give ${mm(focalPx)} mm eq. (± ${(relative * 100).toFixed(0)} %).` };
  const range = `${mm(focalPx * Math.exp(-2 * relative))} to ${mm(focalPx * Math.exp(2 * relative))} mm eq.`;
  return {
    tone: "warning",
    text: `They leave the lens open: ${range} fit about as well. Type the lens, or mark two directions that are surely at right angles.`,
  };
});
const world = (k: number, v: number) =>
  store.commit("Type tie point", (d) => {
    if (tie.value) d.ties[tie.value.id].world[k] = v;
  });
</script>

<template>
  <section class="card" style="flex: 1.9">
    <h3>
      Mark what is straight
      <label class="row end"><ToggleSwitch v-model="desk.stick" data-test="stick-new" /> stick new edges</label>
      <label class="row">lies on <TextField v-model="desk.group" label="What new edges lie on" narrow /></label>
    </h3>
    <div class="row tools">
      <ToolButton tool="edge-x" label="along X" shortcut="X" tone="axis-x" />
      <ToolButton tool="edge-y" label="along Y" shortcut="Y" tone="axis-y" />
      <ToolButton tool="edge-z" label="upright" shortcut="Z" tone="axis-z" />
      <ToolButton tool="edge-any" label="any" shortcut="Q" />
      <ToolButton tool="edge-level" label="level" shortcut="E" />
      <ToolButton tool="edge-free" label="parallel" shortcut="J" />
      <ToolButton tool="curve" label="curved" shortcut="R" />
      <ToolButton tool="origin" label="origin" shortcut="O" />
      <ToolButton tool="horizon" label="horizon" shortcut="H" />
      <ToolButton tool="tie" label="tie point" shortcut="I" />
    </div>
    <div class="list edges">
      <div
        v-for="e in edges"
        :key="e.id"
        :class="{ on: desk.selected === e.id, off: e.muted }"
        :title="edgeWord(e.axis)"
        @click="desk.selected = e.id"
      >
        <span :class="edgeTone(axes.get(e.id) ?? 'any')" class="letter">{{
          e.axis === "any" ? (axes.get(e.id) ?? "?").toUpperCase() : edgeLetter(e.axis)
        }}</span>
        <span class="bar"><span :style="{ width: `${((residuals.get(e.id)?.px ?? 0) / worst) * 100}%` }" /></span>
        <span class="num">{{ residuals.get(e.id)?.px.toFixed(2) ?? "–" }} px</span>
        <button class="plain" :aria-label="`Delete ${e.id}`" @click.stop="remove(e.id)">
          <i class="pi" :class="e.locked ? 'pi-lock' : 'pi-times'" />
        </button>
      </div>
      <div
        v-for="t in Object.values(shot.ties)"
        :key="t.id"
        :class="{ on: desk.selected === t.id, off: t.muted }"
        @click="desk.selected = t.id"
      >
        <span class="letter">◇</span>
        <span class="num end">{{ residuals.get(t.id)?.px.toFixed(2) ?? "–" }} px</span>
        <button class="plain" :aria-label="`Delete ${t.id}`" @click.stop="remove(t.id)">
          <i class="pi pi-times" />
        </button>
      </div>
      <div
        v-for="h in Object.values(shot.horizon)"
        :key="h.id"
        :class="{ on: desk.selected === h.id }"
        @click="desk.selected = h.id"
      >
        <span class="letter">―</span> horizon
        <button class="plain end" :aria-label="`Delete ${h.id}`" @click.stop="remove(h.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="edges.length === 0" class="quiet">
      Two edges or more along each of two directions, far apart and at different angles. Zoom in with the wheel; the
      loupe shows the pixels.
    </p>
  </section>
  <section class="card" style="flex: 1.05">
    <template v-if="desk.trial">
      <h3>Tried there</h3>
      <p class="quiet">
        Drag the dashed edge anywhere: what it would miss by stands beside it. Nothing is solved with it.
      </p>
      <div class="row">
        <Button label="Add as an edge" size="small" data-test="keep-trial" @click="keepTrial(false)" />
        <Button
          v-if="shot.edges[desk.trial.of]"
          label="Move the edge here"
          size="small"
          severity="secondary"
          @click="keepTrial(true)"
        />
        <Button label="Drop" size="small" severity="secondary" @click="desk.trial = null" />
      </div>
    </template>
    <template v-else-if="selected">
      <h3>
        {{ edgeWord(selected.axis) }} <span class="end num">{{ selected.id }}</span>
      </h3>
      <div class="row">
        <select
          class="pick"
          :value="kindOf(selected.axis)"
          aria-label="Direction"
          @change="redirect(selected, ($event.target as HTMLSelectElement).value)"
        >
          <option v-for="d in DIRECTIONS" :key="d.value" :value="d.value">{{ d.label }}</option>
        </select>
        <TextField
          v-if="selected.axis.includes(':')"
          :model-value="nameOf(selected.axis)"
          label="Name of the direction"
          narrow
          @update:model-value="
            (n) => n && change('Rename direction', selected!.id, (d) => (d.axis = `${kindOf(d.axis)}:${n}`))
          "
        />
        <label v-else class="row"
          >on
          <TextField
            :model-value="selected.group"
            label="What it lies on"
            narrow
            @update:model-value="(g) => change('Say what edge lies on', selected!.id, (d) => (d.group = g))"
        /></label>
      </div>
      <div class="row">
        <label
          v-if="!selected.axis.startsWith('free:') && selected.axis !== 'any'"
          class="row"
          title="How true the things of this direction are: a house out of square, a leaning post"
          >true to ±
          <NumberField
            :model-value="shot.match.tolerance.families[selected.axis] ?? shot.match.tolerance.deg"
            label="How true this direction is, degrees"
            unit="°"
            narrow
            :min="0"
            :max="20"
            @update:model-value="(v) => trueTo(selected!.axis, v)"
        /></label>
        <label v-if="['x', 'y', 'z'].includes(selected.axis)" class="row"
          ><ToggleSwitch
            :model-value="selected.onAxis"
            data-test="on-axis"
            @update:model-value="(v: boolean) => change('Lay edge on its axis', selected!.id, (d) => (d.onAxis = v))"
          />
          lies on the axis</label
        >
        <label class="row"
          >weight
          <NumberField
            :model-value="selected.weight"
            label="Weight"
            narrow
            :min="0.01"
            :max="100"
            @update:model-value="(w) => change('Weigh edge', selected!.id, (d) => (d.weight = w))"
        /></label>
      </div>
      <div class="row acts">
        <button class="act" data-test="flip" @click="change('Flip edge', selected.id, (d) => d.points.reverse())">
          flip
        </button>
        <button class="act" data-test="stick" @click="stick(selected)">stick</button>
        <button class="act" data-test="try-there" title="T" @click="tryThere(selected)">try it there</button>
        <button class="act" data-test="bend" @click="addBend(selected)">add point</button>
        <button
          class="act"
          :class="{ on: selected.muted }"
          data-test="mute"
          @click="change(selected!.muted ? 'Count edge' : 'Mute edge', selected.id, (d) => (d.muted = !d.muted))"
        >
          {{ selected.muted ? "count" : "mute" }}
        </button>
        <button
          class="act"
          :class="{ on: selected.locked }"
          data-test="lock"
          @click="change(selected!.locked ? 'Unlock edge' : 'Lock edge', selected.id, (d) => (d.locked = !d.locked))"
        >
          {{ selected.locked ? "unlock" : "lock" }}
        </button>
      </div>
      <p v-if="residuals.get(selected.id)?.influence != null" class="quiet num" style="margin: 4px 0 0">
        without it the focal length moves by {{ residuals.get(selected.id)!.influence!.toFixed(2) }} σ
      </p>
    </template>
    <template v-else-if="tie">
      <h3>
        Tie point <span class="end num">{{ tie.id }}</span>
      </h3>
      <p class="quiet">The world point that this pixel shows.</p>
      <div class="row">
        <label v-for="(axis, k) in ['x', 'y', 'z']" :key="axis" class="row" :class="`axis-${axis}`"
          >{{ axis.toUpperCase() }}
          <NumberField
            :model-value="tie.world[k]"
            :label="`Tie at ${axis}`"
            :digits="4"
            @update:model-value="(v) => world(k, v)"
        /></label>
      </div>
      <div class="row acts">
        <button
          class="act"
          @click="
            store.commit(
              tie!.muted ? 'Count tie point' : 'Mute tie point',
              (d) => (d.ties[tie!.id].muted = !tie!.muted),
            )
          "
        >
          {{ tie.muted ? "count" : "mute" }}
        </button>
      </div>
    </template>
    <template v-else>
      <h3>Found on the plate</h3>
      <div class="row">
        <Button
          :label="detector.busy ? 'Looking …' : 'Find edges'"
          size="small"
          :disabled="detector.busy"
          data-test="find-edges"
          @click="find"
        />
        <span v-if="detector.seconds !== null && desk.proposals.length" class="quiet num"
          >{{ desk.proposals.length }} in {{ detector.seconds.toFixed(1) }} s</span
        >
      </div>
      <template v-if="desk.proposals.length">
        <div class="row" style="margin-top: 5px">
          <button
            class="act"
            data-test="accept-sure"
            :disabled="sureOnes.length === 0"
            title="Those whose direction is sure"
            @click="accept(sureOnes)"
          >
            accept the sure ones ({{ sureOnes.length }})
          </button>
          <button class="act" data-test="accept-all" @click="accept(desk.proposals.map((_, i) => i))">all</button>
          <button class="act" @click="desk.proposals = []">drop</button>
        </div>
        <div class="row families">
          <button
            v-for="f in families"
            :key="f.axis"
            class="act"
            :class="[edgeTone(f.axis), { doubtful: f.sure < SURE }]"
            :data-test="`family-${f.axis}`"
            :title="`${edgeWord(f.axis)}: ${f.count} found, ${(f.sure * 100).toFixed(0)} % sure. Accepts them.`"
            @click="accept(of(f.axis))"
          >
            {{ edgeLetter(f.axis) }} {{ f.count }} · {{ (f.sure * 100).toFixed(0) }} %
          </button>
        </div>
        <div v-if="lensWord" class="finding" :class="lensWord.tone" data-test="found-lens">
          <div>{{ lensWord.text }}</div>
        </div>
        <div class="list found">
          <div v-for="(p, i) in desk.proposals" :key="i" @mouseenter="desk.lit = i" @mouseleave="desk.lit = null">
            <span :class="edgeTone(p.axis)" class="letter">{{ edgeLetter(p.axis) }}</span>
            <button class="plain" :aria-label="`Accept proposal ${i + 1}`" @click="accept([i])">
              <i class="pi pi-check" />
            </button>
            <button
              class="plain"
              :aria-label="`Drop proposal ${i + 1}`"
              @click="desk.proposals = desk.proposals.filter((_, k) => k !== i)"
            >
              <i class="pi pi-times" />
            </button>
          </div>
        </div>
      </template>
      <p v-else class="quiet">
        Straight things are found and read as upright, level at any heading, or sloped, each with how sure it is;
        nothing counts before you accept it. Or select an edge for its own settings.
      </p>
      <div class="row" style="margin-top: 6px">
        <button class="act" data-test="pick-tie" @click="((desk.outside = true), (desk.pickingTie = true))">
          pick tie point on a model
        </button>
      </div>
    </template>
  </section>
</template>

<style scoped>
.tools {
  margin-bottom: 5px;
  gap: 4px;
}
.tools :deep(.tool) {
  padding: 2px 6px;
}
.edges {
  grid-template-columns: repeat(auto-fill, minmax(132px, 1fr));
}
.found {
  grid-template-columns: repeat(auto-fill, minmax(78px, 1fr));
  margin-top: 4px;
}
.families {
  flex-wrap: wrap;
  gap: 3px;
}
.doubtful {
  opacity: 0.6;
  border-style: dashed;
}
.off {
  opacity: 0.45;
}
.letter {
  min-width: 18px;
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
.row {
  margin-bottom: 3px;
}
h3 .row {
  margin: 0;
  font-weight: 400;
}
</style>
