<script setup lang="ts">
import { roseOfShot } from "./handles/light.ts";
import { computed } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { dayArc, worldAzimuth } from "#core/light/almanac";
import { LAMPS } from "#core/light/lamps";
import { worldDirection } from "#core/light/level";
import { probeLabel } from "#core/light/schema";
import { acrossOf, sunDirection } from "#core/light/rig";
import { edgeUnder, shadowOfEdge } from "#core/light/sightings/edge";
import { sightingKind, sightingPixels } from "#core/light/sightings/index";
import { directionFromAngles } from "#core/light/sun";
import { add, cross, scale, sub, toRadians } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { pickAlong, pickFace } from "#core/set/pick";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { distance } from "#core/math/vec3";
import { useDesk } from "../stores/desk.ts";
import { useSolver } from "../stores/solver.ts";
import { edgeAxes } from "#core/match/requestOfShot";
import { edgeMisfit } from "#core/match/evidence";
import ChecksOverlay from "./ChecksOverlay.vue";
import { SURE } from "#core/detect/propose";
import { edgeTone } from "./edgeWords.ts";
import { boxLines, horizonLine, worldLine } from "./guides.ts";
import type { Handle } from "./handles/handle.ts";
import { screenPath } from "./screen.ts";

const props = defineProps<{ shot: Shot; camera: Camera | null; handles: Handle[]; hot: string | null }>();
const desk = useDesk();
const solver = useSolver();

const frame = computed(() => ({ width: props.shot.plates.main.width, height: props.shot.plates.main.height }));
const path = (line: Vec2[]): string => screenPath(desk, line);
const closed = (line: Vec2[]): string => (line.length > 2 ? `${path(line)}Z` : path(line));
const spot = (p: Vec2): Vec2 => [p[0] * desk.scale + desk.offset[0], p[1] * desk.scale + desk.offset[1]];

const guides = computed(() => {
  const { camera } = props;
  if (!camera || !desk.overlay) return null;
  const o: Vec3 = [0, 0, 0];
  const reach = Math.max(0.3, Math.min(2, distance(camera.position, o) / 8));
  return {
    horizon: path(horizonLine(camera, frame.value)),
    axes: (["x", "y", "z"] as const).map((axis, k) => {
      const end: Vec3 = [0, 0, 0];
      end[k] = reach;
      const line = worldLine(camera, o, end);
      return { axis, d: path(line), tip: line.length > 1 ? spot(line[line.length - 1]) : null };
    }),
    box: desk.box ? boxLines(camera, props.shot.box.position, props.shot.box.size).map(path).join("") : "",
    boxTop: desk.box ? projectPoint(camera, add(props.shot.box.position, [0, 0, props.shot.box.size[2]])) : null,
  };
});

const residualOf = computed(() => new Map((solver.answer?.residuals ?? []).map((r) => [r.id, r.px])));
const DOUBTS = ["edge-disagrees", "contradicts", "left-out", "tie-disagrees", "family-disagrees"];
const doubted = computed(() => {
  const told = [...(solver.answer?.findings ?? []), ...(solver.details?.findings ?? [])];
  return new Set(told.filter((f) => DOUBTS.includes(f.code)).flatMap((f) => f.ids));
});

const axes = computed(() => edgeAxes(props.shot));
const edges = computed(() =>
  Object.values(props.shot.edges).map((e) => {
    const points = e.points.map(spot);
    const [a, b] = [points[0], points[points.length - 1]];
    return {
      ...e,
      tone: edgeTone(axes.value.get(e.id) ?? "any"),
      d: path(e.points),
      b,
      mid: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2],
      px: residualOf.value.get(e.id),
      doubted: doubted.value.has(e.id),
    };
  }),
);
const AXES: Record<string, Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const trial = computed(() => {
  const t = desk.trial;
  const { camera } = props;
  if (!t) return null;
  const direction = AXES[t.axis];
  const px = camera && direction ? edgeMisfit(camera, direction, t.points) : null;
  return { d: path(t.points), at: spot(t.points[t.points.length - 1]), px };
});
const proposals = computed(() =>
  desk.step === "camera" && desk.drawer === "marks"
    ? desk.proposals.map((p, i) => ({ ...p, i, d: path(p.points), on: desk.lit === i }))
    : [],
);
const held = computed(() => (props.shot.match.held ? spot(props.shot.match.held.pixel) : null));

