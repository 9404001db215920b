import { defineStore } from "pinia";
import { shallowRef } from "vue";
import { importGlb } from "#core/exchange/gltf";
import type { Model } from "#core/props/model";
import { provideSetModels } from "#core/set/models";
import { modelsOf, setModelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { decodeImage } from "../decodeImage.ts";

/** Models of the open shot's props and of its place, for the interactive view. */
export const useModels = defineStore("models", () => {
  const models = shallowRef(new Map<string, Model>());
  const asked = new Set<string>();

  /** Loads what the shot needs. True if models of its place came, whose faces are asked for anew then. */
  async function load(shot: Pick<Shot, "props" | "set">): Promise<boolean> {
    const place = setModelsOf(shot);
    let came = false;
    for (const hash of modelsOf(shot)) {
      if (asked.has(hash)) continue;
      asked.add(hash);
      const response = await fetch(`/api/assets/${hash}`);
      if (!response.ok) continue;
      const { model } = await importGlb(new Uint8Array(await response.arrayBuffer()), decodeImage);
      models.value = new Map(models.value).set(hash, model);
      came ||= place.has(hash);
    }
    provideSetModels(shot, models.value);
    return came;
  }

  /** One model by its hash; undefined if it cannot be had. */
  async function fetched(hash: string): Promise<Model | undefined> {
    const known = models.value.get(hash);
    if (known) return known;
    const response = await fetch(`/api/assets/${hash}`);
    if (!response.ok) return undefined;
    asked.add(hash);
    const { model } = await importGlb(new Uint8Array(await response.arrayBuffer()), decodeImage);
    models.value = new Map(models.value).set(hash, model);
    return model;
  }

  return { models, load, fetched };
});
