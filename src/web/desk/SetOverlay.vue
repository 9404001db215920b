<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, dot, mix, scale, toRadians } from "#core/math/vec3";
import type { Face } from "#core/set/face";
import { faceNormal, facePlane, triangulate } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import { pickAlong } from "#core/set/pick";
import { isSeen } from "#core/set/surface";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { MEASURES, endsUnder, readingOf } from "#core/set/measures";
import { useDesk } from "../stores/desk.ts";
import { figureWords } from "./measureWords.ts";
import type { Sight } from "./sight.ts";

/** The set as lines over the plate or the view from outside, with what is being drawn; on a canvas, since it may be much. */
const props = defineProps<{ shot: Shot; sight: Sight; preview: Face[]; step: boolean }>();
const desk = useDesk();
const canvas = ref<HTMLCanvasElement>();
/** What is not selected, drawn anew only when it or the way of looking changes. */
const rest = ref<HTMLCanvasElement>();
let restShows: unknown[] = [];

const INK = {
  set: "#f4f1ea",
  on: "#ff8a6a",
  blocker: "#b9a9dd",
  unseen: "#8fb7c9",
  draft: "#ffd27a",
  measure: "#9fdcb0",
};

/** Lines of a list of faces in pixels of the sight, kept until faces or sight change. */
let kept: { sight: Sight; lines: WeakMap<Face[], Vec2[][]> } | null = null;
function linesOf(faces: Face[]): Vec2[][] {
  if (kept?.sight !== props.sight) kept = { sight: props.sight, lines: new WeakMap() };
  let lines = kept.lines.get(faces);
  if (!lines) kept.lines.set(faces, (lines = outline(faces)));
  return lines;
}

/** Cosine of the angle between faces from which their side is a crease: of what is round only the outline is drawn. */
const CREASE = Math.cos(toRadians(20));

interface Side {
  ends: [Vec3, Vec3];
  face: Face;
  normal: Vec3;
  /** It looks at the eye. */
  facing: boolean;
  drawn: boolean;
}

/** Every side once: borders, creases, and where what is round turns away. */
function sidesOf(faces: Face[]): Side[] {
  const sides = new Map<string, Side>();
  const key = (p: Vec3) => `${Math.round(p[0] * 1e4)},${Math.round(p[1] * 1e4)},${Math.round(p[2] * 1e4)}`;
  for (const face of faces) {
    const { normal, offset } = facePlane(face);
    const facing = dot(normal, props.sight.eye) > offset;
    for (const ring of face.rings)
      ring.forEach((a, i) => {
        const b = ring[(i + 1) % ring.length];
        const [p, q] = [key(a), key(b)];
        const at = p < q ? `${p} ${q}` : `${q} ${p}`;
        const side = sides.get(at);
        if (side) side.drawn = side.facing !== facing || dot(side.normal, normal) < CREASE;
        else sides.set(at, { ends: [a, b], face, normal, facing, drawn: true });
      });
  }
  return [...sides.values()].filter(({ drawn }) => drawn);
}

function outline(faces: Face[]): Vec2[][] {
  return sidesOf(faces).flatMap(({ ends }) => {
    const line = props.sight.line(ends[0], ends[1], 6);
    return line.length > 1 ? [line] : [];
  });
}

/** Whether a point of a face is seen, and not behind another one. */
function visible(point: Vec3, own: Face): boolean {
  const { eye } = props.sight;
  const way: Vec3 = [point[0] - eye[0], point[1] - eye[1], point[2] - eye[2]];
  const met = pickAlong(props.shot.set, eye, way, (part, face) => isSeen(part, face) || !props.sight.plate);
  return met === null || met.distance > 1 - 1e-3 || met.face === own;
}