const sightings = computed(() =>
  Object.values(props.shot.light.sightings).map((s) => {
    const { id, muted } = s;
    const kind = sightingKind(s.kind);
    const pixels = sightingPixels(s);
    const lines = kind.lines.map(([from, to, style]) => ({ style, d: path([pixels[from], pixels[to]]) }));
    const ring = kind.ring?.map((name) => spot(pixels[name]));
    return {
      id,
      muted,
      lines,
      ring: ring ? { at: ring[0], r: Math.hypot(ring[1][0] - ring[0][0], ring[1][1] - ring[0][1]) } : null,
    };
  }),
);
/** Where the sun as it stands has the sighted edges of the set throw their shadows, to be compared with the real ones. */
const castEdges = computed(() => {
  const { camera, shot } = props;
  if (!camera || !shot.light.sun.on || desk.lightDrawer !== "sun" || desk.step !== "light") return [];
  return Object.values(shot.light.sightings).flatMap((s) => {
    const side = s.kind === "edge" ? edgeUnder(shot.set, camera, s.edge) : null;
    if (!side) return [];
    const runs = shadowOfEdge(shot.set, side, sunDirection(shot));
    return [{ id: s.id, d: [side, ...runs].map((run) => path(seen(run, camera))).join("") }];
  });
});
const seen = (run: readonly Vec3[], camera: Camera): Vec2[] =>
  run.map((p) => projectPoint(camera, p)).filter((p) => p !== null);
