<script setup lang="ts">
import Select from "primevue/select";
import SelectButton from "primevue/selectbutton";
import { computed } from "vue";
import type { Matte, Shape, ShapeName } from "#core/comp/mattes/index";
import { SHAPES, SHAPE_NAMES, WAYS, newMatte } from "#core/comp/mattes/index";
import { STAGE_LABELS, STAGE_NAMES } from "#core/comp/stages/index";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import ToolButton from "../../parts/ToolButton.vue";
import { swatch } from "../light/useLight.ts";
import { MATTE_LOOKS, useComp } from "../../stores/comp.ts";
import { useDesk } from "../../stores/desk.ts";

/** Mattes: what of the plate stands in front, or where a stage counts. */
const props = defineProps<{ shot: Shot }>();
const comp = useComp();
const desk = useDesk();
const mattes = computed(() => props.shot.comp.mattes);
const chosen = computed<Matte | null>(() => (comp.matte ? (mattes.value[comp.matte] ?? null) : null));
/** Stages that it holds to a place; what stands in front has a button that says so. */
const usedBy = (id: string) =>
  STAGE_NAMES.filter((name) => name !== "foreground" && props.shot.comp[name].matte === id)
    .map((name) => STAGE_LABELS[name].toLowerCase())
    .join(", ");

async function add(): Promise<void> {
  const id = freshId("matte", mattes.value);
  await comp.keep("New matte", (c) => void (c.mattes[id] = newMatte(`Matte ${Object.keys(c.mattes).length + 1}`)));
  comp.matte = id;
}
const change = (name: string, of: (m: Matte) => void) =>
  comp.keep(name, (c) => {
    const own = comp.matte && c.mattes[comp.matte];
    if (own) of(own);
  });
async function remove(id: string): Promise<void> {
  await comp.keep("Delete matte", (c) => {
    delete c.mattes[id];
    for (const name of STAGE_NAMES) if (c[name].matte === id) c[name].matte = null;
  });
  if (comp.matte === id) comp.matte = null;
}
/** The matte's share of the plate stands before everything rendered. */
const inFront = (id: string) =>
  comp.keep("Plate in front", (c) => {
    c.foreground.on = c.foreground.matte !== id || !c.foreground.on;
    c.foreground.matte = id;
  });
const addShape = (kind: ShapeName) => {
  // A colour is picked on the plate.
  if (kind === "colour") desk.choose("matte-colour");
  return change(`Add ${SHAPES[kind].label.toLowerCase()} to matte`, (m) =>
    m.shapes.push({ shape: SHAPES[kind].fresh(), way: "add", inverted: false }),
  );
};
const DIRECT: ShapeName[] = SHAPE_NAMES.filter((name) => name !== "curve" && name !== "brush");
const parts = computed(() => Object.values(props.shot.set).map((p) => ({ id: p.id, name: p.name || p.kind })));

function togglePart(i: number, id: string): void {
  void change("Parts of matte", (m) => {
    const { shape } = m.shapes[i];
    if (shape.kind !== "parts") return;
    shape.parts = shape.parts.includes(id) ? shape.parts.filter((p) => p !== id) : [...shape.parts, id];
  });
}
const dropColour = (i: number, j: number) =>
  change("Take colour out of matte", (m) => {
    const { shape } = m.shapes[i];
    if (shape.kind === "colour") shape.colours.splice(j, 1);
  });
const setNumber = (i: number, key: string, value: number) =>
  change("Change matte", (m) => void ((m.shapes[i].shape as unknown as Record<string, number>)[key] = value));