/** Lines with what stands behind other faces left out, in short runs. */
function visibleLines(): Vec2[][] {
  const found: Vec2[][] = [];
  const { set } = props.shot;
  for (const part of Object.values(set)) {
    if (part.muted) continue;
    for (const { ends, face } of sidesOf(facesOf(set, part.id)))
      for (let s = 0; s < RUNS; s++) {
        const [p, q] = [mix(...ends, s / RUNS), mix(...ends, (s + 1) / RUNS)];
        const line = visible(mix(p, q, 0.5), face) ? props.sight.line(p, q, 1) : [];
        if (line.length > 1) found.push(line);
      }
  }
  return found;
}
const RUNS = 8;

const strokes = computed(() => {
  const { set } = props.shot;
  const mode = desk.setOverlay;
  if (mode === "hidden" && props.step)
    return [{ lines: visibleLines(), colour: INK.set, on: false, faces: [] as Face[] }];
  return Object.values(set).flatMap((part) => {
    if (part.muted || (mode === "off" && part.id !== desk.selected)) return [];
    const faces = facesOf(set, part.id);
    const colour = !part.flags.seen ? INK.unseen : part.flags.catches ? INK.set : INK.blocker;
    return [{ lines: linesOf(faces), colour, on: part.id === desk.selected, faces }];
  });
});

/** Width of a letter of the figures at sides, screen pixels. */
const TAG_LETTER = 8;

/** A figure stands over its side's middle, where a handle may be. */
const beside = ([x, y]: Vec2): Vec2 => [x, y - 15];

/** Lengths at the sides of the selected part, while they are few. */
const tags = computed(() => {
  const part = desk.selected ? props.shot.set[desk.selected] : undefined;
  if (!part || !props.step) return [];
  const faces = facesOf(props.shot.set, part.id);
  const face = faces.find((f) => f.id === desk.face) ?? (faces.length <= 6 ? faces[faces.length - 1] : null);
  if (!face) return [];
  return face.rings[0].flatMap((a, i, ring) => {
    const b = ring[(i + 1) % ring.length];
    const [from, at, to] = [0, 0.5, 1].map((share) => props.sight.project(mix(a, b, share)));
    if (!at || ring.length > 8) return [];
    const text = formatLength(Math.hypot(b[0] - a[0], b[1] - a[1], b[2] - a[2]), props.shot.unit);
    // A figure longer than its side would lie over its neighbours; the tag and the list have it.
    const shown = from && to ? Math.hypot(to[0] - from[0], to[1] - from[1]) * desk.deskScale : Infinity;
    return shown < text.length * TAG_LETTER ? [] : [{ at: beside(spot(at)), text }];
  });
});
/** What is measured: lines through its points, with the figure at the middle. */
const measures = computed(() => {
  if (!props.step || desk.setDrawer !== "measure") return [];
  return Object.values(props.shot.measures).flatMap((measure) => {
    const points = endsUnder(measure, null);
    const { closed } = MEASURES[measure.kind];
    const ends = closed ? [...points, points[0]] : points;
    const lines = ends
      .slice(1)
      .map((p, i) => props.sight.line(ends[i], p, 6))
      .filter((line) => line.length > 1);
    const middle = points.reduce((sum, p) => add(sum, scale(p, 1 / points.length)), [0, 0, 0] as Vec3);
    const at = props.sight.project(measure.kind === "angle" ? points[1] : middle);
    const reading = readingOf(measure.kind, points);
    const text = figureWords(reading.value, reading.unit, props.shot.unit);
    return [{ id: measure.id, lines, at: at && spot(at), text }];
  });
});
const chosenFace = computed(() => {
  const part = desk.selected ? props.shot.set[desk.selected] : undefined;
  return part ? (facesOf(props.shot.set, part.id).find((f) => f.id === desk.face) ?? null) : null;
});

const spot = (p: Vec2): Vec2 => (desk.outside ? p : desk.toScreen(p));