/** A post of a metre at the pointer and its shadow, to be laid beside a real one. */
const post = computed(() => {
  const { camera, shot } = props;
  const at = desk.pointer;
  if (!camera || !at || !shot.light.sun.on || desk.lightDrawer !== "sun" || desk.step !== "light") return null;
  const foot = pickFace(shot.set, camera, at)?.world ?? pixelOnPlane(camera, at, groundPlane());
  if (!foot || Math.hypot(...sub(foot, camera.position)) > 80) return null;
  const top = add(foot, [0, 0, 1]);
  const away = scale(sunDirection(shot), -1);
  const met = pickAlong(shot.set, top, away);
  const tip = met?.world ?? (away[2] < -0.02 ? add(top, scale(away, 1 / -away[2])) : null);
  return {
    post: path(worldLine(camera, foot, top, 2)),
    cast: tip ? path(worldLine(camera, foot, tip, 6)) : "",
  };
});
/** The day's way of the sun, where it crosses the plate. */
const arc = computed(() => {
  const { camera, shot } = props;
  const { almanac, slope } = shot.light;
  if (!camera || !almanac || almanac.northDeg === null || desk.lightDrawer !== "sun") return [];
  return dayArc(almanac, 60).flatMap(({ clock, bearingDeg, elevationDeg }) => {
    const azimuth = toRadians(worldAzimuth(almanac, bearingDeg)!);
    const far = worldDirection(slope, scale(directionFromAngles(azimuth, toRadians(elevationDeg)), 1e6));
    const pixel = projectPoint(camera, add(camera.position, far));
    return pixel ? [{ clock: clock.slice(11), at: spot(pixel) }] : [];
  });
});
/** The level horizon, by which the sky stands. */
const level = computed(() => {
  const { camera, shot } = props;
  if (!camera || desk.step !== "light" || desk.lightDrawer !== "sky" || shot.light.sky.spread.kind === "picture")
    return "";
  return path(horizonLine(camera, frame.value, worldDirection(shot.light.slope, [0, 0, 1])));
});
/** The compass rose on the ground, while the almanac is at hand. */
const rose = computed(() => {
  if (!props.camera || desk.step !== "light" || desk.lightDrawer !== "sun") return null;
  const found = roseOfShot(props.shot, props.camera);
  if (!found) return null;
  const tips = found.tips.map(spot);
  const centre = spot(found.centre);
  return {
    ring: path(found.ring),
    known: props.shot.light.almanac?.northDeg !== null,
    centre,
    tips: (["N", "E", "S", "W"] as const).map((letter, i) => ({ letter, at: tips[i] })),
  };
});
/** Lamps as the outline of what shines and the way that it faces. */
const lamps = computed(() => {
  const { camera, shot } = props;
  if (!camera || desk.step !== "light") return [];
  return Object.values(shot.light.lamps).flatMap((lamp) => {
    const [azimuth, tilt] = [toRadians(lamp.azimuthDeg), toRadians(lamp.tiltDeg)];
    const facing = directionFromAngles(azimuth, tilt);
    const { traced, faces } = LAMPS[lamp.kind];
    const across = acrossOf(lamp, facing);
    const up = cross(across, facing);
    const [w, h] = traced === "rectangle" ? lamp.size : [lamp.size[0], lamp.size[0]];
    const corners = traced === "rectangle" ? 4 : 24;
    const ring = Array.from({ length: corners }, (_, i): Vec3 => {
      const a = ((i + (corners === 4 ? 0.5 : 0)) / corners) * 2 * Math.PI;
      const k = corners === 4 ? Math.SQRT1_2 : 0.5;
      return add(lamp.position, add(scale(across, k * w * Math.cos(a)), scale(up, k * h * Math.sin(a))));
    });
    const line = ring.flatMap((p, i) => worldLine(camera, p, ring[(i + 1) % ring.length], 4));
    const arrow = !faces ? [] : worldLine(camera, lamp.position, add(lamp.position, scale(facing, Math.max(w, h))), 2);
    const foot = worldLine(camera, lamp.position, [lamp.position[0], lamp.position[1], 0], 8);
    return line.length > 2
      ? [{ id: lamp.id, on: lamp.on, ring: closed(line), arrow: path(arrow), foot: path(foot) }]
      : [];
  });
});
const probes = computed(() =>
  Object.values(props.shot.light.probes).map(({ id, pixel, radius, sun, muted }) => ({
    id,
    word: probeLabel({ id, sun }),
    muted,
    at: spot(pixel),
    r: radius * desk.scale,
  })),
);
const nextProbe = computed(() => (desk.lightDrawer === "probes" && desk.nextProbe ? spot(desk.nextProbe) : null));
const started = computed(() => desk.started.map(spot));
const pointer = computed(() => desk.pointer && spot(desk.pointer));
const pointHandles = computed(() => props.handles.filter((h) => !h.to).map((h) => ({ ...h, p: spot(h.at) })));
</script>

