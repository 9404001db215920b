<script setup lang="ts">
import Select from "primevue/select";
import { computed, ref } from "vue";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Prop } from "#core/props/schema";
import type { BoxSide, PhotoSide, Skin, SkinSide } from "#core/props/skin";
import { BOX_SIDES, proportioned } from "#core/props/skin";
import type { Shot } from "#core/shot/schema";
import { api } from "../../api.ts";
import LengthField from "../../parts/LengthField.vue";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";
import { useSkins } from "../../stores/skins.ts";
import { canKeepFiles, openPng, savePng } from "../../parts/diskFile.ts";

/** A box of photographs: one for each side, cut out by four corners that stay where they can be moved again. */
const props = defineProps<{ shot: Shot; prop: Prop; skin: Skin }>();
const skins = useSkins();
const models = useModels();
const notices = useNotices();
const side = ref<BoxSide>("front");
const photoPicker = ref<HTMLInputElement>();
const flatPicker = ref<HTMLInputElement>();
const frame = ref<SVGSVGElement>();
const busy = computed(() => skins.busy);
const followed = computed(() => skins.followed.get(props.prop.id)?.file.name);

const own = computed(() => props.skin.sides[side.value]);
const photo = computed<PhotoSide | null>(() => (own.value?.from === "photo" ? own.value : null));
/** Corners while one is dragged. */
const dragged = ref<Vec2[] | null>(null);
const corners = computed<Vec2[]>(() => dragged.value ?? (photo.value?.corners as Vec2[] | undefined) ?? []);
const others = computed(() =>
  BOX_SIDES.filter((s) => s !== side.value).map((value) => ({ label: `as the ${value}`, value })),
);

const remake = (name: string, skin: Skin, flat: Uint8Array | null = null) =>
  skins.remake(props.prop.id, name, skin, flat).finally(() => (dragged.value = null));

const put = (name: string, value: SkinSide, size: Vec3 = props.skin.size) =>
  remake(name, { ...props.skin, size, sides: { ...props.skin.sides, [side.value]: value } });

async function take(files: FileList | null): Promise<void> {
  const file = files?.[0];
  if (!file) return;
  try {
    const { hash, width, height } = await api.addPicture(file);
    const [x, y] = [width * 0.08, height * 0.08];
    await put("Take a photograph", {
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
    });
  } catch (error) {
    notices.fail(error);
  } finally {
    if (photoPicker.value) photoPicker.value.value = "";
  }
}

const pixelAt = (e: PointerEvent): Vec2 => {
  const box = frame.value!.getBoundingClientRect();
  const { width, height } = photo.value!;
  const hold = (x: number, most: number) => Math.min(most, Math.max(0, x));
  return [
    hold(((e.clientX - box.left) / box.width) * width, width),
    hold(((e.clientY - box.top) / box.height) * height, height),
  ];
};

function grab(i: number, e: PointerEvent): void {
  (e.target as Element).setPointerCapture(e.pointerId);
  dragged.value = corners.value.map((c) => [...c] as Vec2);
  dragged.value[i] = pixelAt(e);
}
function move(i: number, e: PointerEvent): void {
  if (!dragged.value) return;
  const next = dragged.value.slice();
  next[i] = pixelAt(e);
  dragged.value = next;
}
function release(): void {
  if (!dragged.value || !photo.value) return;
  void put("Move corner of a photograph", { ...photo.value, corners: dragged.value as PhotoSide["corners"] });
}

/** Saves the flat picture, and follows its file where the browser lets it: what is painted there comes by itself. */
async function saveFlat(): Promise<void> {
  const { png } = await models.skinned(props.skin);
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
  await remake("Read the flat picture", props.skin, bytes);
}

async function chooseFlat(): Promise<void> {
  if (!canKeepFiles()) {
    flatPicker.value?.click();
    return;
  }
  try {
    const file = await openPng();
    if (!file) return;
    await remake("Read the flat picture", props.skin, new Uint8Array(await (await file.getFile()).arrayBuffer()));
    await skins.follow(props.prop.id, file);
  } catch (error) {
    notices.fail(error);
  }
}

const resize = (k: number, metres: number) =>
  remake("Size box", { ...props.skin, size: props.skin.size.map((x, i) => (i === k ? metres : x)) as Vec3 });
const turn = () => own.value && put("Turn photograph", { ...own.value, turns: (own.value.turns + 1) % 4 });
const flip = () => own.value && put("Flip photograph", { ...own.value, flipped: !own.value.flipped });
</script>

<template>
  <section class="card" style="flex: 1.5">
    <h3>
      Box of photographs
      <span class="row end">
        <LengthField
          v-for="(label, k) in ['width', 'depth', 'height']"
          :key="label"
          :model-value="skin.size[k]"
          :unit="shot.unit"
          :label="`Box ${label}`"
          positive
          @update:model-value="(m) => resize(k, m)"
        />
        <button
          class="plain"
          title="Height and depth from what front, side and top show, at this width"
          data-test="skin-proportions"
          @click="remake('Take proportions', { ...skin, size: proportioned(skin) })"
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
        {{ s }} <i v-if="skin.sides[s]" class="pi pi-check" />
      </button>
    </div>
    <div class="body">
      <div class="view">
        <template v-if="photo">
          <img :src="`/api/pictures/${photo.picture}`" alt="" draggable="false" />
          <svg ref="frame" :viewBox="`0 0 ${photo.width} ${photo.height}`" preserveAspectRatio="none">
            <polygon :points="corners.map((c) => c.join(',')).join(' ')" />
          </svg>
          <span
            v-for="(c, i) in corners"
            :key="i"
            class="corner"
            :style="{ left: `${(c[0] / photo.width) * 100}%`, top: `${(c[1] / photo.height) * 100}%` }"
            :data-test="`skin-corner-${i}`"
            @pointerdown.prevent="grab(i, $event)"
            @pointermove="move(i, $event)"
            @pointerup="release"
          />
        </template>
        <span v-else class="quiet">{{ own?.from === "side" ? `as the ${own.side}` : "no photograph yet" }}</span>
      </div>
      <div class="acts">
        <button class="act" :disabled="busy" @click="photoPicker?.click()">
          <i class="pi pi-image" /> {{ busy ? "making …" : "photograph" }}
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
          @update:model-value="(s) => put('Use another side', { from: 'side', side: s, turns: 0, flipped: false })"
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
  position: relative;
  flex: 0 1 auto;
  min-width: 120px;
  min-height: 60px;
}
.view img {
  display: block;
  max-height: 150px;
  max-width: 100%;
  user-select: none;
}
.view svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.view polygon {
  fill: #d8674d22;
  stroke: var(--accent);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.corner {
  position: absolute;
  width: 13px;
  height: 13px;
  margin: -7px 0 0 -7px;
  border: 2px solid #fff;
  border-radius: 50%;
  background: var(--accent);
  cursor: grab;
  touch-action: none;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