function draw(): void {
  const c = canvas.value;
  if (!c) return;
  const [w, h] = desk.size;
  const dense = window.devicePixelRatio || 1;
  if (c.width !== Math.round(w * dense) || c.height !== Math.round(h * dense)) {
    c.width = Math.round(w * dense);
    c.height = Math.round(h * dense);
  }
  const g = c.getContext("2d")!;
  g.setTransform(dense, 0, 0, dense, 0, 0);
  g.clearRect(0, 0, w, h);
  g.lineJoin = "round";
  const s = desk.deskScale;
  const [ox, oy] = desk.outside ? [0, 0] : desk.offset;
  const path: Path = (lines, into = g) => {
    into.beginPath();
    for (const line of lines) {
      into.moveTo(line[0][0] * s + ox, line[0][1] * s + oy);
      for (let i = 1; i < line.length; i++) into.lineTo(line[i][0] * s + ox, line[i][1] * s + oy);
    }
  };
  const fill: Fill = (face, colour, into = g) => {
    const points = face.rings.flat().map((p) => props.sight.project(p));
    const corners = triangulate(face);
    into.fillStyle = colour;
    into.beginPath();
    for (let i = 0; i < corners.length; i += 3) {
      const three = [0, 1, 2].map((k) => points[corners[i + k]]);
      if (three.some((p) => !p)) continue;
      three.forEach((p, k) => {
        const [x, y] = [p![0] * s + ox, p![1] * s + oy];
        if (k === 0) into.moveTo(x, y);
        else into.lineTo(x, y);
      });
      into.closePath();
    }
    into.fill();
  };
  const own = strokes.value.filter(({ on }) => on);
  const others = strokes.value.filter(({ on }) => !on);
  drawOthers(others, dense, fill, path);
  g.setTransform(dense, 0, 0, dense, 0, 0);
  drawStrokes(g, own, true, fill, path);
  g.globalAlpha = 1;
  if (chosenFace.value && props.step) {
    g.globalAlpha = 0.25;
    fill(chosenFace.value, INK.on);
    g.globalAlpha = 1;
  }
  for (const measure of measures.value) {
    path(measure.lines);
    const on = measure.id === desk.selected;
    g.strokeStyle = "#000a";
    g.lineWidth = on ? 4 : 3;
    g.stroke();
    g.strokeStyle = on ? INK.on : INK.measure;
    g.lineWidth = on ? 2 : 1.4;
    g.stroke();
  }
  drawDraft(g, path, fill);
}

type Stroke = (typeof strokes.value)[number];
type Fill = (face: Face, colour: string, g?: CanvasRenderingContext2D) => void;
type Path = (lines: Vec2[][], g?: CanvasRenderingContext2D) => void;

/** From so many lines on their dark borders are left out. */
const CROWD = 2500;

function drawOthers(others: Stroke[], dense: number, fill: Fill, path: Path): void {
  const c = rest.value;
  if (!c) return;
  const shows = [
    desk.scale,
    ...desk.offset,
    ...desk.size,
    desk.setOverlay,
    props.step,
    props.sight,
    ...others.flatMap((o) => [o.lines, o.colour]),
  ];
  if (shows.length === restShows.length && shows.every((x, i) => x === restShows[i])) return;
  restShows = shows;
  c.width = Math.round(desk.size[0] * dense);
  c.height = Math.round(desk.size[1] * dense);
  const g = c.getContext("2d")!;
  g.setTransform(dense, 0, 0, dense, 0, 0);
  g.lineJoin = "round";
  drawStrokes(g, others, false, fill, path);
}

function drawStrokes(g: CanvasRenderingContext2D, list: Stroke[], on: boolean, fill: Fill, path: Path): void {
  const faint = props.step ? 1 : 0.45;
  if (desk.setOverlay === "faces" && props.step)
    for (const { faces, colour } of list)
      for (const face of faces) {
        // Faces that look another way have another tone.
        const tone = Math.abs(dot(faceNormal(face), [0.36, 0.48, 0.8]));
        g.globalAlpha = 0.12 + 0.18 * tone;
        fill(face, on ? INK.on : colour, g);
      }
  for (const colour of new Set(list.map((stroke) => stroke.colour))) {
    const lines = list.filter((stroke) => stroke.colour === colour).flatMap((stroke) => stroke.lines);
    path(lines, g);
    if (lines.length < CROWD) {
      g.globalAlpha = 0.5 * faint;
      g.strokeStyle = "#000";
      g.lineWidth = on ? 3.4 : 2.4;
      g.stroke();
    }
    g.globalAlpha = faint;
    g.strokeStyle = on ? INK.on : colour;
    g.lineWidth = on ? 1.9 : 1.1;
    g.stroke();
  }
  g.globalAlpha = 1;
}

