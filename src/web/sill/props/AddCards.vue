<script setup lang="ts">
import Button from "primevue/button";
import { ref } from "vue";
import type { Camera } from "#core/optics/camera";
import { sizeDifferences } from "#core/props/differences";
import { modelBounds } from "#core/props/model";
import type { Vec3 } from "#core/math/vec3";
import { singleModelOf } from "#core/props/placed";
import { readSize } from "#core/props/reading";
import type { Prop } from "#core/props/schema";
import { plainReading } from "#core/props/schema";
import { bareSkin } from "#core/props/skin";
import type { ShapeName } from "#core/props/shapes/index";
import { SHAPES, SHAPE_NAMES } from "#core/props/shapes/index";
import type { TextShape } from "#core/props/shapes/text";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { api } from "../../api.ts";
import { useNotices } from "../../stores/notices.ts";
import ImportAsk from "./ImportAsk.vue";
import type { DroppedFile } from "./bringModel.ts";
import { modelsAmong } from "./modelsAmong.ts";
import { filesOfPicker, useBringModel } from "./bringModel.ts";
import { isFont } from "#core/props/shapes/fontFile";
import { FIRST_FONT, useFonts } from "../../stores/fonts.ts";
import { letteringOf, useLettering } from "./useLettering.ts";
import { useContact } from "../../desk/contact.ts";
import { nextTask } from "../../desk/nextTask.ts";
import { useLibrary } from "../../stores/library.ts";
import { useNewerFile } from "./newerFile.ts";
import { useProps } from "./useProps.ts";

/** Bringing models in, and making shapes, lettering and things to judge light and size by. */
const props = defineProps<{ shot: Shot; camera: Camera | null }>();
const notices = useNotices();
const { desk, chosen, store, add, models } = useProps(props);
const { rest } = useContact();
const { reading, progress, asked, bring, cancel } = useBringModel();
const newerFile = useNewerFile();
const library = useLibrary();
const fonts = useFonts();
const letter = useLettering();
const picker = ref<HTMLInputElement>();
const folder = ref<HTMLInputElement>();
const newer = ref<HTMLInputElement>();

/** Models that are still to come in: each waits for the one before it, until all are called off. */
let last: Promise<void> = Promise.resolve();
let calledOff = 0;
function callOff(): void {
  calledOff++;
  cancel();
}
async function importFiles(files: readonly DroppedFile[]): Promise<void> {
  const check = store.stays();
  for (const input of [picker.value, folder.value]) if (input) input.value = "";
  const turn = calledOff;
  for (const group of await modelsAmong(files))
    last = last
      .then(() => (turn === calledOff ? importModel(group, check) : undefined))
      .catch((error: unknown) => notices.fail(error));
  await last;
}

async function importModel(files: readonly DroppedFile[], check: () => void): Promise<void> {
  const brought = await bring(files);
  if (!brought) return;
  check();
  const { asset } = brought;
  const source: Prop["source"] = {
    kind: "model",
    asset: asset.hash,
    fileName: asset.fileName,
    reading: brought.reading,
    skin: null,
  };
  const name = asset.fileName.replace(/\.[^.]*$/, "");
  const size = readSize(asset.size, brought.reading);
  const lengths = size.map((m) => formatLength(m, props.shot.unit)).join(" × ");
  const said = `${asset.fileName}: ${asset.triangles.toLocaleString("en")} triangles, ${lengths}.`;
  if (chosen.value?.source.kind === "standIn") await takeOver(source, name);
  else {
    await nextTask();
    const id = await add(name, source, size);
    await nextTask();
    // Contact reads the real meshes by itself.
    await Promise.all([models.fetched(asset.hash), rest(store.shot!, id, false, true)]);
  }
  notices.say("good", said);
  library.keepModel({ hash: asset.hash, fileName: asset.fileName, name, reading: brought.reading });
}

/** Keeps a font that was dropped; lettering that is chosen is set in it. */
async function takeFont(file: File): Promise<void> {
  const lettered = letteringOf(chosen.value) ? chosen.value : null;
  try {
    const font = await fonts.take(file);
    if (lettered) await letter(lettered, { font });
    else notices.say("good", `“${font}” is kept for lettering.`);
  } catch (error) {
    notices.fail(error);
  }
}

