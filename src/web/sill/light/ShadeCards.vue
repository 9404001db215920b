<script setup lang="ts">
import type { Vec3 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import { deletion } from "../../desk/deletion.ts";
import NumberField from "../../parts/NumberField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { useDesk } from "../../stores/desk.ts";
import { useLight } from "./useLight.ts";

/** Shade that the plate already has, and the last trim of shadows and props. */
const props = defineProps<{ shot: Shot }>();
const { light, set, store } = useLight(props);
const desk = useDesk();

async function removeShade(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (gone) await store.commit(gone.name, gone.change);
}
const tintOf = (k: number, v: number) =>
  set("Change tint", (l) => (l.tint = l.tint.map((x, i) => (i === k ? v : x)) as Vec3));
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>Shade the plate already has</h3>
    <div class="row"><ToolButton tool="shadow" label="mark a shaded region" shortcut="H" /></div>
    <div class="list" style="margin-top: 5px">
      <div
        v-for="r in Object.values(light.shadows)"
        :key="r.id"
        :class="{ on: desk.selected === r.id }"
        @click="desk.selected = r.id"
      >
        <div class="shade">
          <span class="name"
            >{{ r.id }}
            <button class="plain" :aria-label="`Delete ${r.id}`" @click.stop="removeShade(r.id)">
              <i class="pi pi-times" /></button
          ></span>
          <span class="quiet">soft over</span>
          <NumberField
            :model-value="r.feather"
            label="Soft border"
            unit="px"
            :min="0"
            :max="400"
            @update:model-value="(v) => set('Soften shade', (l) => (l.shadows[r.id].feather = v))"
          />
          <span
            class="quiet"
            title="What casts the shade hides sky, too: all of it behind a house, less behind what lets light through, as a tree. Its shape is read from the shade."
            >hides sky</span
          >
          <NumberField
            :model-value="r.hidesSky * 100"
            label="Hides sky"
            unit="%"
            :min="0"
            :max="100"
            @update:model-value="(v) => set('Change hidden sky', (l) => (l.shadows[r.id].hidesSky = v / 100))"
          />
        </div>
      </div>
    </div>
    <p v-if="Object.keys(light.shadows).length === 0" class="quiet">Not needed where a blocker in the set casts it.</p>
  </section>
  <section class="card" style="flex: 1.1">
    <h3>Trim</h3>
    <div class="facts">
      <span>Shadow density</span
      ><span
        ><NumberField
          :model-value="light.density"
          label="Shadow density"
          :min="0"
          :max="4"
          @update:model-value="(v) => set('Change density', (l) => (l.density = v))"
      /></span>
      <span>Shadow tint</span>
      <span class="row"
        ><NumberField
          v-for="(c, k) in light.tint"
          :key="k"
          :model-value="c"
          :label="`Tint ${'RGB'[k]}`"
          narrow
          :min="0.05"
          :max="4"
          @update:model-value="(v) => tintOf(k, v)"
      /></span>
      <span>Prop level</span
      ><span
        ><NumberField
          :model-value="light.propLevel"
          label="Prop level"
          :min="0.05"
          :max="10"
          @update:model-value="(v) => set('Change prop level', (l) => (l.propLevel = v))"
      /></span>
    </div>
  </section>
</template>

<style scoped>
.shade {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 10px;
  align-items: center;
  width: 100%;
}
.shade .name {
  grid-column: 1 / -1;
  display: flex;
  justify-content: space-between;
}
</style>
