<script setup lang="ts">
import Dialog from "primevue/dialog";
import Select from "primevue/select";
import { computed, ref } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Prop } from "#core/props/schema";
import type { BoxSide, PhotoSide, Skin, SkinChange, SkinSide } from "#core/props/skin";
import { BOX_SIDES, proportioned } from "#core/props/skin";
import type { Shot } from "#core/shot/schema";
import { api } from "../../api.ts";
import LengthField from "../../parts/LengthField.vue";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";
import { useSkins } from "../../stores/skins.ts";
import { canKeepFiles, openPng, savePng } from "../../parts/diskFile.ts";
import CutOut from "./CutOut.vue";

/** A box of photographs: one for each side, cut out by four corners that stay where they can be moved again. */
const props = defineProps<{ shot: Shot; prop: Prop; skin: Skin }>();
const skins = useSkins();
const models = useModels();
const notices = useNotices();
const side = ref<BoxSide>("front");
const photoPicker = ref<HTMLInputElement>();
const flatPicker = ref<HTMLInputElement>();
const busy = computed(() => skins.busy);
const followed = computed(() => skins.followed.get(props.prop.id)?.file.name);

/** As it will be: what is asked for is seen at once, and made after. */
const wanted = computed(() => skins.wanted(props.prop.id, props.skin));
const own = computed(() => wanted.value.sides[side.value]);
const photo = computed<PhotoSide | null>(() => (own.value?.from === "photo" ? own.value : null));
const large = ref(false);
const others = computed(() =>
  BOX_SIDES.filter((s) => s !== side.value).map((value) => ({ label: `as the ${value}`, value })),
);

const remake = (name: string, change: SkinChange, flat: Uint8Array | null = null) =>
  skins.remake(props.prop.id, name, change, flat);

/** Changes what a side shows. */
const put = (name: string, of: BoxSide, value: (old: SkinSide) => SkinSide) =>
  remake(name, (skin) => ({ ...skin, sides: { ...skin.sides, [of]: value(skin.sides[of]) } }));

async function take(files: FileList | null): Promise<void> {
  const file = files?.[0];
  const of = side.value;
  if (!file) return;
  try {
    const { hash, width, height } = await api.addPicture(file);
    const [x, y] = [width * 0.08, height * 0.08];
    const taken: PhotoSide = {
      from: "photo",
      picture: hash,
      name: file.name,
      width,
      height,
      corners: [
        [x, y],
        [width - x, y],
        [width - x, height - y],
        [x, height - y],
      ],
      turns: 0,
      flipped: false,
    };
    await put(`Take a photograph for the ${of}`, of, () => taken);
  } catch (error) {
    notices.fail(error);
  } finally {
    if (photoPicker.value) photoPicker.value.value = "";
  }
}

