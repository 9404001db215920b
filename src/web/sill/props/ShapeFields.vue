<script setup lang="ts">
import Select from "primevue/select";
import Textarea from "primevue/textarea";
import { computed, onMounted, ref } from "vue";
import type { Prop } from "#core/props/schema";
import type { Shape } from "#core/props/shapes/index";
import { shapeKind } from "#core/props/shapes/index";
import { leastBevel } from "#core/props/shapes/text";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import LengthField from "../../parts/LengthField.vue";
import NumberField from "../../parts/NumberField.vue";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";
import { useFonts } from "../../stores/fonts.ts";
import { letteringOf, useLettering } from "./useLettering.ts";

/** The figures of a made shape, and the words of lettering. */
const props = defineProps<{ shot: Shot; prop: Prop }>();
const store = useShot();
const notices = useNotices();
const picker = ref<HTMLInputElement>();
const fonts = useFonts();
const letterProp = useLettering();
onMounted(() => void fonts.open().catch(() => undefined));

const shape = computed<Shape | null>(() => (props.prop.source.kind === "shape" ? props.prop.source.shape : null));
const fields = computed(() => (shape.value ? shapeKind(shape.value).fields(shape.value) : []));
const lettering = computed(() => letteringOf(props.prop));
const ownFont = computed(() => (lettering.value ? fonts.keptAs(lettering.value.font) : undefined));
const held = computed(() => (lettering.value ? leastBevel(lettering.value) : 0));

const change = (name: string, put: (s: Shape) => void) =>
  store.commit(name, (d) => {
    const { source } = d.props[props.prop.id];
    if (source.kind === "shape") put(source.shape as Shape);
  });

function type(key: string, value: number): void {
  const field = fields.value.find((f) => f.key === key)!;
  void change(`Type ${field.label}`, (s) => field.put(s, field.unit === "count" ? Math.round(value) : value));
}

const letter = (changes: Parameters<typeof letterProp>[1]) => letterProp(props.prop, changes);

async function addFont(files: FileList | null): Promise<void> {
  const file = files?.[0];
  const { prop } = props;
  if (!file) return;
  try {
    await letterProp(prop, { font: await fonts.take(file) });
  } catch (error) {
    notices.fail(error);
  } finally {
    if (picker.value) picker.value.value = "";
  }
}
const PROFILES = [
  { label: "rounded", value: "round" },
  { label: "flat", value: "flat" },
];
</script>

<template>
  <div v-if="lettering" class="words">
    <Textarea
      :model-value="lettering.text"
      rows="2"
      aria-label="Words"
      data-test="letters"
      @change="letter({ text: ($event.target as HTMLTextAreaElement).value })"
      @keydown.stop
    />
    <div class="row">
      <Select
        :model-value="lettering.font"
        :options="fonts.names"
        size="small"
        aria-label="Font"
        @update:model-value="(font) => letter({ font })"
      />
      <button class="act" @click="picker?.click()"><i class="pi pi-upload" /> font</button>
      <button
        v-if="ownFont"
        class="plain"
        :title="`Let go of ${ownFont.name}; what is lettered in it keeps its outline`"
        data-test="font-drop"
        @click="fonts.drop(ownFont).catch(notices.fail)"
      >
        let go
      </button>
      <input
        ref="picker"
        type="file"
        accept=".ttf,.otf,.woff"
        hidden
        data-test="font-file"
        @change="addFont(($event.target as HTMLInputElement).files)"
      />
      <Select
        :model-value="lettering.profile"
        :options="PROFILES"
        option-label="label"
        option-value="value"
        size="small"
        aria-label="Bevel's profile"
        @update:model-value="(profile) => change('Change bevel', (s) => s.kind === 'text' && (s.profile = profile))"
      />
    </div>
  </div>
  <div class="row">
    <label v-for="f in fields" :key="f.key" class="row">
      <span class="quiet">{{ f.label }}</span>
      <LengthField
        v-if="f.unit === 'length'"
        :model-value="f.value"
        :unit="shot.unit"
        :label="`Shape ${f.label}`"
        :least="f.least"
        :most="f.most"
        @update:model-value="(m) => type(f.key, m)"
      />
      <NumberField
        v-else
        :model-value="f.value"
        :label="`Shape ${f.label}`"
        :digits="f.unit === 'count' ? 0 : 3"
        :min="f.least"
        :max="f.most"
        @update:model-value="(m) => type(f.key, m)"
      />
    </label>
    <template v-if="lettering">
      <label class="row">
        <span class="quiet">apart</span>
        <NumberField
          :model-value="lettering.spacing"
          label="Room between letters"
          @update:model-value="(spacing) => letter({ spacing })"
        />
      </label>
      <label class="row">
        <span class="quiet">lines</span>
        <NumberField
          :model-value="lettering.lineGap"
          label="Room between lines"
          @update:model-value="(lineGap) => letter({ lineGap })"
        />
      </label>
    </template>
  </div>
  <p v-if="lettering && held < lettering.bevel - 1e-6" class="quiet">
    The thinnest strokes have room for a bevel of {{ formatLength(held, shot.unit) }}.
  </p>
</template>

<style scoped>
.words {
  display: grid;
  gap: 4px;
  margin-bottom: 4px;
}
</style>
