<script setup lang="ts">
import { computed, watch } from "vue";
import { evidenceKey } from "#core/match/requestOfShot";
import type { Shot } from "#core/shot/schema";
import { TOOLS } from "../desk/toolTable.ts";
import DrawerRow from "../parts/DrawerRow.vue";
import { useComp } from "../stores/comp.ts";
import { useDesk } from "../stores/desk.ts";
import { useFinals } from "../stores/finals.ts";
import { useProof } from "../stores/proof.ts";
import LensCards from "./comp/LensCards.vue";
import LookCards from "./comp/LookCards.vue";
import MatchCards from "./comp/MatchCards.vue";
import MatteCards from "./comp/MatteCards.vue";
import SitCards from "./comp/SitCards.vue";
import StageCard from "./comp/StageCard.vue";
import { REFLECTION_FIELDS, SHADOW_FIELDS } from "./comp/stageField.ts";
import ToneCards from "./comp/ToneCards.vue";
import ViewCards from "./comp/ViewCards.vue";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const comp = useComp();
const finals = useFinals();
const proof = useProof();
// Whoever comes here with a finished final comes to see it.
watch(
  () => (finals.newest?.plate === props.shot.plates.main.codes ? finals.newest.id : null),
  (id) => void (id && !comp.source && !comp.loading && !proof.on && comp.take({ kind: "final", id })),
  { immediate: true },
);
const drawerOf = () => TOOLS.get(desk.tool)?.drawer ?? desk.compDrawer;
watch(drawerOf, (drawer) => (desk.compDrawer = drawer));
watch(
  () => desk.compDrawer,
  (drawer) => drawerOf() !== drawer && desk.choose("pick"),
);
const DRAWERS = [
  { key: "view", title: "Picture" },
  { key: "shadow", title: "Shadow" },
  { key: "tone", title: "Tone" },
  { key: "look", title: "Look" },
  { key: "match", title: "Grain" },
  { key: "lens", title: "Lens" },
  { key: "mattes", title: "Mattes" },
  { key: "sit", title: "Sit report" },
] as const;
const stale = computed(() => props.shot.solved !== null && props.shot.solved.evidence !== evidenceKey(props.shot));
</script>

<template>
  <DrawerRow v-model="desk.compDrawer" :drawers="DRAWERS" label="Comp drawers" />
  <template v-if="desk.compDrawer === 'view'">
    <ViewCards :shot="shot" />
    <section v-if="stale" class="card" style="flex: 0.5">
      <div class="finding warning">
        <div>The marks changed since this camera was taken. See Findings in the Camera step.</div>
      </div>
    </section>
  </template>
  <template v-else-if="desk.compDrawer === 'shadow'">
    <StageCard :shot="shot" stage="shadow" :fields="SHADOW_FIELDS">
      <p v-if="shot.comp.shadow.contact > 0" class="quiet">
        Contact asks the render how open surfaces are: the proof begins anew, finals keep it.
      </p>
    </StageCard>
    <StageCard :shot="shot" stage="reflection" :fields="REFLECTION_FIELDS" />
    <section class="card" style="flex: 0.8">
      <div
        v-if="shot.comp.shadow.contact > 0 && comp.source?.kind === 'final' && !comp.knowsOpen"
        class="finding warning"
        data-test="contact-unknown"
      >
        <div>
          This final was rendered before contact was asked for, so there is none in it. The next one has it.
          <button class="act" @click="desk.step = 'render'">To the render</button>
        </div>
      </div>
      <h3>By light</h3>
      <p class="quiet">
        How strong each source's own shadow is, and the sun's against the sky's, are weights of the Light step: nothing
        is traced for them either.
      </p>
      <button class="act" @click="desk.step = 'light'">To the sources</button>
    </section>
  </template>
  <ToneCards v-else-if="desk.compDrawer === 'tone'" :shot="shot" />
  <LookCards v-else-if="desk.compDrawer === 'look'" :shot="shot" />
  <MatchCards v-else-if="desk.compDrawer === 'match'" :shot="shot" />
  <LensCards v-else-if="desk.compDrawer === 'lens'" :shot="shot" />
  <MatteCards v-else-if="desk.compDrawer === 'mattes'" :shot="shot" />
  <SitCards v-else :shot="shot" />
</template>
