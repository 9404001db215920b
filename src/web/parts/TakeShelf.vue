<script setup lang="ts">
import InputText from "primevue/inputtext";
import { onMounted, ref } from "vue";
import type { TakeListing } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { onPlate } from "#core/shot/plateVersion";
import { api } from "../api.ts";
import { matchThumbnail } from "../desk/thumbnail.ts";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useShot } from "../stores/shot.ts";
import { useSolver } from "../stores/solver.ts";
import TakeCompare from "./TakeCompare.vue";

/** Kept states of the shot: with a picture of each, to go back to, to look through, and to compare side by side. */
const props = defineProps<{ shot: Shot }>();
const store = useShot();
const desk = useDesk();
const plate = usePlate();
const solver = useSolver();
const notices = useNotices();
const takes = ref<TakeListing[]>([]);
const name = ref("");
const chosen = ref<string[]>([]);
const comparing = ref(false);

const refresh = async (): Promise<void> => {
  takes.value = await api.takes(store.id!);
};
onMounted(() => refresh().catch(notices.fail));

const attempt = (work: () => Promise<void>) => work().catch(notices.fail);
const keep = () =>
  attempt(async () => {
    const source = plate.shown?.canvas;
    const camera = props.shot.solved?.camera ?? solver.camera;
    const picture = source ? matchThumbnail(source, camera, props.shot) : undefined;
    await api.keepTake(store.id!, name.value.trim() || `Take ${takes.value.length + 1}`, props.shot, picture);
    name.value = "";
    await refresh();
  });
const goBack = (take: TakeListing) =>
  attempt(async () => {
    const document = await api.openTake(take.id);
    await store.commit(`Go back to “${take.name}”`, (draft) => {
      Object.assign(draft, document);
    });
  });
const look = (take: TakeListing) =>
  attempt(async () => {
    if (desk.lookThrough?.name === take.name) {
      desk.lookThrough = null;
      return;
    }
    const camera = onPlate(await api.openTake(take.id), props.shot.plates.main).solved?.camera;
    if (camera) desk.lookThrough = { camera, name: take.name };
    else notices.say("warn", `“${take.name}” has no camera yet.`);
  });
const rename = (take: TakeListing, text: string) =>
  attempt(async () => {
    if (text.trim() === "" || text === take.name) return;
    await api.renameTake(take.id, text);
    await refresh();
  });
const remove = (take: TakeListing) =>
  attempt(async () => {
    await api.deleteTake(take.id);
    chosen.value = chosen.value.filter((id) => id !== take.id);
    await refresh();
  });
function choose(id: string): void {
  chosen.value = chosen.value.includes(id) ? chosen.value.filter((c) => c !== id) : [...chosen.value, id].slice(-2);
}
</script>

<template>
  <h3>
    Takes
    <span class="row end">
      <InputText
        v-model="name"
        placeholder="Name of this state"
        aria-label="Name of the take"
        class="name"
        @keydown.enter="keep"
      />
      <button class="act" data-test="keep-take" @click="keep">keep</button>
      <button class="act" :disabled="chosen.length === 0" data-test="compare-takes" @click="comparing = true">
        compare {{ chosen.length === 2 ? "the two" : "with now" }}
      </button>
    </span>
  </h3>
  <p v-if="takes.length === 0" class="quiet">Keep a state before you try another; all of them can be gone back to.</p>
  <div class="shelf">
    <div v-for="t in takes" :key="t.id" class="take" :class="{ on: chosen.includes(t.id) }">
      <img v-if="t.thumbnail" :src="t.thumbnail" :alt="t.name" @click="choose(t.id)" />
      <div v-else class="blank" @click="choose(t.id)">no picture</div>
      <input
        :value="t.name"
        class="title"
        :aria-label="`Name of ${t.name}`"
        @change="rename(t, ($event.target as HTMLInputElement).value)"
      />
      <div class="row">
        <button class="act" @click="look(t)">look</button>
        <button class="act" @click="goBack(t)">go back</button>
        <button class="plain" :aria-label="`Delete ${t.name}`" @click="remove(t)"><i class="pi pi-times" /></button>
      </div>
    </div>
  </div>
  <TakeCompare
    v-if="comparing"
    :shot="shot"
    :takes="takes.filter((t) => chosen.includes(t.id))"
    @close="comparing = false"
  />
</template>

<style scoped>
.name {
  padding: 1px 6px;
  width: 130px;
}
.shelf {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(116px, 1fr));
  gap: 6px;
}
.take img,
.blank {
  width: 100%;
  display: block;
  border: 1px solid var(--line);
  cursor: pointer;
}
.blank {
  height: 60px;
  display: grid;
  place-items: center;
  color: var(--quiet);
  font-size: 11px;
}
.take.on img,
.take.on .blank {
  border-color: var(--accent);
}
.title {
  background: none;
  border: 0;
  color: inherit;
  font: inherit;
  font-size: 12px;
  width: 100%;
  padding: 1px 0;
}
.row {
  gap: 3px;
}
h3 .row {
  font-weight: 400;
}
</style>
