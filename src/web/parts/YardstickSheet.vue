<script setup lang="ts">
import Button from "primevue/button";
import Dialog from "primevue/dialog";
import { ref } from "vue";
import type { Yardstick } from "#core/match/yardsticks";
import { FIRST_YARDSTICKS } from "#core/match/yardsticks";
import type { LengthUnit } from "#core/units/length";
import { useLibrary } from "../stores/library.ts";
import { useNotices } from "../stores/notices.ts";
import LengthField from "./LengthField.vue";
import TextField from "./TextField.vue";

defineProps<{ unit: LengthUnit }>();
const emit = defineEmits<{ close: [] }>();
const library = useLibrary();
const notices = useNotices();
const rows = ref<Yardstick[]>(structuredClone(library.yardsticks.map((y) => ({ ...y }))));

function add(): void {
  let i = 1;
  while (rows.value.some((r) => r.id === `own-${i}`)) i++;
  rows.value.unshift({
    id: `own-${i}`,
    name: "New yardstick",
    metres: 1,
    spread: 0.01,
    along: null,
    source: "measured",
  });
}
async function keep(): Promise<void> {
  try {
    await library.keepYardsticks(rows.value.map((r) => ({ ...r })));
    emit("close");
  } catch (error) {
    notices.fail(error);
  }
}
</script>

<template>
  <Dialog :visible="true" modal header="Yardsticks" :style="{ width: '860px' }" @update:visible="emit('close')">
    <div class="row" style="margin-bottom: 8px">
      <Button label="Add" size="small" @click="add" />
      <Button
        label="Bring back what was shipped"
        size="small"
        severity="secondary"
        @click="rows = FIRST_YARDSTICKS.map((y) => ({ ...y }))"
      />
      <Button label="Keep" size="small" class="end" data-test="keep-yardsticks" @click="keep" />
    </div>
    <div class="sheet">
      <span class="quiet">what</span><span class="quiet">size</span><span class="quiet">±</span
      ><span class="quiet">runs</span><span class="quiet">source</span><span></span>
      <template v-for="(y, i) in rows" :key="y.id">
        <TextField v-model="y.name" label="Name of the yardstick" />
        <LengthField v-model="y.metres" :unit="unit" label="Size of the yardstick" positive />
        <LengthField
          :model-value="y.spread"
          :unit="unit"
          label="Spread of the yardstick"
          @update:model-value="(v) => (y.spread = Math.max(0, v))"
        />
        <select v-model="y.along" class="pick" aria-label="Runs">
          <option :value="null">any way</option>
          <option value="z">upright</option>
          <option value="x">along X</option>
          <option value="y">along Y</option>
        </select>
        <TextField v-model="y.source" label="Source" />
        <button class="plain" :aria-label="`Delete ${y.name}`" @click="rows.splice(i, 1)">
          <i class="pi pi-times" />
        </button>
      </template>
    </div>
  </Dialog>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-columns: 1.4fr auto auto auto 1.4fr auto;
  gap: 3px 8px;
  align-items: center;
}
.sheet :deep(.field input) {
  width: 100%;
}
</style>