/** What is being drawn: points so far, the next one, and the part as it would be. */
function drawDraft(
  g: CanvasRenderingContext2D,
  path: (lines: Vec2[][]) => void,
  fill: (f: Face, c: string) => void,
): void {
  const { drawn, aim } = desk;
  if (!props.step) return;
  if (props.preview.length > 0) {
    g.globalAlpha = 0.12;
    for (const face of props.preview) fill(face, INK.draft);
    g.globalAlpha = 1;
    path(outline(props.preview));
  } else {
    const way = [...drawn, ...(aim ? [aim.drawn] : [])].map((d) => d.world);
    path(
      way
        .slice(1)
        .map((p, i) => props.sight.line(way[i], p, 6))
        .filter((line) => line.length > 1),
    );
  }
  g.strokeStyle = "#000a";
  g.lineWidth = 3;
  g.stroke();
  g.strokeStyle = INK.draft;
  g.lineWidth = 1.6;
  g.stroke();
  for (const d of drawn) {
    const p = props.sight.project(d.world);
    if (!p) continue;
    const [x, y] = spot(p);
    g.fillStyle = INK.draft;
    g.fillRect(x - 3, y - 3, 6, 6);
  }
  if (!aim) return;
  if (aim.drawn.side) {
    path([props.sight.line(...aim.drawn.side.ends, 6)].filter((line) => line.length > 1));
    g.strokeStyle = INK.draft;
    g.lineWidth = 3.5;
    g.stroke();
  }
  const p = props.sight.project(aim.drawn.world);
  if (!p) return;
  const [x, y] = spot(p);
  if (aim.snap) {
    g.strokeStyle = INK.draft;
    g.lineWidth = 1.5;
    g.strokeRect(x - 5.5, y - 5.5, 11, 11);
  }
  const words = [desk.typed ? `${desk.typed} …` : aim.metres ? formatLength(aim.metres, props.shot.unit) : "", aim.snap]
    .filter(Boolean)
    .join("  ");
  if (!words) return;
  g.font = "12px 'IBM Plex Mono', monospace";
  const width = g.measureText(words).width + 10;
  g.fillStyle = "#1f1e1ee6";
  g.fillRect(x + 12, y + 10, width, 18);
  g.fillStyle = INK.draft;
  g.fillText(words, x + 17, y + 23);
}

watch(
  () => [
    strokes.value,
    props.preview,
    desk.aim,
    desk.drawn,
    desk.typed,
    desk.scale,
    desk.offset,
    desk.size,
    chosenFace.value,
    measures.value,
    desk.selected,
    props.step,
    canvas.value,
  ],
  draw,
  { flush: "post", immediate: true },
);
</script>

<template>
  <canvas ref="rest" class="over" :style="{ opacity: desk.overlayStrength }" />
  <canvas ref="canvas" class="over" :style="{ opacity: desk.overlayStrength }" data-test="set-overlay" />
  <span
    v-for="(tag, i) in tags"
    :key="i"
    class="length num"
    :style="{ left: `${tag.at[0]}px`, top: `${tag.at[1]}px` }"
    >{{ tag.text }}</span
  >
  <template v-for="measure in measures" :key="measure.id">
    <span
      v-if="measure.at"
      class="length num measured"
      :style="{ left: `${measure.at[0]}px`, top: `${measure.at[1]}px` }"
      >{{ measure.text }}</span
    >
  </template>
</template>

<style scoped>
.over {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
.measured {
  color: #9fdcb0;
}
.length {
  position: absolute;
  transform: translate(-50%, -50%);
  background: #1f1e1ecc;
  padding: 0 4px;
  pointer-events: none;
}
</style>
