<script setup lang="ts">
import type { Shot } from "#core/shot/schema";
import { useComp } from "../../stores/comp.ts";
import { useDesk } from "../../stores/desk.ts";
import { useMeasuring } from "../../stores/measuring.ts";
import { useNotices } from "../../stores/notices.ts";
import { usePlate } from "../../stores/plate.ts";
import StageCard from "./StageCard.vue";
import { GLOW_FIELDS, LENS_FIELDS } from "./stageField.ts";

/** What the plate's lens does to colours and light, done to what is rendered. */
const props = defineProps<{ shot: Shot }>();
const comp = useComp();
const desk = useDesk();
const measuring = useMeasuring();
const notices = useNotices();
const plate = usePlate();

async function measure(): Promise<void> {
  try {
    const found = await measuring.measureLateral(props.shot);
    if (!found) {
      notices.say(
        "warn",
        "Too few edges lie across the radius for their colours to be told apart.",
        "Mark edges near the corners in the Camera step, or type the shift.",
      );
      return;
    }
    await comp.keep("Measure lateral colour", (c) => {
      c.lens.on = true;
      c.lens.redPx = Number(found.redPx.toFixed(3));
      c.lens.bluePx = Number(found.bluePx.toFixed(3));
    });
    notices.say(
      "good",
      `Red lies ${found.redPx.toFixed(2)} px ± ${found.sigmaPx.toFixed(2)} farther out in the corner, blue ${found.bluePx.toFixed(2)} px: from ${found.places} places.`,
    );
  } catch (error) {
    notices.fail(error);
  }
}
</script>

<template>
  <StageCard :shot="shot" stage="lens" :fields="LENS_FIELDS">
    <div class="row">
      <button class="act" :disabled="measuring.busy || !plate.shown" data-test="measure-lateral" @click="measure">
        measure lateral colour
      </button>
    </div>
  </StageCard>
  <StageCard :shot="shot" stage="glow" :fields="GLOW_FIELDS" />
  <section class="card" style="flex: 0.7">
    <h3>Depth of field</h3>
    <p class="quiet">
      It is traced through the lens, so that highlights and edges are right: focus and opening are set in the Render
      step.
    </p>
    <button
      class="act"
      @click="
        desk.renderDrawer = 'focus';
        desk.step = 'render';
      "
    >
      To focus
    </button>
  </section>
</template>
