<script setup lang="ts">
import Textarea from "primevue/textarea";
import { useDropZone } from "@vueuse/core";
import { computed, ref, useTemplateRef } from "vue";
import { focalFromFigure, sensorFromCrop } from "#core/optics/lens";
import { shotFrame } from "#core/plate/schema";
import type { NoteKind, NoteValue } from "#core/notes/schema";
import type { Shot } from "#core/shot/schema";
import { NOTE_KINDS } from "#core/notes/schema";
import { api } from "../../api.ts";
import { freshId } from "../../desk/ids.ts";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import TextField from "../../parts/TextField.vue";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const notices = useNotices();
const shown = ref<string | null>(null);
const shelf = useTemplateRef<HTMLElement>("shelf");
const { isOverDropZone: over } = useDropZone(shelf, { onDrop: (files) => void addPictures(files) });

const notes = computed(() => props.shot.notes);
const WORDS: Record<NoteKind, string> = {
  height: "camera height",
  lens: "lens, mm",
  width: "measured size",
  time: "time of day",
  white: "white balance, K",
  other: "other",
};
/** Standard deviation that a remembered value is taken to have where none was noted. */
const DEFAULT_SHARE: Partial<Record<NoteKind, number>> = { height: 0.05, lens: 0.035, width: 0.01 };
const add = (kind: NoteKind) =>
  store.commit(`Note ${WORDS[kind]}`, (d) => {
    const id = freshId("note", d.notes.values);
    const value = {
      height: 1.5,
      lens: d.plates.main.exif.focalMm ?? 35,
      width: 1,
      time: null,
      white: 5500,
      other: null,
    }[kind];
    const share = DEFAULT_SHARE[kind];
    d.notes.values[id] = {
      id,
      kind,
      label: "",
      value,
      sigma: share && value ? Number((value * share).toFixed(3)) : null,
    };
  });
const change = (id: string, make: (n: NoteValue) => void) =>
  store.commit("Change note", (d) => make(d.notes.values[id] as NoteValue));

const USES: Partial<Record<NoteKind, string>> = {
  height: "as camera height",
  lens: "as focal length",
  width: "mark it",
};
async function use(n: NoteValue): Promise<void> {
  if (n.value === null || !(n.value > 0)) {
    notices.say("warn", "This note has no value yet.");
    return;
  }
  const { value } = n;
  const sigma = n.sigma ?? value * (DEFAULT_SHARE[n.kind] ?? 0.05);
  if (n.kind === "height") {
    await store.commit("Camera height from notes", (d) => (d.cameraHeight = { metres: value, sigmaMetres: sigma }));
  } else if (n.kind === "width") {
    desk.drawer = "scale";
    desk.choose("length");
    desk.preset = { name: n.label || "From the notes", metres: value, sigmaMetres: sigma, along: null };
    notices.say("good", `${n.label || "Measured size"}: click its two ends on the plate.`);
  } else if (n.kind === "lens") {
    const frame = props.shot.lens.crop ?? shotFrame(props.shot);
    const { focalMm, equivalentMm } = props.shot.plates.main.exif;
    const sensor =
      props.shot.lens.sensorMm ?? (focalMm && equivalentMm ? sensorFromCrop(equivalentMm / focalMm, frame) : null);
    const focalPx = focalFromFigure("mm", value, frame, sensor);
    if (focalPx === null) {
      notices.say("warn", "Millimetres need the sensor's size.", "Give it in the drawer “Lens”, then use the note.");
      return;
    }
    await store.commit("Focal length from notes", (d) => {
      d.lens.focal = "tolerant";
      d.lens.focalPx = focalPx;
      d.lens.tolerance = Math.min(1, Math.max(1e-4, sigma / value));
      d.lens.source = `shoot notes: ${value} mm`;
      d.lens.sensorMm = sensor;
    });
  }
}

async function addPictures(files: Iterable<File> | null): Promise<void> {
  const check = store.stays();
  for (const file of files ?? []) {
    try {
      const { hash, name } = await api.addPicture(file);
      check();
      await store.commit("Add reference picture", (d) => {
        const id = freshId("picture", d.notes.pictures);
        d.notes.pictures[id] = { id, asset: hash, name };
      });
    } catch (error) {
      notices.fail(error);
    }
  }
}
</script>

