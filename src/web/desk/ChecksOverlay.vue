<script setup lang="ts">
import { computed } from "vue";
import { continuedLine, divideQuad, enlarged, pickWorld } from "#core/match/gauges";
import { edgeFeet } from "#core/match/evidence";
import type { GhostEdge } from "#core/match/nextEdge";
import { deviation } from "#core/match/spread";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { distance } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { edgeAxes } from "#core/match/requestOfShot";
import type { Gauge } from "#core/match/schema";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { useDesk } from "../stores/desk.ts";
import { usePlate } from "../stores/plate.ts";
import { useSolver } from "../stores/solver.ts";
import { facetsOf, wallsOf } from "./facets.ts";
import { screenPath, screenPaths } from "./screen.ts";
import { checkerCells, cornerLines, lineThrough, personRing, planeGrid, poleLines, worldLine } from "./guides.ts";

/** What is laid over the plate to judge a camera by eye, and the gauges drawn on it. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const desk = useDesk();
const solver = useSolver();
const plate = usePlate();

const spotOf = (p: Vec2): Vec2 => [p[0] * desk.scale + desk.offset[0], p[1] * desk.scale + desk.offset[1]];
const path = (line: Vec2[]): string => screenPath(desk, line);
const paths = (lines: Vec2[][]): string => screenPaths(desk, lines);
const ring = (line: Vec2[]): string => (line.length > 2 ? `${path(line)}Z` : "");

const checks = computed(() => desk.checks);
const grid = computed(() => {
  const { camera } = props;
  const { grid: plane, gridAt } = checks.value;
  if (!camera || plane === "none") return "";
  return paths(planeGrid(camera, plane, gridAt));
});
const stand = computed(() => {
  const { camera } = props;
  const c = checks.value;
  if (!camera || desk.step !== "camera") return null;
  return {
    checker: c.checker ? checkerCells(camera, c.stand).map(ring).join("") : "",
    pole: c.pole ? paths(poleLines(camera, c.stand)) : "",
    person: c.person ? ring(personRing(camera, c.stand)) : "",
    corner: c.corner ? paths(cornerLines(camera, c.stand)) : "",
  };
});
const AXES: [string, Vec3][] = [
  ["x", [1, 0, 0]],
  ["y", [0, 1, 0]],
  ["z", [0, 0, 1]],
];
const cross = computed(() => {
  const { camera } = props;
  const { pointer } = desk;
  if (!camera || !pointer || !checks.value.cross || desk.step !== "camera") return [];
  const half = 170 / desk.scale;
  return AXES.map(([axis, d]) => ({ axis, d: path(lineThrough(camera, pointer, d, half)) }));
});

function tapeOf(gauge: Gauge & { kind: "tape" }, camera: Camera) {
  const facets = facetsOf(props.shot.set);
  const read = (c: Camera): number | null => {
    const [a, b] = gauge.points.map((p) => pickWorld(c, p, facets));
    return a && b ? distance(a, b) : null;
  };
  const length = read(camera);
  if (length === null) return "no ground there";
  // The tape's own ends, set to two thirds of a pixel like any mark, and the camera's spread.
  let own = 0;
  gauge.points.forEach((p, i) => {
    for (const k of [0, 1]) {
      const sides = [0.5, -0.5].map((h) => {
        const points = gauge.points.map((q) => [...q] as Vec2);
        points[i][k] = p[k] + h;
        const [a, b] = points.map((q) => pickWorld(camera, q, facets));
        return a && b ? distance(a, b) : length;
      });
      own += ((sides[0] - sides[1]) * 0.7) ** 2;
    }
  });
  const spread = solver.details?.spread ?? [];
  const fromCamera = props.shot.match.by === "marks" && spread.length > 0 ? deviation(spread, read) : null;
  const sigma = fromCamera === null ? null : Math.hypot(Math.sqrt(own), fromCamera);
  return `${formatLength(length, props.shot.unit)}${sigma === null ? "" : ` ± ${formatLength(sigma, props.shot.unit)}`}`;
}

const gauges = computed(() =>
  Object.values(props.shot.gauges).map((gauge) => {
    const { camera } = props;
    const on = desk.selected === gauge.id;
    const at = spotOf(gauge.points[1]);
    if (gauge.kind === "division") {
      const inner = divideQuad(gauge.points as [Vec2, Vec2, Vec2, Vec2], gauge.across, gauge.down) ?? [];
      return { id: gauge.id, kind: gauge.kind, on, d: ring(gauge.points) + inner.map(path).join(""), text: "", at };
    }
    if (gauge.kind === "tape") {
      const text = camera ? tapeOf(gauge, camera) : "no camera";
      return { id: gauge.id, kind: gauge.kind, on, d: path(gauge.points), text, at };
    }
    let d = path(gauge.points);
    if (camera) {
      const [a, b] = gauge.points.map((p) => pixelOnPlane(camera, p, groundPlane()));
      if (a && b) {
        const line = continuedLine(a, b, wallsOf(props.shot.set), 40);
        d = line.slice(1).reduce((s, p, i) => s + path(worldLine(camera, line[i], p, 16)), "");
      }
    }
    return { id: gauge.id, kind: gauge.kind, on, d, text: "", at };
  }),
);

/** Marks and model ten times as far apart as they are. */
const misfits = computed(() => {
  const { camera, shot } = props;
  if (!camera || !checks.value.enlarge || desk.step !== "camera") return "";
  const axes = edgeAxes(shot);
  let d = "";
  for (const e of Object.values(shot.edges)) {
    const direction = AXES.find(([a]) => a === axes.get(e.id))?.[1];
    if (!direction) continue;
    const feet = edgeFeet(camera, direction, e.points);
    const far = e.points.map((p, i) => enlarged(p, feet[i], 10));
    d += path(far);
    e.points.forEach((p, i) => (d += path([p, far[i]])));
  }
  for (const t of Object.values(shot.ties)) {
    const model = projectPoint(camera, t.world);
    if (model) d += path([t.pixel, enlarged(t.pixel, model, 10)]);
  }
  return d;
});