/** Files that were dropped on the plate: fonts, or a model in one file or several. */
async function drop(files: readonly DroppedFile[]): Promise<void> {
  const heads = await Promise.all(
    files.map(
      async ({ file }) =>
        new Uint8Array(
          await file
            .slice(0, 4)
            .arrayBuffer()
            .catch(() => new ArrayBuffer(0)),
        ),
    ),
  );
  if (heads.length > 0 && heads.every(isFont)) for (const { file } of files) await takeFont(file);
  else await importFiles(files);
}
defineExpose({ drop });

/** The model takes a stand-in's place, heading and base; differences in size are told. */
async function takeOver(source: Prop["source"], name: string): Promise<void> {
  const held = chosen.value!;
  if (held.source.kind !== "standIn" || source.kind !== "model") return;
  const check = store.stays();
  const wanted = held.source.size.map((s, k) => s * held.placement.scale[k]);
  // Where the stand-in's base was is where the model's is.
  const based: Prop["source"] = { ...source, reading: { ...source.reading, foot: "base" } };
  await models.fetched(source.asset);
  check();
  const model = singleModelOf({ ...held, source: based }, models.models);
  const { low, high } = model ? modelBounds(model) : { low: [0, 0, 0], high: wanted };
  const resting = Object.values(props.shot.props).filter(
    ({ stands }) => stands?.on === "prop" && stands.prop === held.id,
  );
  await store.commit(`Put ${name} in place of ${held.name}`, (d) => {
    d.props[held.id].source = based;
    d.props[held.id].name = name;
    d.props[held.id].placement.scale = [1, 1, 1];
    // What stood on it comes down on it from above.
    for (const { id } of resting)
      d.props[id].placement.position[2] += Math.max(0, high[2] - low[2] - wanted[2]) + 0.001;
  });
  if (model) {
    const words = sizeDifferences(
      high.map((x, k) => x - low[k]),
      wanted,
      0.02,
    );
    notices.say(
      words.length > 0 ? "warn" : "good",
      words.length > 0 ? `${name} is ${words.join(", ")} than its stand-in.` : `${name} has the size of its stand-in.`,
      words.length > 0 ? "Type a size in its place card, or keep it: it came in at its own." : undefined,
    );
  }
  await rest(store.shot!, held.id, false, true);
  for (const { id } of resting) await rest(store.shot!, id, false, true);
}

/** A newer file takes an older one's place in this shot, for the chosen prop and all others of the same file. */
async function replaceFile(input: HTMLInputElement): Promise<void> {
  const { source, name } = chosen.value!;
  if (source.kind !== "model") return;
  try {
    await newerFile.replace(
      { asset: source.asset, name, reading: source.reading },
      filesOfPicker(input.files ?? []),
      false,
    );
  } catch (error) {
    notices.fail(error);
  } finally {
    input.value = "";
  }
}

const GREY: Pick<Extract<Prop["source"], { kind: "shape" }>, "colour" | "roughness" | "metallic"> = {
  colour: [0.5, 0.5, 0.5],
  roughness: 0.5,
  metallic: 0,
};

async function addShape(name: ShapeName): Promise<void> {
  const shape = SHAPES[name].start();
  if (shape.kind === "text") {
    const lettered: TextShape = { ...shape, font: FIRST_FONT };
    const outline = await fonts.outlineOf(lettered);
    await settled(SHAPES.text.title, { kind: "shape", shape: { ...lettered, outline: outline ?? "" }, ...GREY });
    return;
  }
  await settled(SHAPES[name].title, { kind: "shape", shape, ...GREY });
}

async function settled(name: string, source: Prop["source"], size?: Vec3): Promise<void> {
  const id = await add(name, source, size);
  await Promise.all([
    source.kind === "model" ? models.fetched(source.asset) : null,
    rest(store.shot!, id, false, true),
  ]);
}

async function addSkinned(): Promise<void> {
  const skin = bareSkin();
  const { glb } = await models.skinned(skin);
  const asset = await api.addModel(new File([glb as Uint8Array<ArrayBuffer>], "box.glb"));
  const reading = plainReading();
  await settled(
    "box of photographs",
    { kind: "model", asset: asset.hash, fileName: "box.glb", reading, skin },
    skin.size,
  );
  desk.propDrawer = "look";
}

