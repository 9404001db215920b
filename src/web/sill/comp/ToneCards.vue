<script setup lang="ts">
import { computed } from "vue";
import { fitPairs, pairsDoubt } from "#core/comp/grade";
import type { Shot } from "#core/shot/schema";
import ToolButton from "../../parts/ToolButton.vue";
import { useComp } from "../../stores/comp.ts";
import StageCard from "./StageCard.vue";
import { GRADE_FIELDS } from "./stageField.ts";

/** Tone of the props, brought to the plate's by picked pairs. */
defineProps<{ shot: Shot }>();
const comp = useComp();

const doubt = computed(() => pairsDoubt(comp.pairs));
const usePairs = () =>
  comp.keep("Match tones by pairs", (c) => {
    Object.assign(c.props, fitPairs(comp.pairs));
    c.props.on = true;
  });
const clearTones = () =>
  comp.keep("Black and white as rendered", (c) => {
    c.props.white = [1, 1, 1];
    c.props.black = [0, 0, 0];
  });

const rounded = (c: readonly number[]) => c.map((v) => v.toFixed(2)).join(" ");
</script>

<template>
  <StageCard :shot="shot" stage="props" :fields="GRADE_FIELDS" />
  <section class="card" style="flex: 0.9">
    <h3>This on the plate ↔ that on the prop</h3>
    <div class="row">
      <ToolButton tool="tone-pair" label="pick a pair" shortcut="K" :disabled="!comp.source" />
      <button class="act" :disabled="comp.pairs.length === 0" data-test="use-pairs" @click="usePairs">Match</button>
      <button class="plain" :disabled="comp.pairs.length === 0" @click="comp.pairs = []">clear</button>
    </div>
    <div class="list">
      <div v-for="(p, i) in comp.pairs" :key="i" class="num">
        <span>{{ rounded(p.plate) }}</span> <span class="quiet">↔</span> <span>{{ rounded(p.cg) }}</span>
      </div>
    </div>
    <p v-if="!comp.source" class="quiet">
      Pairs are read from a finished picture: take the proof or a final under Picture first.
    </p>
    <p v-else-if="comp.pairs.length === 0" class="quiet">
      Pick something dark, then something bright: what should look alike on plate and prop.
    </p>
    <div v-if="doubt" class="finding warning" data-test="pairs-doubt">
      <div>{{ doubt }}</div>
    </div>
    <div class="facts num">
      <span>White</span><span>{{ rounded(shot.comp.props.white) }}</span> <span>Black</span
      ><span>{{ shot.comp.props.black.map((v) => v.toFixed(3)).join(" ") }}</span>
    </div>
    <button class="plain" @click="clearTones">as rendered</button>
  </section>
</template>
