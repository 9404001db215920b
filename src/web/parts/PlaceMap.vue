<script setup lang="ts">
import Button from "primevue/button";
import Dialog from "primevue/dialog";
import { computed, onMounted, ref } from "vue";
import type { Vec2 } from "#core/math/vec3";
import type { MapView } from "#core/light/worldMap";
import { boxOfView, held, placeAt, WHOLE_WORLD, zoomedAt } from "#core/light/worldMap";

/** A place picked on an outline map of the world (Natural Earth, public domain; shipped). */
const props = defineProps<{ latitude: number; longitude: number }>();
const emit = defineEmits<{ pick: [place: { latitude: number; longitude: number }]; close: [] }>();

const view = ref<MapView>(WHOLE_WORLD);
const chosen = ref({ latitude: props.latitude, longitude: props.longitude });
const outline = ref("");
const frame = ref<SVGSVGElement>();
const box = computed(() => boxOfView(view.value).join(" "));
/** A pixel of the window, in degrees. */
const hair = computed(() => 360 / view.value.zoom / 760);

onMounted(async () => {
  const [{ mesh }, { default: world }] = await Promise.all([
    import("topojson-client"),
    import("world-atlas/countries-50m.json"),
  ]);
  const { coordinates } = mesh(world as never) as { coordinates: number[][][] };
  outline.value = coordinates
    .map((line) => `M${line.map(([x, y]) => `${x.toFixed(2)} ${(-y).toFixed(2)}`).join("L")}`)
    .join("");
});

function pointerAt(e: MouseEvent): Vec2 {
  const { left, top, width, height } = frame.value!.getBoundingClientRect();
  return [(e.clientX - left) / width, (e.clientY - top) / height];
}
let from: { at: Vec2; view: MapView } | null = null;
let moved = false;
function grab(e: PointerEvent): void {
  (e.currentTarget as Element).setPointerCapture(e.pointerId);
  from = { at: pointerAt(e), view: view.value };
  moved = false;
}
function move(e: PointerEvent): void {
  if (!from) return;
  const [x, y] = pointerAt(e).map((v, k) => v - from!.at[k]);
  if (Math.hypot(x, y) > 0.01) moved = true;
  if (!moved) return;
  const [, , width, height] = boxOfView(from.view);
  view.value = held({
    ...from.view,
    longitude: from.view.longitude - x * width,
    latitude: from.view.latitude + y * height,
  });
}
function release(e: PointerEvent): void {
  if (from && !moved) chosen.value = placeAt(view.value, pointerAt(e));
  from = null;
}
const words = ({ latitude, longitude }: { latitude: number; longitude: number }) =>
  `${Math.abs(latitude).toFixed(2)}° ${latitude < 0 ? "S" : "N"}, ${Math.abs(longitude).toFixed(2)}° ${longitude < 0 ? "W" : "E"}`;
</script>

<template>
  <Dialog
    :visible="true"
    modal
    header="Where was the plate taken?"
    :style="{ width: '810px' }"
    data-test="place-map"
    @update:visible="emit('close')"
  >
    <svg
      ref="frame"
      :viewBox="box"
      preserveAspectRatio="none"
      data-test="world"
      @pointerdown.prevent="grab"
      @pointermove="move"
      @pointerup="release"
      @wheel.prevent="view = zoomedAt(view, pointerAt($event), $event.deltaY < 0 ? 1.35 : 1 / 1.35)"
    >
      <path
        class="grid"
        :stroke-width="hair"
        d="M-180 0H180M-180 -23.44H180M-180 23.44H180M-180 -66.56H180M-180 66.56H180M0 -90V90"
      />
      <path class="land" :stroke-width="1.2 * hair" :d="outline" />
      <g :transform="`translate(${chosen.longitude} ${-chosen.latitude}) scale(${hair})`">
        <circle r="9" class="ring" />
        <circle r="2.5" class="dot" />
      </g>
    </svg>
    <p class="quiet">The wheel comes nearer, dragging moves the map, a click puts the place.</p>
    <template #footer>
      <span class="num" data-test="picked-place">{{ words(chosen) }}</span>
      <Button label="Leave it" severity="secondary" @click="emit('close')" />
      <Button label="Take this place" data-test="take-place" @click="emit('pick', chosen)" />
    </template>
  </Dialog>
</template>

<style scoped>
svg {
  display: block;
  width: 760px;
  height: 380px;
  background: #23282b;
  cursor: crosshair;
  touch-action: none;
}
path {
  fill: none;
}
.land {
  stroke: #c8c2b8;
}
.grid {
  stroke: #4d5658;
  stroke-dasharray: none;
}
.ring {
  fill: none;
  stroke: var(--accent);
  stroke-width: 2;
}
.dot {
  fill: var(--accent);
}
p {
  margin: 6px 0 0;
}
</style>
