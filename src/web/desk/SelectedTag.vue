<script setup lang="ts">
import { computed } from "vue";
import type { Vec2 } from "#core/math/vec3";
import { facesOf } from "#core/set/faces";
import type { Part } from "#core/set/parts/index";
import type { Shot } from "#core/shot/schema";
import PartFields from "../parts/PartFields.vue";
import { useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";
import { deletion } from "./deletion.ts";
import type { Sight } from "./sight.ts";

/** What is selected carries its name, its numbers and its commonest actions beside it. */
const props = defineProps<{ shot: Shot; sight: Sight }>();
const desk = useDesk();
const store = useShot();

const part = computed<Part | null>(() =>
  desk.step === "set" && desk.selected ? (props.shot.set[desk.selected] ?? null) : null,
);

/** Beside the right end of what is selected, held within the window. */
const place = computed(() => {
  if (!part.value || desk.marking) return null;
  const points = facesOf(props.shot.set, part.value.id)
    .flatMap((face) => face.rings[0])
    .flatMap((p): Vec2[] => {
      const at = props.sight.project(p);
      return at ? [desk.outside ? at : desk.toScreen(at)] : [];
    })
    .filter(([x, y]) => x > 0 && y > 0 && x < desk.size[0] && y < desk.size[1]);
  const [w, h] = desk.size;
  const right = points.reduce((best, p) => (p[0] > best[0] ? p : best), points[0] ?? [w / 2, 20]);
  return {
    left: `${Math.max(8, Math.min(w - WIDTH - 8, right[0] + 18))}px`,
    top: `${Math.max(8, Math.min(h - 96, right[1] - 30))}px`,
    width: `${WIDTH}px`,
  };
});
const WIDTH = 216;

async function remove(): Promise<void> {
  const gone = deletion(props.shot, part.value!.id);
  desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}
</script>

<template>
  <div v-if="part && place" class="tag-box" :style="place" data-test="tag" @pointerdown.stop @keydown.stop>
    <div class="head">
      <strong>{{ part.name }}</strong>
      <span v-if="desk.face" class="quiet">{{ desk.face }}</span>
      <button
        class="plain end"
        :aria-label="part.muted ? 'Count again' : 'Mute'"
        :title="part.muted ? 'Count again' : 'Mute: neither seen nor counted'"
        @click="store.commit(part.muted ? 'Count part' : 'Mute part', (d) => (d.set[part!.id].muted = !part!.muted))"
      >
        <i class="pi" :class="part.muted ? 'pi-eye-slash' : 'pi-eye'" />
      </button>
      <button class="plain" aria-label="Delete" title="Delete" @click="remove"><i class="pi pi-trash" /></button>
    </div>
    <PartFields :shot="shot" :part="part" :most="3" named />
  </div>
</template>

<style scoped>
.tag-box {
  position: absolute;
  background: #1f1e1ef0;
  border: 1px solid var(--line);
  border-left: 3px solid var(--accent);
  padding: 3px 6px 4px 8px;
  z-index: 4;
  display: grid;
  gap: 2px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 6px;
}
.head strong {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.end {
  margin-left: auto;
}
label {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
}
</style>
