<script setup lang="ts">
import Dialog from "primevue/dialog";
import Select from "primevue/select";
import { computed, ref, shallowRef, watch } from "vue";
import type { ShotListing } from "#core/shot/api";
import { COPIED_PARTS, copySettings, settingChanges, untakeable } from "#core/shot/copySettings";
import type { Shot } from "#core/shot/schema";
import { api } from "../../api.ts";
import { plain } from "../../plain.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** Settings of another shot, with all that would change; what is chosen is taken over as one edit. */
const props = defineProps<{ shot: Shot }>();
const open = ref(false);
const listOpen = ref(false);
const store = useShot();
const notices = useNotices();
const others = shallowRef<ShotListing[]>([]);
const chosen = ref<string | null>(null);
const other = shallowRef<Shot | null>(null);
const taken = ref<string[]>([]);

watch(open, async (now) => {
  if (!now) return;
  try {
    others.value = (await api.shots()).filter(({ id }) => id !== store.id);
  } catch (error) {
    notices.fail(error);
  }
});
watch(chosen, async (id) => {
  other.value = null;
  if (!id) return;
  try {
    other.value = (await api.openShot(id)).shot;
    taken.value = differing.value.filter(({ part }) => !part.onlyNamed).map(({ part }) => part.id);
  } catch (error) {
    notices.fail(error);
  }
});
const differing = computed(() =>
  other.value
    ? COPIED_PARTS.map((part) => ({
        part,
        changes: settingChanges(props.shot, other.value!, part),
        not: untakeable(props.shot, other.value!, part),
      })).filter(({ changes }) => changes.length > 0)
    : [],
);
const toggle = (id: string) =>
  (taken.value = taken.value.includes(id) ? taken.value.filter((t) => t !== id) : [...taken.value, id]);
async function take(): Promise<void> {
  const from = plain(other.value!);
  await store.commit("Take over settings", (d) => copySettings(d as Shot, from, taken.value));
  open.value = false;
}
</script>

<template>
  <button class="plain" data-test="copy-settings" @click="open = true">
    <i class="pi pi-copy" /> settings of another shot …
  </button>
  <Dialog v-model:visible="open" modal header="Settings of another shot" :style="{ width: '640px' }">
    <!-- The list keeps Escape to itself, closed as well. -->
    <div @keydown.esc.capture="listOpen || (open = false)">
      <Select
        v-model="chosen"
        :options="others"
        option-label="name"
        option-value="id"
        placeholder="Choose a shot"
        aria-label="Shot to take settings from"
        data-test="copy-from"
        @show="listOpen = true"
        @hide="listOpen = false"
      />
    </div>
    <div v-if="other" class="changes">
      <p v-if="differing.length === 0">Nothing differs.</p>
      <div v-for="{ part, changes, not } in differing" :key="part.id">
        <label
          ><input
            type="checkbox"
            :disabled="not !== null"
            :checked="taken.includes(part.id)"
            :data-test="`copy-${part.id}`"
            @change="toggle(part.id)"
          />
          <b>{{ part.label }}</b>{{ " " }}
          <span v-if="not" class="quiet">{{ not }}</span>
          <span v-else-if="part.onlyNamed" class="quiet">only if you mean it</span>
        </label>
        <p v-for="c in not ? [] : changes.slice(0, 8)" :key="c.name" class="quiet num">
          {{ c.name }}: {{ c.from }} → {{ c.to }}
        </p>
        <p v-if="!not && changes.length > 8" class="quiet">and {{ changes.length - 8 }} more</p>
      </div>
    </div>
    <template #footer>
      <button class="act" :disabled="taken.length === 0 || !other" data-test="copy-take" @click="take">
        Take over {{ taken.length }}
      </button>
    </template>
  </Dialog>
</template>

<style scoped>
.changes {
  margin-top: 10px;
  max-height: 46vh;
  overflow: auto;
}
.changes p {
  margin: 0 0 1px 24px;
  font-size: 12px;
}
</style>
