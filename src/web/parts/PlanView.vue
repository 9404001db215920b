<script setup lang="ts">
import { computed, ref, shallowRef } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { fieldsOfView, orientationAngles, rotationFromAngles } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";
import { useNotices } from "../stores/notices.ts";
import { faceNormal } from "#core/set/face";
import { allFaces } from "#core/set/faces";
import { useShot } from "../stores/shot.ts";

/** The place from above, X to the right and Y up. The camera is dragged over it; its far end turns it. */
const props = defineProps<{ shot: Shot; camera: Camera; fixed: boolean }>();
const store = useShot();
const notices = useNotices();
const root = ref<SVGSVGElement>();
const drag = shallowRef<{ kind: "move" | "turn"; camera: Camera; from: Vec2 } | null>(null);
/** The window on the world while something is dragged stays as it was. */
const kept = shallowRef<[number, number, number, number] | null>(null);

const things = computed(() => {
  const rings: { id: string; points: Vec2[] }[] = [];
  // What lies level is seen from above.
  for (const { part, face } of allFaces(props.shot.set))
    if (Math.abs(faceNormal(face)[2]) > 0.5)
      rings.push({ id: `${part.id} ${face.id}`, points: face.rings[0].map((p) => [p[0], p[1]]) });
  const feet = Object.values(props.shot.props).map((p) => ({
    id: p.id,
    at: [p.placement.position[0], p.placement.position[1]] as Vec2,
  }));
  return { rings, feet };
});
const heading = computed(() => orientationAngles(props.camera.rotation).heading);
const half = computed(() => fieldsOfView(props.camera, shotFrame(props.shot)).horizontal / 2);
const reach = computed(() => Math.max(2, Math.hypot(...props.camera.position.slice(0, 2)), 1) * 0.5);
const along = (angle: number, r: number): Vec2 => [
  props.camera.position[0] + r * Math.sin(angle),
  props.camera.position[1] + r * Math.cos(angle),
];
const wedge = computed(() => [
  along(heading.value - half.value, reach.value),
  along(heading.value + half.value, reach.value),
]);
const grip = computed(() => along(heading.value, reach.value));

const window = computed((): [number, number, number, number] => {
  if (kept.value) return kept.value;
  const points: Vec2[] = [
    [0, 0],
    [1, 1],
    [props.camera.position[0], props.camera.position[1]],
    grip.value,
    ...things.value.feet.map((f) => f.at),
  ];
  const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
  const pad = 0.15 * Math.max(2, Math.max(...xs) - Math.min(...xs), Math.max(...ys) - Math.min(...ys));
  return [Math.min(...xs) - pad, Math.min(...ys) - pad, Math.max(...xs) + pad, Math.max(...ys) + pad];
});
const box = computed(() => {
  const [x0, y0, x1, y1] = window.value;
  return `${x0} ${-y1} ${x1 - x0} ${y1 - y0}`;
});
const unit = computed(() => (window.value[2] - window.value[0]) / 200);
const text = (points: Vec2[]) => points.map(([x, y]) => `${x},${-y}`).join(" ");

function world(e: PointerEvent): Vec2 {
  const m = root.value!.getScreenCTM()!.inverse();
  const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(m);
  return [p.x, -p.y];
}
function down(kind: "move" | "turn", e: PointerEvent): void {
  if (props.fixed) return;
  const { locks } = props.shot.match;
  if (kind === "move" ? locks.position : locks.rotation) {
    notices.say("warn", `The ${kind === "move" ? "position" : "rotation"} is locked.`, "Unlock it beside the moves.");
    return;
  }
  root.value!.setPointerCapture(e.pointerId);
  kept.value = window.value;
  drag.value = { kind, camera: props.camera, from: world(e) };
}
function moved(e: PointerEvent): Camera | null {
  const d = drag.value;
  if (!d) return null;
  const at = world(e);
  const { position, rotation } = d.camera;
  if (d.kind === "move") {
    const place: Vec3 = [position[0] + at[0] - d.from[0], position[1] + at[1] - d.from[1], position[2]];
    return { ...d.camera, position: place };
  }
  const angles = orientationAngles(rotation);
  return {
    ...d.camera,
    rotation: rotationFromAngles({ ...angles, heading: Math.atan2(at[0] - position[0], at[1] - position[1]) }),
  };
}
function move(e: PointerEvent): void {
  const camera = moved(e);
  if (camera) store.previewByHand(camera);
}
async function up(e: PointerEvent): Promise<void> {
  const camera = moved(e);
  const kind = drag.value?.kind;
  drag.value = null;
  kept.value = null;
  if (camera) await store.moveByHand(kind === "move" ? "Move camera on the plan" : "Turn camera on the plan", camera);
}
</script>

<template>
  <svg
    ref="root"
    :viewBox="box"
    preserveAspectRatio="xMidYMid meet"
    class="plan"
    data-test="plan"
    aria-label="The place from above"
    @pointermove="move"
    @pointerup="up"
  >
    <g class="axes" :stroke-width="unit">
      <line x1="0" y1="0" x2="1" y2="0" class="axis-x" />
      <line x1="0" y1="0" x2="0" y2="-1" class="axis-y" />
    </g>
    <polygon v-for="r in things.rings" :key="r.id" :points="text(r.points)" class="ground" :stroke-width="unit * 0.6" />
    <circle v-for="f in things.feet" :key="f.id" :cx="f.at[0]" :cy="-f.at[1]" :r="unit * 2.5" class="foot" />
    <polygon
      :points="text([[camera.position[0], camera.position[1]], ...wedge])"
      class="wedge"
      :stroke-width="unit * 0.8"
    />
    <circle
      :cx="camera.position[0]"
      :cy="-camera.position[1]"
      :r="unit * 4"
      class="camera"
      :class="{ fixed }"
      data-test="plan-camera"
      @pointerdown="down('move', $event)"
    />
    <circle
      :cx="grip[0]"
      :cy="-grip[1]"
      :r="unit * 3"
      class="grip"
      :class="{ fixed }"
      data-test="plan-grip"
      @pointerdown="down('turn', $event)"
    />
  </svg>
</template>

<style scoped>
.plan {
  width: 100%;
  height: 100%;
  min-height: 0;
  background: #3d3b3a;
  touch-action: none;
}
.ground {
  fill: #f4f1ea14;
  stroke: #f4f1ea66;
}
.foot {
  fill: #b9b4ae;
}
.wedge {
  fill: #d8674d26;
  stroke: var(--accent);
}
.camera,
.grip {
  fill: var(--accent);
  cursor: grab;
}
.grip {
  fill: #f4f1ea;
}
.fixed {
  cursor: default;
  opacity: 0.6;
}
.axes line {
  stroke: currentColor;
}
</style>
