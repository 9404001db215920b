<script setup lang="ts">
import Button from "primevue/button";
import InputText from "primevue/inputtext";
import { computed, onMounted, ref } from "vue";
import type { Camera } from "#core/optics/camera";
import type { KeptModel, KeptModelDetails } from "#core/props/library";
import { findModels, tagsOf } from "#core/props/library";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { useContact } from "../../desk/contact.ts";
import TextField from "../../parts/TextField.vue";
import { useLibrary } from "../../stores/library.ts";
import { useNotices } from "../../stores/notices.ts";
import ImportAsk from "./ImportAsk.vue";
import { filesOfPicker } from "./bringModel.ts";
import { useNewerFile } from "./newerFile.ts";
import { useProps } from "./useProps.ts";

/** Models kept for every shot: found by words, put in, described, replaced by newer files. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const library = useLibrary();
const notices = useNotices();
const { chosen, add, models, store } = useProps(props);
const { rest } = useContact();
const { reading, asked, replace, cancel } = useNewerFile();
const typed = ref("");
const picked = ref<string | null>(null);
const picker = ref<HTMLInputElement>();
const everywhere = ref(false);

onMounted(() => library.openModels().catch((error: unknown) => notices.fail(error)));

const found = computed(() => findModels(library.models, typed.value));
const kept = computed(() => found.value.find(({ hash }) => hash === picked.value) ?? null);
/** The chosen prop's file, where the library does not have it yet. */
const missing = computed(() => {
  const source = chosen.value?.source;
  if (source?.kind !== "model" || library.models.some(({ hash }) => hash === source.asset)) return null;
  return { hash: source.asset, fileName: source.fileName, name: chosen.value!.name, reading: source.reading };
});
const others = computed(() => kept.value?.usedIn.filter(({ id }) => id !== store.id) ?? []);
const isHere = computed(() =>
  Object.values(props.shot.props).some(({ source }) => source.kind === "model" && source.asset === picked.value),
);

const sizeOf = ({ size }: KeptModel) => size.map((m) => formatLength(m, props.shot.unit)).join(" × ");

async function putIn(model: KeptModel): Promise<void> {
  const { hash, fileName, reading: by, name } = model;
  const id = await add(name, { kind: "model", asset: hash, fileName, reading: by, skin: null }, model.size);
  await Promise.all([models.fetched(hash), rest(store.shot!, id, false, true)]);
}

function describe(changes: Partial<KeptModelDetails>): void {
  library.describeModel(kept.value!.hash, changes).catch((e: unknown) => notices.fail(e));
}

async function forget({ hash, name }: KeptModel): Promise<void> {
  try {
    await library.deleteModel(hash);
    picked.value = null;
    notices.say("good", `${name} is out of the library; shots that have it keep it.`);
  } catch (error) {
    notices.fail(error);
  }
}

async function newer(input: HTMLInputElement): Promise<void> {
  const { hash, name, reading: by } = kept.value!;
  const files = filesOfPicker(input.files ?? []);
  try {
    await replace({ asset: hash, name, reading: by }, files, everywhere.value);
  } catch (error) {
    notices.fail(error);
  } finally {
    input.value = "";
  }
}
function chooseNewer(all: boolean): void {
  everywhere.value = all;
  picker.value?.click();
}
</script>

