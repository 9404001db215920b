<script setup lang="ts">
import { computed } from "vue";
import { knotsOf } from "#core/comp/mattes/curve";
import type { Vec2 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import { useComp } from "../stores/comp.ts";
import { useDesk } from "../stores/desk.ts";
import { screenPath } from "./screen.ts";

/** Curves of the matte in hand over the plate, the stroke under the brush, and the brush itself. */
const props = defineProps<{ shot: Shot; stroke: Vec2[] | null }>();
const desk = useDesk();
const comp = useComp();
const curves = computed(() => {
  const matte = comp.matte ? props.shot.comp.mattes[comp.matte] : undefined;
  return (matte?.shapes ?? []).flatMap(({ shape }) =>
    shape.kind === "curve"
      ? [
          `${screenPath(
            desk,
            knotsOf(shape).map(({ at }) => at),
          )}Z`,
        ]
      : [],
  );
});
const line = computed(() => (props.stroke ? screenPath(desk, props.stroke) : null));
const tip = computed(() => (desk.tool === "matte-brush" && desk.pointer ? desk.toScreen(desk.pointer) : null));
</script>

<template>
  <svg class="mattes" aria-hidden="true">
    <path v-for="(c, i) in curves" :key="i" :d="c" class="curve" />
    <path v-if="line" :d="line" class="stroke" :style="{ strokeWidth: `${2 * desk.brush.radius * desk.scale}px` }" />
    <circle v-if="tip" :cx="tip[0]" :cy="tip[1]" :r="desk.brush.radius * desk.scale" class="tip" />
  </svg>
</template>

<style scoped>
.mattes {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  pointer-events: none;
}
path,
circle {
  fill: none;
}
.curve {
  stroke: #ffb9a8;
  stroke-width: 1.2;
}
.stroke {
  stroke: #e0503c66;
  stroke-linecap: round;
  stroke-linejoin: round;
}
.tip {
  stroke: #f4f1ea;
}
</style>
