<script setup lang="ts">
import type { Vec3 } from "#core/math/vec3";
import { balancedColour } from "#core/light/kelvin";
import NumberField from "../../parts/NumberField.vue";

/** Gives a light the colour of a temperature; its luminance stays. */
const props = defineProps<{ colour: readonly number[]; label: string; white: number | null }>();
const emit = defineEmits<{ colour: [colour: Vec3] }>();

const luminance = (c: readonly number[]) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/** The temperature whose colour comes nearest, by red over blue. */
function nearest(): number {
  const wanted = Math.log(Math.max(1e-6, props.colour[0]) / Math.max(1e-6, props.colour[2]));
  let [low, high] = [1500, 15000];
  for (let i = 0; i < 24; i++) {
    const middle = (low + high) / 2;
    const [r, , b] = balancedColour(middle, props.white);
    if (Math.log(r / Math.max(1e-6, b)) > wanted) low = middle;
    else high = middle;
  }
  return Math.round(low / 10) * 10;
}

function take(kelvin: number): void {
  const level = luminance(props.colour);
  emit("colour", balancedColour(kelvin, props.white).map((c) => Number((c * level).toFixed(6))) as Vec3);
}
</script>

<template>
  <NumberField
    :model-value="nearest()"
    :label="label"
    unit="K"
    :digits="0"
    :min="1500"
    :max="15000"
    title="Daylight from 5000 K on, a glowing body below 4000 K; the brightness stays"
    @update:model-value="take"
  />
</template>
