import { defineStore } from "pinia";
import { shallowRef } from "vue";
import { importGlb } from "#core/exchange/gltf";
import type { Model } from "#core/props/model";
import type { Shot } from "#core/shot/schema";
import { decodeImage } from "../decodeImage.ts";

/** Models of the open shot's props, for the interactive view. */
export const useModels = defineStore("models", () => {
  const models = shallowRef(new Map<string, Model>());
  const asked = new Set<string>();

  async function load(shot: Shot): Promise<void> {
    for (const { source } of Object.values(shot.props)) {
      if (source.kind !== "model" || asked.has(source.asset)) continue;
      asked.add(source.asset);
      const response = await fetch(`/api/assets/${source.asset}`);
      if (!response.ok) continue;
      const { model } = await importGlb(new Uint8Array(await response.arrayBuffer()), decodeImage);
      models.value = new Map(models.value).set(source.asset, model);
    }
  }

  return { models, load };
});