/** Contrast of the plate around a pixel: nothing can be marked in an even sky. */
function contrastAt([u, v]: Vec2): number {
  const shown = plate.shown;
  if (!shown) return 1;
  const size = Math.max(6, Math.round(shown.width / 60));
  let [sum, squares, n] = [0, 0, 0];
  for (let y = Math.round(v) - size; y <= v + size; y += 2) {
    for (let x = Math.round(u) - size; x <= u + size; x += 2) {
      if (x < 0 || y < 0 || x >= shown.width || y >= shown.height) continue;
      const tone = Math.sqrt(Math.max(0, shown.linear[(y * shown.width + x) * 3 + 1]));
      sum += tone;
      squares += tone * tone;
      n++;
    }
  }
  return n === 0 ? 0 : Math.sqrt(Math.max(0, squares / n - (sum / n) ** 2));
}
/** Room that the words beside a proposed edge take on the screen, pixels. */
const WORDS_WIDE = 200;
const LINE_HIGH = 16;
const ghosts = computed(() => {
  if (!checks.value.ghosts || desk.step !== "camera" || desk.drawer !== "marks" || props.shot.match.by === "hand")
    return [];
  const found = new Map<string, GhostEdge>();
  for (const g of solver.details?.ghosts ?? []) {
    const middle: Vec2 = [(g.points[0][0] + g.points[1][0]) / 2, (g.points[0][1] + g.points[1][1]) / 2];
    if (!found.has(g.axis) && contrastAt(middle) > 0.035) found.set(g.axis, g);
  }
  const taken: Vec2[] = [];
  return [...found.values()].map((g) => {
    const [x, y] = spotOf([(g.points[0][0] + g.points[1][0]) / 2, (g.points[0][1] + g.points[1][1]) / 2]);
    // Words of two edges that lie near each other stand below one another.
    const at: Vec2 = [x, y];
    while (taken.some(([u, v]) => Math.abs(u - at[0]) < WORDS_WIDE && Math.abs(v - at[1]) < LINE_HIGH))
      at[1] += LINE_HIGH;
    taken.push(at);
    return { ...g, d: path(g.points), at };
  });
});
</script>

<template>
  <g>
    <path v-if="stand?.checker" :d="stand.checker" class="checker" />
    <path
      v-if="grid && (desk.step === 'camera' || desk.step === 'set')"
      :d="grid"
      class="grid"
      clip-path="url(#frame)"
    />
    <template v-if="stand">
      <path v-if="stand.corner" :d="stand.corner" class="corner" />
      <path v-if="stand.pole" :d="stand.pole" class="pole" />
      <path v-if="stand.person" :d="stand.person" class="person" />
    </template>
    <g v-for="g in ghosts" :key="g.axis" :class="`axis-${g.axis}`">
      <path :d="g.d" class="ghost" />
      <text :x="g.at[0] + 8" :y="g.at[1] - 6">focal length ± {{ (g.gain * 100).toFixed(0) }} % better</text>
    </g>
    <template v-if="desk.step === 'camera'">
      <g v-for="g in gauges" :key="g.id" :class="['gauge', g.kind, { on: g.on }]">
        <path :d="g.d" class="halo" />
        <path :d="g.d" class="line" />
        <text v-if="g.text" :x="g.at[0] + 8" :y="g.at[1] + 14">{{ g.text }}</text>
      </g>
      <path v-if="misfits" :d="misfits" class="misfit" />
      <path v-for="c in cross" :key="c.axis" :d="c.d" :class="['cross', `axis-${c.axis}`]" />
    </template>
  </g>
</template>

<style scoped>
path {
  fill: none;
}
.grid {
  stroke: #ffffff3d;
  stroke-width: 0.8;
}
.checker {
  fill: #f4f1ea66;
}
.corner,
.pole {
  stroke: #f4f1ea;
  stroke-width: 1.4;
}
.person {
  stroke: #f4f1ea;
  stroke-width: 1.4;
  fill: #f4f1ea2e;
}
.ghost {
  stroke: currentColor;
  stroke-width: 5;
  stroke-dasharray: 1 7;
  stroke-linecap: round;
  opacity: 0.75;
}
text {
  fill: #fff;
  paint-order: stroke;
  stroke: #000a;
  stroke-width: 3px;
}
.gauge .halo {
  stroke: #000a;
  stroke-width: 3.4;
}
.gauge .line {
  stroke: #f1d8c9;
  stroke-width: 1.6;
}
.gauge.division .line {
  stroke-width: 1.1;
}
.gauge.on .line {
  stroke: var(--accent);
}
.misfit {
  stroke: var(--bad);
  stroke-width: 1.2;
}
.cross {
  stroke: currentColor;
  stroke-width: 1.3;
}
</style>
