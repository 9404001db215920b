import type { Remote } from "comlink";
import { transfer, wrap } from "comlink";
import { defineStore } from "pinia";
import { shallowRef } from "vue";
import type { Slope } from "#core/light/level";
import type { SurroundingsFacts } from "#core/light/surroundings/facts";
import type { PictureSpread } from "#core/light/surroundings/known";
import { provideSurroundings } from "#core/light/surroundings/known";
import type { Model } from "#core/props/model";
import type { Skin } from "#core/props/skin";
import { provideFiles } from "#core/render/files";
import type { FromFiles } from "#core/shot/assets";
import { modelsOf, placeFilesOf } from "#core/shot/assets";
import { plain } from "../plain.ts";
import type { ModelReading } from "../workers/model.worker.ts";

/** Models of the open shot's props and of its place, for the interactive view. */
export const useModels = defineStore("models", () => {
  const models = shallowRef(new Map<string, Model>());
  /** What is read or being read, by hash; undefined for a file that cannot be had. */
  const asked = new Map<string, Promise<Model | undefined>>();
  let worker: Remote<ModelReading> | null = null;

  const reader = () =>
    (worker ??= wrap<ModelReading>(
      new Worker(new URL("../workers/model.worker.ts", import.meta.url), { type: "module" }),
    ));

  /** What is being read while its file is on the way to the server. */
  let ahead: Promise<{ hash: string; model: Model } | null> | null = null;

  /** Begins to read a GLB that is sent to the server meanwhile. */
  async function readAhead(file: File): Promise<void> {
    const head = new Uint8Array(await file.slice(0, 4).arrayBuffer());
    const isGlb = String.fromCharCode(...head) === "glTF";
    ahead = isGlb
      ? reader()
          .readAhead(file)
          .catch(() => null)
      : null;
  }

  async function taken(hash: string): Promise<Model | undefined> {
    const early = await ahead;
    if (early?.hash === hash) {
      ahead = null;
      models.value = new Map(models.value).set(hash, early.model);
      return early.model;
    }
    const response = await fetch(`/api/assets/${hash}`);
    if (!response.ok) return undefined;
    const bytes = new Uint8Array(await response.arrayBuffer());
    const model = await reader().read(transfer(bytes, [bytes.buffer]));
    if (model.around) provideSurroundings(hash, model.around);
    models.value = new Map(models.value).set(hash, model);
    return model;
  }

  /** One model by its hash, read once; undefined if it cannot be had. */
  function fetched(hash: string): Promise<Model | undefined> {
    let found = asked.get(hash);
    if (!found) {
      found = taken(hash);
      asked.set(hash, found);
      // What failed is asked for again the next time.
      found.catch(() => asked.delete(hash));
    }
    return found;
  }

  /** Forgets models that the open shot does not need any more, with their memory. */
  function forget(shot: FromFiles): void {
    const needed = modelsOf(shot);
    for (const hash of asked.keys()) if (!needed.has(hash)) asked.delete(hash);
    const kept = [...models.value].filter(([hash]) => needed.has(hash));
    if (kept.length < models.value.size) models.value = new Map(kept);
  }

  /** Loads what the shot needs. True if something of its place came, which is asked for anew then. */
  async function load(shot: FromFiles): Promise<boolean> {
    const place = placeFilesOf(shot);
    let came = false;
    for (const hash of modelsOf(shot)) {
      if (asked.has(hash)) continue;
      const model = await fetched(hash).catch(() => undefined);
      came ||= model !== undefined && place.has(hash);
    }
    provideFiles(shot, models.value);
    return came;
  }

  /** Several files that came together as one zip. */
  const pack = (files: { path: string; file: File }[]): Promise<Uint8Array> => reader().pack(files);

  /** A box that wears photographs: its GLB, and the flat picture of its sides. */
  async function skinned(skin: Skin, flat: Uint8Array | null = null): Promise<{ glb: Uint8Array; png: Uint8Array }> {
    const photos = new Map<string, Uint8Array>();
    for (const side of Object.values(skin.sides)) {
      if (flat || side?.from !== "photo" || photos.has(side.picture)) continue;
      const response = await fetch(`/api/assets/${side.picture}`);
      if (response.ok) photos.set(side.picture, new Uint8Array(await response.arrayBuffer()));
    }
    return reader().skin(plain(skin), photos, flat);
  }

  /** What the picture of the surroundings tells of itself; null if it cannot be had. */
  async function lookAround(spread: PictureSpread, slope: Slope): Promise<SurroundingsFacts | null> {
    let bytes: Uint8Array | null = null;
    if (await reader().needsSurroundings(spread.asset)) {
      const response = await fetch(`/api/assets/${spread.asset}`);
      if (!response.ok) return null;
      bytes = new Uint8Array(await response.arrayBuffer());
    }
    return reader().lookAround(plain(spread), plain(slope), bytes);
  }

  return { models, lookAround, load, fetched, readAhead, forget, pack, skinned };
});
