<script setup lang="ts">
import Button from "primevue/button";
import Select from "primevue/select";
import { computed, onBeforeUnmount, ref } from "vue";
import type { BakeChoice } from "#core/shot/api";
import { BAKE_FORMATS } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../../stores/desk.ts";
import { useNotices } from "../../stores/notices.ts";

/** The plate as a texture of the selected part or of a prop, to be saved: it may then be moved or broken up elsewhere. */
const props = defineProps<{ shot: Shot; id: string }>();
const desk = useDesk();
const notices = useNotices();
const size = ref<BakeChoice["size"]>(2048);
const fill = ref<BakeChoice["fill"]>("stretch");
const format = ref<BakeChoice["format"]>("glb");
const prop = ref<string | null>(null);
const seconds = ref<number | null>(null);
let asked: AbortController | null = null;

const part = computed(() => (desk.selected ? (props.shot.set[desk.selected] ?? null) : null));
const things = computed(() => [
  ...(part.value ? [{ label: part.value.name, value: part.value.id }] : []),
  ...Object.values(props.shot.props).map((p) => ({ label: p.name, value: p.id })),
]);
const of = computed(() => things.value.find((t) => t.value === (prop.value ?? part.value?.id)) ?? things.value[0]);

async function bake(): Promise<void> {
  const what = of.value;
  if (!what) return;
  asked = new AbortController();
  const began = performance.now();
  seconds.value = 0;
  const clock = setInterval(() => (seconds.value = Math.round((performance.now() - began) / 1000)), 500);
  try {
    const choice: BakeChoice = { of: what.value, size: size.value, fill: fill.value, format: format.value };
    const response = await fetch(`/api/shots/${props.id}/bake`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(choice),
      signal: asked.signal,
    });
    if (!response.ok) {
      const { message, hint } = (await response.json()) as { message: string; hint?: string };
      notices.say("warn", message, hint);
      return;
    }
    const link = document.createElement("a");
    link.href = URL.createObjectURL(await response.blob());
    link.download = `${what.label.replaceAll(/[^\w -]/g, "")}.${format.value}`;
    link.click();
    URL.revokeObjectURL(link.href);
  } catch (error) {
    if ((error as Error).name !== "AbortError") notices.fail(error);
  } finally {
    clearInterval(clock);
    seconds.value = null;
    asked = null;
  }
}
onBeforeUnmount(() => asked?.abort());
</script>

<template>
  <section class="card" style="flex: 0.75">
    <h3>Bake the plate into a texture</h3>
    <div class="facts">
      <span>Of</span>
      <span
        ><Select
          :model-value="of?.value"
          :options="things"
          option-label="label"
          option-value="value"
          placeholder="select a part"
          size="small"
          aria-label="Bake into"
          @update:model-value="(v: string) => (prop = v)"
      /></span>
      <span>Side</span>
      <span class="row"
        ><Select v-model="size" :options="[512, 1024, 2048, 4096]" size="small" aria-label="Texels" /><Select
          v-model="format"
          :options="[...BAKE_FORMATS]"
          size="small"
          aria-label="File"
      /></span>
      <span>Hidden</span>
      <span
        ><Select
          v-model="fill"
          :options="[
            { label: 'stretched', value: 'stretch' },
            { label: 'its colour', value: 'colour' },
          ]"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="What the camera does not see"
      /></span>
    </div>
    <div class="row" style="margin-top: 5px">
      <Button
        :label="seconds === null ? 'Bake and save' : `Baking, ${seconds} s`"
        size="small"
        :disabled="!of || seconds !== null"
        data-test="bake"
        @click="bake"
      />
      <button v-if="seconds !== null" class="plain" @click="asked?.abort()">stop</button>
    </div>
  </section>
</template>
