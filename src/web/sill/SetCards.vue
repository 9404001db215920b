<script setup lang="ts">
import { computed } from "vue";
import SelectButton from "primevue/selectbutton";
import InputText from "primevue/inputtext";
import { crossesItself, groundMeasures, wallCorners } from "#core/set/surfaces";
import type { Shot } from "#core/shot/schema";
import type { Surface } from "#core/set/schema";
import { formatArea, formatLength } from "#core/units/length";
import { distance } from "#core/math/vec3";
import { deletion } from "../desk/marks.ts";
import LengthField from "../parts/LengthField.vue";
import ToolButton from "../parts/ToolButton.vue";
import { useDesk } from "../stores/desk.ts";
import { useShot } from "../stores/shot.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();

const surfaces = computed(() => Object.values(props.shot.set));
const chosen = computed<Surface | null>(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const ROLES = [
  { label: "catcher", value: "catcher" },
  { label: "blocker", value: "blocker" },
];
const hasGround = computed(() => surfaces.value.some((s) => s.kind === "ground"));

function measure(s: Surface): string {
  const { unit } = props.shot;
  if (s.kind === "ground")
    return `${formatArea(groundMeasures(s).area, unit)}${s.height > 0 ? `, ${formatLength(s.height, unit)} high` : ""}`;
  if (s.kind === "post") return `⌀ ${formatLength(s.radius * 2, unit)}, ${formatLength(s.height, unit)} high`;
  const corners = wallCorners(props.shot.set, s);
  return corners
    ? `${formatLength(distance(corners[0], corners[1]), unit)} × ${formatLength(s.height, unit)}`
    : "its ground is gone";
}
const crossed = (s: Surface) => s.kind === "ground" && crossesItself(s.vertices.map((v) => v.world));

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}
const setRole = (id: string, role: "catcher" | "blocker") =>
  role && store.commit(`Make ${role}`, (d) => (d.set[id].role = role));
const setHeight = (id: string, metres: number) => store.commit("Type height", (d) => (d.set[id].height = metres));
const typeCorner = (id: string, i: number, k: 0 | 1, metres: number) =>
  store.commit("Type corner", (d) => {
    const s = d.set[id];
    if (s.kind !== "ground") return;
    s.vertices[i].world[k] = metres;
    s.vertices[i].pixel = null;
  });
</script>

<template>
  <section class="card" style="flex: 0.8">
    <h3>Draw</h3>
    <div class="row">
      <ToolButton tool="ground" label="ground" shortcut="G" />
      <ToolButton tool="wall" label="wall on a side" shortcut="A" :disabled="!hasGround" />
      <ToolButton tool="post" label="post" shortcut="T" />
    </div>
    <p class="quiet" style="margin: 8px 0 0">
      A catcher shows the plate and takes shadow, bounce and reflection. A blocker hides what is behind it and casts the
      shadow the plate already has.
    </p>
    <button class="plain" @click="desk.outside = !desk.outside">
      <i class="pi pi-compass" /> {{ desk.outside ? "Back through the camera" : "Look from outside" }} <kbd>C</kbd>
    </button>
  </section>
  <section class="card" style="flex: 0.9">
    <h3>Set</h3>
    <div class="list">
      <div v-for="s in surfaces" :key="s.id" :class="{ on: desk.selected === s.id }" @click="desk.selected = s.id">
        {{ s.name }} <span class="quiet">{{ s.role }}</span>
        <span v-if="crossed(s)" style="color: var(--warn)">its sides cross</span>
        <span class="num end">{{ measure(s) }}</span>
        <button class="plain" :aria-label="`Delete ${s.name}`" @click.stop="remove(s.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="surfaces.length === 0" class="quiet">Nothing yet. Start with the ground that the prop will stand on.</p>
  </section>
  <section v-if="chosen" class="card" style="flex: 1.5">
    <h3>{{ chosen.name }}</h3>
    <div class="row">
      <InputText
        :model-value="chosen.name"
        style="width: 130px"
        aria-label="Name"
        @change="
          store.commit(
            'Rename',
            (d) => (d.set[chosen!.id].name = ($event.target as HTMLInputElement).value || chosen!.name),
          )
        "
      />
      <SelectButton
        :model-value="chosen.role"
        :options="ROLES"
        option-label="label"
        option-value="value"
        size="small"
        @update:model-value="(r) => setRole(chosen!.id, r)"
      />
      <span class="quiet">{{ chosen.kind === "ground" ? "raised to a block" : "height" }}</span>
      <LengthField
        :model-value="chosen.height"
        :unit="shot.unit"
        label="Height"
        :positive="chosen.kind !== 'ground'"
        @update:model-value="(m) => m >= 0 && setHeight(chosen!.id, m)"
      />
      <template v-if="chosen.kind === 'post'">
        <span class="quiet">radius</span>
        <LengthField
          :model-value="chosen.radius"
          :unit="shot.unit"
          label="Radius"
          positive
          @update:model-value="
            (m) =>
              store.commit('Type radius', (d) => {
                const s = d.set[chosen!.id];
                if (s.kind === 'post') s.radius = m;
              })
          "
        />
      </template>
    </div>
    <div v-if="chosen.kind === 'ground'" class="corners">
      <template v-for="(v, i) in chosen.vertices" :key="i">
        <span class="quiet">{{ i + 1 }}</span>
        <LengthField
          :model-value="v.world[0]"
          :unit="shot.unit"
          :label="`Corner ${i + 1} x`"
          @update:model-value="(m) => typeCorner(chosen!.id, i, 0, m)"
        />
        <LengthField
          :model-value="v.world[1]"
          :unit="shot.unit"
          :label="`Corner ${i + 1} y`"
          @update:model-value="(m) => typeCorner(chosen!.id, i, 1, m)"
        />
        <span class="num quiet"
          >{{ formatLength(groundMeasures(chosen).sides[i], shot.unit) }} {{ v.pixel ? "" : "typed" }}</span
        >
      </template>
    </div>
  </section>
</template>

<style scoped>
.corners {
  display: grid;
  grid-template-columns: repeat(2, auto auto auto 1fr);
  max-width: 560px;
  gap: 2px 5px;
  align-items: center;
  margin-top: 6px;
}
</style>