<template>
  <section class="card" style="flex: 0.9">
    <h3>Shoot notes</h3>
    <Textarea
      :model-value="notes.text"
      aria-label="Shoot notes"
      class="text"
      placeholder="What was noted on the day: lens, height, weather, who stood where."
      @change="store.commit('Write notes', (d) => (d.notes.text = ($event.target as HTMLTextAreaElement).value))"
    />
  </section>
  <section class="card" style="flex: 1.3" data-test="note-values">
    <h3>
      Remembered values
      <span class="row end">
        <button v-for="k in NOTE_KINDS" :key="k" class="act" :data-test="`note-${k}`" @click="add(k)">
          + {{ WORDS[k] }}
        </button>
      </span>
    </h3>
    <div class="list">
      <div v-for="n in Object.values(notes.values)" :key="n.id">
        <span class="kind">{{ WORDS[n.kind] }}</span>
        <TextField
          :model-value="n.label"
          label="What it is"
          placeholder="what, where"
          @update:model-value="(t) => change(n.id, (v) => (v.label = t))"
        />
        <template v-if="n.kind === 'height' || n.kind === 'width'">
          <LengthField
            :model-value="n.value ?? 0"
            :unit="shot.unit"
            label="Noted length"
            @update:model-value="(m) => change(n.id, (v) => (v.value = m))"
          />
          ±
          <LengthField
            :model-value="n.sigma ?? 0"
            :unit="shot.unit"
            label="Tolerance of the note"
            @update:model-value="(m) => change(n.id, (v) => (v.sigma = Math.max(0, m)))"
          />
        </template>
        <template v-else-if="n.kind === 'lens' || n.kind === 'white'">
          <NumberField
            :model-value="n.value ?? 0"
            label="Noted value"
            :digits="1"
            @update:model-value="(m) => change(n.id, (v) => (v.value = m))"
          />
          <template v-if="n.kind === 'lens'">
            ±
            <NumberField
              :model-value="n.sigma ?? 0"
              label="Tolerance of the note"
              narrow
              :min="0"
              @update:model-value="(m) => change(n.id, (v) => (v.sigma = m))"
            />
          </template>
        </template>
        <button v-if="USES[n.kind]" class="act end" :data-test="`use-${n.kind}`" @click="use(n)">
          {{ USES[n.kind] }}
        </button>
        <button
          class="plain"
          :class="{ end: !USES[n.kind] }"
          aria-label="Delete note"
          @click="store.commit('Delete note', (d) => void delete d.notes.values[n.id])"
        >
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="Object.keys(notes.values).length === 0" class="quiet">
      What is remembered goes in as tolerant evidence with one click: it helps, and the marks can outvote it.
    </p>
  </section>
  <section ref="shelf" class="card" :class="{ over }" style="flex: 1" data-drop="pictures">
    <h3>
      Reference pictures
      <label class="act-label end"
        >add
        <input
          type="file"
          accept="image/*"
          multiple
          hidden
          data-test="add-picture"
          @change="addPictures(($event.target as HTMLInputElement).files)"
      /></label>
    </h3>
    <div class="pictures">
      <div v-for="p in Object.values(notes.pictures)" :key="p.id" class="picture">
        <img :src="`/api/pictures/${p.asset}`" :alt="p.name" :title="p.name" @click="shown = p.asset" />
        <button
          class="plain"
          :aria-label="`Delete ${p.name}`"
          @click="store.commit('Delete reference picture', (d) => void delete d.notes.pictures[p.id])"
        >
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="Object.keys(notes.pictures).length === 0" class="quiet">
      Drop pictures from the shoot here: the set-up, the other side, a tape on the wall.
    </p>
  </section>
  <Teleport to="body">
    <div v-if="shown" class="large" @click="shown = null">
      <img :src="`/api/pictures/${shown}`" alt="Reference picture" />
    </div>
  </Teleport>
</template>

<style scoped>
.text {
  width: 100%;
  height: calc(100% - 26px);
  resize: none;
  font-size: 12.5px;
  padding: 4px 6px;
}
.kind {
  min-width: 96px;
  color: var(--quiet);
}
.pictures {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(84px, 1fr));
  gap: 6px;
}
.picture {
  position: relative;
}
.picture img {
  width: 100%;
  display: block;
  cursor: zoom-in;
}
.picture button {
  position: absolute;
  right: 0;
  top: 0;
  background: #000a;
}
.over {
  outline: 2px solid var(--accent);
}
.act-label {
  cursor: pointer;
  border: 1px solid var(--line);
  padding: 0 7px;
  background: #3d3b3a;
  font-weight: 400;
}
.large {
  position: fixed;
  inset: 0;
  background: #1f1e1ee8;
  display: grid;
  place-items: center;
  z-index: 90;
  cursor: zoom-out;
}
.large img {
  max-width: 96vw;
  max-height: 96vh;
}
.adds {
  gap: 3px;
  margin-bottom: 4px;
}
</style>