/** Saves the flat picture, and follows its file where the browser lets it: what is painted there comes by itself. */
async function saveFlat(): Promise<void> {
  const { png } = await models.skinned(wanted.value);
  const name = `${props.prop.name} flat.png`;
  if (canKeepFiles()) {
    try {
      const file = await savePng(name, png);
      if (file) await skins.follow(props.prop.id, file);
    } catch (error) {
      notices.fail(error);
    }
    return;
  }
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([png as Uint8Array<ArrayBuffer>], { type: "image/png" }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

async function readFlat(files: FileList | null): Promise<void> {
  const file = files?.[0];
  if (!file) return;
  const bytes = new Uint8Array(await file.arrayBuffer());
  if (flatPicker.value) flatPicker.value.value = "";
  await remake("Read the flat picture", (skin) => skin, bytes);
}

async function chooseFlat(): Promise<void> {
  if (!canKeepFiles()) {
    flatPicker.value?.click();
    return;
  }
  try {
    const file = await openPng();
    if (!file) return;
    const bytes = new Uint8Array(await (await file.getFile()).arrayBuffer());
    await remake("Read the flat picture", (skin) => skin, bytes);
    await skins.follow(props.prop.id, file);
  } catch (error) {
    notices.fail(error);
  }
}

const resize = (k: number, metres: number) =>
  remake("Size box", (skin) => ({ ...skin, size: skin.size.map((x, i) => (i === k ? metres : x)) as Vec3 }));
const turn = () => put("Turn photograph", side.value, (old) => old && { ...old, turns: (old.turns + 1) % 4 });
const flip = () => put("Flip photograph", side.value, (old) => old && { ...old, flipped: !old.flipped });
const cut = (corners: PhotoSide["corners"]) =>
  put("Move corner of a photograph", side.value, (old) => (old?.from === "photo" ? { ...old, corners } : old));
</script>

<template>
  <section class="card" style="flex: 1.5">
    <h3>
      Box of photographs
      <span class="row end">
        <LengthField
          v-for="(label, k) in ['width', 'depth', 'height']"
          :key="label"
          :model-value="wanted.size[k]"
          :unit="shot.unit"
          :label="`Box ${label}`"
          positive
          @update:model-value="(m) => resize(k, m)"
        />
        <button
          class="plain"
          title="Height and depth from what front, side and top show, at this width"
          data-test="skin-proportions"
          @click="remake('Take proportions', (old) => ({ ...old, size: proportioned(old) }))"
        >
          from the photographs
        </button>
      </span>
    </h3>
    <div class="row tight">
      <button
        v-for="s in BOX_SIDES"
        :key="s"
        class="act"
        :class="{ on: side === s }"
        :aria-pressed="side === s"
        :data-test="`skin-${s}`"
        @click="side = s"
      >
        {{ s }} <i v-if="wanted.sides[s]" class="pi pi-check" />
      </button>
    </div>
    <div class="body">
      <div class="view">
        <CutOut v-if="photo" :photo="photo" height="150px" @cut="cut" />
        <span v-else class="quiet">{{ own?.from === "side" ? `as the ${own.side}` : "no photograph yet" }}</span>
      </div>
      <div class="acts">
        <button class="act" data-test="skin-take" @click="photoPicker?.click()">
          <i class="pi pi-image" /> {{ busy ? "making …" : "photograph" }}
        </button>
        <button v-if="photo" class="act" title="Cut it out large" data-test="skin-large" @click="large = true">
          <i class="pi pi-arrow-up-right-and-arrow-down-left-from-center" /> large
        </button>
        <input
          ref="photoPicker"
          type="file"
          accept="image/jpeg,image/png,image/webp,image/tiff"
          hidden
          data-test="skin-photo"
          @change="take(($event.target as HTMLInputElement).files)"
        />
        <Select
          :model-value="own?.from === 'side' ? own.side : null"
          :options="others"
          option-label="label"
          option-value="value"
          placeholder="as another"
          size="small"
          aria-label="Uses another side's picture"
          data-test="skin-same"
          @update:model-value="
            (s) => put('Use another side', side, () => ({ from: 'side', side: s, turns: 0, flipped: false }))
          "
        />
        <template v-if="own">
          <button class="act" data-test="skin-turn" @click="turn">turn</button>
          <button class="act" data-test="skin-flip" @click="flip">flip</button>
        </template>
        <button class="act" title="All six sides laid flat, as PNG" data-test="skin-save" @click="saveFlat">
          save flat
        </button>
        <button class="act" title="The flat picture, painted over elsewhere" data-test="skin-read" @click="chooseFlat">
          read flat
        </button>
        <input
          ref="flatPicker"
          type="file"
          accept="image/png"
          hidden
          data-test="skin-flat"
          @change="readFlat(($event.target as HTMLInputElement).files)"
        />
        <p v-if="followed" class="quiet" data-test="skin-followed">
          Follows {{ followed }}
          <button class="plain" title="Its changes do not come in any more" @click="skins.forget(prop.id)">
            let go
          </button>
        </p>
      </div>
    </div>
    <Dialog
      v-if="photo"
      v-model:visible="large"
      modal
      :header="`${photo.name}: what the ${side} shows`"
      :draggable="false"
    >
      <CutOut :photo="photo" height="66vh" @cut="cut" />
    </Dialog>
  </section>
</template>

<style scoped>
.tight {
  gap: 4px;
}
.body {
  display: flex;
  gap: 8px;
  margin-top: 6px;
  align-items: flex-start;
}
.view {
  flex: 0 1 auto;
  min-width: 120px;
  min-height: 60px;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