<template>
  <svg class="marks" aria-hidden="true" :style="{ opacity: desk.overlayStrength }">
    <clipPath id="frame">
      <rect
        :x="desk.offset[0]"
        :y="desk.offset[1]"
        :width="frame.width * desk.scale"
        :height="frame.height * desk.scale"
      />
    </clipPath>
    <ChecksOverlay v-if="desk.overlay" :shot="shot" :camera="camera" />
    <g v-if="guides">
      <path v-if="desk.step === 'camera'" :d="guides.horizon" class="horizon" />
      <g v-if="desk.step === 'camera' || desk.step === 'set'">
        <g v-for="a in guides.axes" :key="a.axis" :class="`axis-${a.axis}`">
          <path :d="a.d" class="axis" />
          <text v-if="a.tip" :x="a.tip[0] + 5" :y="a.tip[1] - 4">{{ a.axis.toUpperCase() }}</text>
        </g>
      </g>
      <template v-if="guides.box && desk.step === 'camera'">
        <path :d="guides.box" class="box" />
        <text v-if="guides.boxTop" :x="spot(guides.boxTop)[0] + 6" :y="spot(guides.boxTop)[1] - 6" class="tag">
          {{ shot.box.size.map((v) => formatLength(v, shot.unit)).join(" × ") }}
        </text>
      </template>
    </g>
    <g v-if="desk.step === 'camera'">
      <g
        v-for="p in proposals"
        :key="`p${p.i}`"
        :class="[edgeTone(p.axis), 'proposal', { on: p.on, doubtful: p.sure < SURE }]"
      >
        <path :d="p.d" />
      </g>
      <g
        v-for="e in edges"
        :key="e.id"
        :class="[e.tone, { on: desk.selected === e.id, doubted: e.doubted, muted: e.muted }]"
      >
        <path :d="e.d" class="halo" />
        <path :d="e.d" class="edge" />
        <rect :x="e.b[0] - 3.5" :y="e.b[1] - 3.5" width="7" height="7" class="plus" />
        <text v-if="e.px !== undefined && desk.selected === e.id" :x="e.mid[0] + 8" :y="e.mid[1] - 8" class="tag">
          {{ e.px.toFixed(2) }} px
        </text>
        <text v-else-if="e.doubted" :x="e.mid[0] + 8" :y="e.mid[1] - 8" class="tag doubt">?</text>
      </g>
      <g v-if="trial" class="trial">
        <path :d="trial.d" class="halo" />
        <path :d="trial.d" class="edge" />
        <text :x="trial.at[0] + 9" :y="trial.at[1] - 9" class="tag">
          {{ trial.px === null ? "no camera to try against" : `would miss by ${trial.px.toFixed(2)} px` }}
        </text>
      </g>
      <g v-for="l in Object.values(shot.lengths)" :key="l.id" class="length" :class="{ on: desk.selected === l.id }">
        <line :x1="spot(l.from)[0]" :y1="spot(l.from)[1]" :x2="spot(l.to)[0]" :y2="spot(l.to)[1]" class="halo" />
        <line :x1="spot(l.from)[0]" :y1="spot(l.from)[1]" :x2="spot(l.to)[0]" :y2="spot(l.to)[1]" class="edge" />
        <text :x="spot(l.to)[0] + 7" :y="spot(l.to)[1] + 12" class="tag">{{ formatLength(l.metres, shot.unit) }}</text>
      </g>
      <g
        v-for="t in Object.values(shot.ties)"
        :key="t.id"
        class="tie"
        :class="{ on: desk.selected === t.id, muted: t.muted }"
      >
        <path :d="`M${spot(t.pixel)[0] - 8} ${spot(t.pixel)[1]}l8 -8 8 8 -8 8z`" />
        <text :x="spot(t.pixel)[0] + 11" :y="spot(t.pixel)[1] - 6" class="tag">
          {{ t.world.map((v) => Number(v.toFixed(2))).join(", ") }}
        </text>
      </g>
      <g v-for="h in Object.values(shot.horizon)" :key="h.id" class="sea" :class="{ on: desk.selected === h.id }">
        <path :d="`M${spot(h.pixel)[0] - 16} ${spot(h.pixel)[1]}h32m-16 -4v8`" />
      </g>
      <path
        v-if="held"
        class="held"
        :d="`M${held[0] - 9} ${held[1] - 9}h18v18h-18zM${held[0] - 3} ${held[1]}h6m-3 -3v6`"
      />
      <g v-if="shot.origin" class="origin" :class="{ on: desk.selected === 'origin' }">
        <circle :cx="spot(shot.origin)[0]" :cy="spot(shot.origin)[1]" r="7" />
        <path
          :d="`M${spot(shot.origin)[0] - 11} ${spot(shot.origin)[1]}h22M${spot(shot.origin)[0]} ${spot(shot.origin)[1] - 11}v22`"
        />
      </g>
    </g>
    <g v-if="desk.step === 'light'">
      <g v-if="rose" class="rose" :class="{ open: !rose.known }" data-test="rose">
        <path :d="rose.ring" />
        <template v-for="t in rose.tips" :key="t.letter">
          <line
            :x1="rose.centre[0]"
            :y1="rose.centre[1]"
            :x2="t.at[0]"
            :y2="t.at[1]"
            :class="{ north: t.letter === 'N' }"
          />
          <circle v-if="t.letter === 'N'" :cx="t.at[0]" :cy="t.at[1]" r="6" />
          <text :x="t.at[0] + 7" :y="t.at[1] - 5" class="tag">
            {{ t.letter }}{{ t.letter === "N" && !rose.known ? "?" : "" }}
          </text>
        </template>
      </g>
      <path v-if="level" :d="level" class="horizon" data-test="level-horizon" />
      <g v-if="arc.length" class="arc" data-test="day-arc">
        <polyline :points="arc.map(({ at }) => at.join(',')).join(' ')" />
        <g v-for="a in arc" :key="a.clock">
          <circle :cx="a.at[0]" :cy="a.at[1]" r="3" />
          <text :x="a.at[0] + 6" :y="a.at[1] - 4" class="tag">{{ a.clock }}</text>
        </g>
      </g>
      <g v-for="s in sightings" :key="s.id" class="sighting" :class="{ off: s.muted, on: desk.selected === s.id }">
        <circle v-if="s.ring" :cx="s.ring.at[0]" :cy="s.ring.at[1]" :r="s.ring.r" class="ray" />
        <path v-for="(line, i) in s.lines" :key="i" :d="line.d" :class="line.style" />
      </g>
      <path v-for="e in castEdges" :key="e.id" :d="e.d" class="cast-edge" :data-test="`cast-${e.id}`" />
      <g v-if="post" class="post">
        <path :d="post.cast" class="cast" />
        <path :d="post.post" />
      </g>
      <g v-for="p in probes" :key="p.id" class="probe" :class="{ off: p.muted, on: desk.selected === p.id }">
        <circle :cx="p.at[0]" :cy="p.at[1]" :r="Math.max(4, p.r)" />
        <text v-if="desk.lightDrawer === 'probes'" :x="p.at[0] + Math.max(4, p.r) + 5" :y="p.at[1] - 6" class="tag">
          {{ p.word }}
        </text>
      </g>
      <g v-if="nextProbe" class="probe next">
        <circle :cx="nextProbe[0]" :cy="nextProbe[1]" r="16" />
        <text :x="nextProbe[0] + 21" :y="nextProbe[1] - 6" class="tag">a probe here helps most</text>
      </g>
      <g v-for="l in lamps" :key="l.id" class="lamp" :class="{ off: !l.on, on: desk.selected === l.id }">
        <path :d="l.foot" class="foot" />
        <path :d="l.ring" class="ring" />
        <path :d="l.arrow" class="way" />
      </g>
      <path v-for="r in Object.values(shot.light.shadows)" :key="r.id" :d="closed(r.points)" class="shade" />
    </g>
    <g v-if="pointHandles.length">
      <circle
        v-for="h in pointHandles"
        :key="h.key"
        :cx="h.p[0]"
        :cy="h.p[1]"
        :r="hot === h.key ? 7 : desk.selected === h.owner ? 5 : 3.5"
        class="handle"
        :class="{ hot: hot === h.key, on: desk.selected === h.owner }"
      />
    </g>
    <g v-if="started.length" class="started">
      <polyline :points="[...started, ...(pointer ? [pointer] : [])].map((p) => p.join(',')).join(' ')" />
      <circle v-for="(p, i) in started" :key="i" :cx="p[0]" :cy="p[1]" r="4" />
    </g>
  </svg>