/** Things to judge light and size by. A mirror of 0.98 and a grey of 18 % are what such balls are made to be. */
const REFERENCES: { name: string; icon: string; source: Prop["source"] }[] = [
  {
    name: "mirror ball",
    icon: "pi-circle-fill",
    source: {
      kind: "shape",
      shape: { kind: "sphere", size: [0.3, 0.3, 0.3] },
      colour: [0.98, 0.98, 0.98],
      roughness: 0,
      metallic: 1,
    },
  },
  {
    name: "mirror block",
    icon: "pi-stop",
    source: {
      kind: "shape",
      shape: { kind: "box", size: [0.3, 0.3, 0.3], bevel: 0.01 },
      colour: [0.98, 0.98, 0.98],
      roughness: 0,
      metallic: 1,
    },
  },
  {
    name: "grey ball",
    icon: "pi-circle",
    source: {
      kind: "shape",
      shape: { kind: "sphere", size: [0.3, 0.3, 0.3] },
      colour: [0.18, 0.18, 0.18],
      roughness: 1,
      metallic: 0,
    },
  },
  {
    name: "1 m cube",
    icon: "pi-box",
    source: { kind: "shape", shape: { kind: "box", size: [1, 1, 1], bevel: 0 }, ...GREY },
  },
  {
    name: "person",
    icon: "pi-user",
    source: { kind: "shape", shape: { kind: "person", height: 1.75 }, ...GREY },
  },
];
const MADE = SHAPE_NAMES.filter((name) => name !== "person");
</script>

<template>
  <section class="card" style="flex: 1">
    <h3>Bring in</h3>
    <div class="row">
      <Button
        :label="reading ? progress : 'Model'"
        icon="pi pi-upload"
        :disabled="reading"
        title="glTF, GLB, OBJ with MTL and pictures, STL, PLY, or a zip of them; several files together"
        @click="picker?.click()"
      />
      <Button label="Folder" severity="secondary" :disabled="reading" @click="folder?.click()" />
      <button
        v-if="chosen?.source.kind === 'model'"
        class="act"
        :disabled="reading"
        :title="`A newer file in place of ${chosen.source.fileName}, wherever this shot has it; differences are told`"
        @click="newer?.click()"
      >
        <i class="pi pi-sync" /> newer file
      </button>
      <input
        ref="newer"
        type="file"
        multiple
        hidden
        data-test="newer-file"
        @change="replaceFile($event.target as HTMLInputElement)"
      />
      <button v-if="reading" class="plain" data-test="import-cancel" @click="callOff">cancel</button>
      <input
        ref="picker"
        type="file"
        multiple
        hidden
        data-test="model-file"
        @change="importFiles(filesOfPicker(($event.target as HTMLInputElement).files ?? []))"
      />
      <input
        ref="folder"
        type="file"
        webkitdirectory
        hidden
        data-test="model-folder"
        @change="importFiles(filesOfPicker(($event.target as HTMLInputElement).files ?? []))"
      />
    </div>
    <p class="quiet words">
      glTF, GLB, OBJ, STL, PLY, or a zip; dropped on the plate together, files find each other.
      <template v-if="chosen?.source.kind === 'standIn'">
        A model brought in now takes {{ chosen.name }}'s place.</template
      >
    </p>
    <div class="row tight">
      <button
        class="act"
        data-test="add-stand-in"
        title="A box that holds the place of a model to come"
        @click="settled('stand-in', { kind: 'standIn', size: [0.6, 0.4, 0.4] })"
      >
        <i class="pi pi-inbox" /> stand-in
      </button>
      <button class="act" data-test="add-skin" title="A box with a photograph on each side" @click="addSkinned">
        <i class="pi pi-images" /> box of photographs
      </button>
    </div>
  </section>
  <section class="card" style="flex: 1.1">
    <h3>Make</h3>
    <div class="row tight">
      <button v-for="name in MADE" :key="name" class="act" :data-test="`add-${name}`" @click="addShape(name)">
        <i class="pi" :class="SHAPES[name].icon" /> {{ SHAPES[name].title }}
      </button>
    </div>
    <h3 class="second">To judge light and size by</h3>
    <div class="row tight">
      <button
        v-for="r in REFERENCES"
        :key="r.name"
        class="act"
        :data-test="`add-${r.name.replace(/ /g, '-')}`"
        @click="settled(r.name, r.source)"
      >
        <i class="pi" :class="r.icon" /> {{ r.name }}
      </button>
    </div>
  </section>
  <ImportAsk v-if="asked" :asked="asked" :unit="shot.unit" />
  <ImportAsk v-if="newerFile.asked.value" :asked="newerFile.asked.value" :unit="shot.unit" />
</template>

<style scoped>
.words {
  margin: 4px 0;
}
.second {
  margin-top: 8px;
}
.tight {
  gap: 4px;
}
</style>