const NUMBERS: Partial<Record<ShapeName, { key: string; label: string; max: number; unit?: string }[]>> = {
  brush: [
    { key: "radius", label: "radius", max: 2000, unit: "px" },
    { key: "edge", label: "keeps within", max: 255 },
    { key: "stop", label: "stops at edges of", max: 255 },
  ],
  depth: [
    { key: "near", label: "from", max: 10000, unit: "m" },
    { key: "far", label: "to", max: 10000, unit: "m" },
    { key: "soft", label: "soft", max: 1000, unit: "m" },
  ],
  colour: [
    { key: "within", label: "within", max: 200 },
    { key: "soft", label: "soft", max: 200 },
  ],
  luminance: [
    { key: "low", label: "from", max: 1 },
    { key: "high", label: "to", max: 1 },
    { key: "soft", label: "soft", max: 1 },
  ],
};
const numberOf = (shape: Shape, key: string) => (shape as unknown as Record<string, number>)[key];
const most = (points: { feather: number }[]) => Math.max(...points.map(({ feather }) => feather));
const featherAll = (i: number, feather: number) =>
  change("Feather of matte", (m) => {
    const { shape } = m.shapes[i];
    if (shape.kind === "curve") for (const p of shape.points) p.feather = feather;
  });
</script>

<template>
  <section class="card" style="flex: 0.9">
    <h3>Mattes <button class="act end" data-test="new-matte" @click="add">New</button></h3>
    <div class="list">
      <div v-for="(m, id) in mattes" :key="id" :class="{ on: comp.matte === id }">
        <button class="plain" :data-test="`matte-${id}`" @click="comp.matte = comp.matte === id ? null : String(id)">
          {{ m.name }}
        </button>
        <span class="quiet">{{ usedBy(String(id)) }}</span>
        <button
          class="plain end"
          :class="{ lit: shot.comp.foreground.on && shot.comp.foreground.matte === id }"
          title="The plate's share of it stands before everything rendered"
          data-test="in-front"
          @click="inFront(String(id))"
        >
          in front
        </button>
        <button class="plain" :aria-label="`Delete ${m.name}`" @click="remove(String(id))">
          <i class="pi pi-trash" />
        </button>
      </div>
    </div>
    <p v-if="Object.keys(mattes).length === 0" class="quiet">
      For a bollard, a rope or a post that stands before the prop, and to hold a stage to a place.
    </p>
    <SelectButton v-else v-model="comp.matteLook" :options="[...MATTE_LOOKS]" :allow-empty="false" size="small" />
  </section>
  <section v-if="chosen" class="card" style="flex: 2.2">
    <h3>
      <TextField
        :model-value="chosen.name"
        label="Name of the matte"
        @update:model-value="(n: string) => change('Name matte', (m) => void (m.name = n))"
      />
      <ToolButton tool="matte-curve" label="curve" shortcut="M" />
      <ToolButton tool="matte-brush" label="brush" shortcut="U" />
      <button v-for="k in DIRECT" :key="k" class="act" :data-test="`add-${k}`" @click="addShape(k)">
        {{ SHAPES[k].label.toLowerCase() }}
      </button>
    </h3>
    <div v-if="desk.tool === 'matte-brush'" class="row">
      <span class="quiet">radius</span>
      <NumberField
        v-model="desk.brush.radius"
        label="Radius of the brush"
        unit="px"
        :digits="0"
        :min="1"
        :max="2000"
        narrow
      />
      <span class="quiet">hard</span>
      <NumberField v-model="desk.brush.hardness" label="Hardness of the brush" :min="0" :max="1" narrow />
      <span class="quiet">keeps to colours within</span>
      <NumberField
        v-model="desk.brush.edge"
        label="Edge of the brush, code values"
        :digits="0"
        :min="0"
        :max="255"
        narrow
      />
      <span class="quiet">stops at edges of</span>
      <NumberField
        v-model="desk.brush.stop"
        label="Steepness of the plate that stops the brush, code values; 0 crosses every edge"
        :digits="0"
        :min="0"
        :max="255"
        narrow
      />
      <label class="row"><input v-model="desk.brush.erase" type="checkbox" /> erases</label>
    </div>
    <div class="list shapes">
      <div v-for="({ shape, way, inverted }, i) in chosen.shapes" :key="i">
        <Select
          :model-value="way"
          :options="[...WAYS]"
          size="small"
          aria-label="How it is put to those before"
          @update:model-value="
            (w: Matte['shapes'][number]['way']) => change('Way of shape', (m) => void (m.shapes[i].way = w))
          "
        />
        <span>{{ SHAPES[shape.kind].label.toLowerCase() }}</span>
        <template v-if="shape.kind === 'curve'">
          <span class="quiet">feather</span>
          <NumberField
            :model-value="shape.points[0]?.feather ?? 0"
            label="Feather of all points"
            unit="px"
            :digits="1"
            :min="0"
            :max="1000"
            narrow
            @update:model-value="(v) => featherAll(i, v)"
          />
          <span v-if="most(shape.points) > shape.points[0].feather" class="quiet"
            >and up to {{ most(shape.points) }} px</span
          >
          <label class="row"
            ><input
              type="checkbox"
              :checked="shape.round"
              @change="
                change(
                  'Round matte',
                  (m) => void (m.shapes[i].shape.kind === 'curve' && (m.shapes[i].shape.round = !shape.round)),
                )
              "
            />
            round</label
          >
        </template>
        <template v-if="shape.kind === 'parts'">
          <button
            v-for="p in parts"
            :key="p.id"
            class="plain"
            :class="{ lit: shape.parts.includes(p.id) }"
            :aria-pressed="shape.parts.includes(p.id)"
            @click="togglePart(i, p.id)"
          >
            {{ p.name }}
          </button>
        </template>
        <ToolButton v-if="shape.kind === 'colour'" tool="matte-colour" label="pick" />
        <template v-if="shape.kind === 'colour'">
          <button
            v-for="(c, j) in shape.colours"
            :key="j"
            class="plain pot"
            :style="{ background: swatch(c, 1) }"
            title="Take this colour out of the matte"
            :aria-label="`Take colour ${j + 1} out`"
            @click="dropColour(i, j)"
          />
          <span v-if="shape.colours.length === 0" class="quiet">none yet</span>
        </template>
        <template v-for="n in NUMBERS[shape.kind] ?? []" :key="n.key">
          <span class="quiet">{{ n.label }}</span>
          <NumberField
            :model-value="numberOf(shape, n.key)"
            :label="n.label"
            :unit="n.unit"
            :min="0"
            :max="n.max"
            narrow
            @update:model-value="(v) => setNumber(i, n.key, v)"
          />
        </template>
        <label class="row end"
          ><input
            type="checkbox"
            :checked="inverted"
            @change="change('Invert shape', (m) => void (m.shapes[i].inverted = !inverted))"
          />
          outside</label
        >
        <button
          class="plain"
          aria-label="Delete shape"
          @click="change('Delete shape', (m) => void m.shapes.splice(i, 1))"
        >
          <i class="pi pi-trash" />
        </button>
      </div>
    </div>
    <div class="row">
      <span class="quiet">grow</span>
      <NumberField
        :model-value="chosen.grow"
        label="Grow"
        unit="px"
        :digits="1"
        :min="-100"
        :max="100"
        narrow
        @update:model-value="(v) => change('Grow matte', (m) => void (m.grow = v))"
      />
      <span class="quiet">blur</span>
      <NumberField
        :model-value="chosen.blur"
        label="Blur of the matte"
        unit="px"
        :digits="1"
        :min="0"
        :max="60"
        narrow
        @update:model-value="(v) => change('Blur matte', (m) => void (m.blur = v))"
      />
      <label class="row"
        ><input
          type="checkbox"
          :checked="chosen.inverted"
          @change="change('Invert matte', (m) => void (m.inverted = !m.inverted))"
        />
        inverted</label
      >
    </div>
  </section>
</template>

<style scoped>
.pot {
  width: 16px;
  height: 16px;
  border: 1px solid var(--line);
}
.lit {
  color: var(--accent);
}
.shapes > div {
  flex-wrap: wrap;
}
.on {
  background: #ffffff0d;
}
</style>