</template>

<style scoped>
.marks {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
  font: 11.5px var(--mono);
}
path,
line,
polyline,
circle {
  fill: none;
  vector-effect: non-scaling-stroke;
}
.horizon {
  stroke: #fff;
  stroke-width: 1.2;
  stroke-dasharray: 2 5;
}
.axis {
  stroke: currentColor;
  stroke-width: 3;
}
text {
  fill: currentColor;
  paint-order: stroke;
  stroke: #000a;
  stroke-width: 3px;
}
.tag {
  fill: #fff;
}
.doubt {
  fill: var(--warn);
  font-size: 18px;
  font-weight: 700;
}
.box {
  stroke: #fff;
  stroke-width: 1.6;
}
.halo {
  stroke: #0009;
  stroke-width: 3.4;
}
.edge {
  stroke: currentColor;
  stroke-width: 1.6;
}
.on .edge {
  stroke-width: 2.6;
}
.doubted .edge {
  stroke-dasharray: 7 3;
}
.muted {
  opacity: 0.35;
}
.proposal path {
  stroke: currentColor;
  stroke-width: 1.2;
  opacity: 0.75;
}
.proposal.doubtful path {
  stroke-dasharray: 5 4;
}
.proposal.on path {
  stroke-width: 4;
  opacity: 1;
}
.trial .edge {
  stroke: var(--accent);
  stroke-dasharray: 9 4;
}
.tie path,
.sea path,
.held {
  stroke: #fff;
  stroke-width: 1.6;
}
.tie.on path,
.sea.on path {
  stroke: var(--accent);
}
.held {
  stroke: var(--accent);
}
.plus {
  fill: currentColor;
  stroke: #000a;
}
.length {
  color: #f4f1ea;
}
.length .edge {
  stroke-dasharray: 1 3;
  stroke-width: 2.6;
}
.origin circle,
.origin path {
  stroke: #fff;
  stroke-width: 1.6;
}
.surface {
  stroke: #f4f1ea;
  stroke-width: 1.4;
  fill: #ffffff12;
}
.blocker .surface {
  stroke-dasharray: 6 3;
  fill: none;
}
.on .surface {
  stroke: var(--accent);
  stroke-width: 2;
}
.sighting path,
.sighting circle {
  fill: none;
  stroke: #ffe08a;
  stroke-width: 2;
}
.sighting .cast {
  stroke: #2b2b40;
}
.sighting .ray {
  stroke-dasharray: 3 4;
  stroke-width: 1;
}
.cast-edge {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
  stroke-dasharray: 8 3;
}
.probe circle {
  stroke: #fff;
  stroke-width: 1.6;
}
.probe.on circle {
  stroke: var(--accent);
}
.probe.next circle {
  stroke: var(--accent);
  stroke-dasharray: 3 4;
}
.probe.off,
.sighting.off {
  opacity: 0.35;
}
.post path {
  stroke: #fff;
  stroke-width: 2;
  fill: none;
}
.post .cast {
  stroke: #14142a;
  stroke-width: 3;
}
.rose path,
.rose line {
  fill: none;
  stroke: #dfe6e4;
  stroke-width: 1.2;
}
.rose .north {
  stroke: var(--accent);
  stroke-width: 2;
}
.rose circle {
  fill: #2b2a28;
  stroke: var(--accent);
  stroke-width: 2;
}
.rose.open {
  stroke-dasharray: 5 4;
}
.arc polyline {
  stroke: #ffd76e;
  stroke-width: 1.5;
  fill: none;
}
.arc circle {
  fill: #ffd76e;
}
.shade {
  stroke: #b7b3e6;
  stroke-width: 1.5;
  fill: #20204055;
}
.handle {
  fill: #0006;
  stroke: #fff;
  stroke-width: 1.4;
}
.handle.on {
  stroke: var(--accent);
}
.handle.hot {
  fill: var(--accent);
}
.started polyline {
  stroke: var(--accent);
  stroke-width: 1.6;
}
.started circle {
  fill: var(--accent);
}
.lamp path {
  fill: none;
  stroke: #ffd28a;
  stroke-width: 1.3;
}
.lamp .ring {
  fill: #ffd28a33;
}
.lamp .foot {
  stroke-width: 0.8;
  stroke-dasharray: 2 5;
}
.lamp.on path {
  stroke-width: 2.2;
}
.lamp.off {
  opacity: 0.4;
}
</style>