<template>
  <section class="card" style="flex: 2">
    <h3>
      Library
      <InputText v-model="typed" class="search" placeholder="find by words" aria-label="Find models by words" />
      <button
        v-if="missing"
        class="act end"
        data-test="library-keep"
        title="Keep its file for other shots"
        @click="library.keepModel(missing)"
      >
        <i class="pi pi-plus" /> keep {{ missing.name }}
      </button>
    </h3>
    <div class="tiles">
      <button
        v-for="m in found"
        :key="m.hash"
        class="tile"
        :class="{ on: m.hash === picked }"
        :title="`${m.name}: ${sizeOf(m)}, ${m.triangles.toLocaleString('en')} triangles; double-click puts it in`"
        :data-test="`kept-${m.name}`"
        @click="picked = m.hash"
        @dblclick="putIn(m)"
      >
        <img :src="`/api/library/pictures/${m.picture}`" :alt="m.name" width="96" height="72" />
        <span>{{ m.name }}</span>
      </button>
      <span v-if="library.keeping > 0" class="tile quiet wait">taking its picture …</span>
    </div>
    <p v-if="library.models.length === 0 && library.keeping === 0" class="quiet">
      Models that are brought in are kept here for every shot.
    </p>
    <p v-else-if="found.length === 0" class="quiet">None of {{ library.models.length }} has these words.</p>
  </section>
  <section class="card" style="flex: 1.3">
    <template v-if="kept">
      <h3>
        {{ kept.name }}
        <span class="end quiet">{{ kept.triangles.toLocaleString("en") }} triangles, {{ sizeOf(kept) }}</span>
      </h3>
      <div class="about">
        <label
          >name
          <TextField :model-value="kept.name" label="Name" @update:model-value="(name) => name && describe({ name })"
        /></label>
        <label
          >tags
          <TextField
            :model-value="kept.tags.join(', ')"
            label="Tags, with commas between them"
            placeholder="boat, wood"
            @update:model-value="(t) => describe({ tags: tagsOf(t) })"
        /></label>
        <label
          >licence
          <TextField
            :model-value="kept.licence"
            label="Licence"
            placeholder="not said"
            @update:model-value="(licence) => describe({ licence })"
        /></label>
        <label
          >source
          <TextField
            :model-value="kept.source"
            label="Who made it, and where it is from"
            placeholder="not said"
            @update:model-value="(source) => describe({ source })"
        /></label>
      </div>
      <div class="row">
        <Button label="Put in" icon="pi pi-download" size="small" data-test="library-put" @click="putIn(kept)" />
        <button
          class="act"
          :disabled="reading || !isHere"
          title="A newer file in its place in this shot; differences are told"
          data-test="newer-here"
          @click="chooseNewer(false)"
        >
          <i class="pi pi-sync" /> newer, here
        </button>
        <button
          class="act"
          :disabled="reading"
          title="A newer file in its place in every shot and in the library; each shot can undo it"
          data-test="newer-all"
          @click="chooseNewer(true)"
        >
          <i class="pi pi-sync" /> newer, everywhere
        </button>
        <button v-if="reading" class="plain" @click="cancel">cancel</button>
        <button class="plain end" :aria-label="`Take ${kept.name} out of the library`" @click="forget(kept)">
          <i class="pi pi-trash" />
        </button>
        <input
          ref="picker"
          type="file"
          multiple
          hidden
          data-test="library-newer"
          @change="newer($event.target as HTMLInputElement)"
        />
      </div>
      <p class="quiet">
        {{ kept.fileName }}<template v-if="kept.materials > 1">, {{ kept.materials }} materials</template>;
        {{
          others.length === 0
            ? isHere
              ? "in this shot only"
              : "in no shot"
            : `in ${isHere ? "this shot and " : ""}${others.map(({ name }) => name).join(", ")}`
        }}
      </p>
    </template>
    <p v-else class="quiet">Click a model for what is known of it; a double click puts it into the shot.</p>
  </section>
  <ImportAsk v-if="asked" :asked="asked" :unit="shot.unit" />
</template>

<style scoped>
.search {
  padding: 2px 8px;
  width: 150px;
  margin-left: 10px;
}
.tiles {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  overflow-y: auto;
  min-height: 0;
}
.tile {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 2px;
  width: 102px;
  padding: 3px;
  background: none;
  border: 0;
  border-bottom: 2px solid transparent;
  color: var(--ink);
  font: inherit;
  font-size: 11.5px;
  text-align: left;
  cursor: pointer;
}
.tile span {
  max-width: 96px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.tile.on {
  border-bottom-color: var(--accent);
  background: #454342;
}
.wait {
  justify-content: center;
  white-space: normal;
}
.about {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 10px;
  margin-bottom: 6px;
}
.about label {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  color: var(--quiet);
  font-size: 12px;
}
</style>
