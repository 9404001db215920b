import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import type { Yardstick } from "#core/match/yardsticks";
import type { LensDatabase } from "#core/optics/lensDatabase";
import type { LensKit } from "#core/optics/lensKit";
import type { KeepModel, KeptModel, KeptModelDetails } from "#core/props/library";
import type { KeptLensKit } from "#core/shot/api";
import { api } from "../api.ts";
import { useNotices } from "./notices.ts";

/** What is kept across shots: yardsticks, lens kits and models, and the shipped lens database. */
export const useLibrary = defineStore("library", () => {
  const yardsticks = ref<Yardstick[]>([]);
  const kits = ref<KeptLensKit[]>([]);
  const models = shallowRef<KeptModel[]>([]);
  /** Models whose pictures are being taken. */
  const keeping = ref(0);
  const database = shallowRef<LensDatabase | null>(null);

  async function openYardsticks(): Promise<void> {
    if (yardsticks.value.length === 0) yardsticks.value = (await api.yardsticks()).list;
  }
  async function keepYardsticks(list: Yardstick[]): Promise<void> {
    yardsticks.value = (await api.keepYardsticks(list)).list;
  }
  async function openKits(): Promise<void> {
    kits.value = await api.lensKits();
  }
  async function keepKit(id: string | null, kit: LensKit): Promise<void> {
    await (id === null ? api.addLensKit(kit) : api.changeLensKit(id, kit));
    await openKits();
  }
  async function deleteKit(id: string): Promise<void> {
    await api.deleteLensKit(id);
    await openKits();
  }
  async function openModels(): Promise<void> {
    models.value = await api.keptModels();
  }
  /** Keeps a model for other shots, its picture taken meanwhile; a failure is told and holds nothing up. */
  function keepModel(model: KeepModel): void {
    keeping.value++;
    void api
      .keepModel(model)
      .then(openModels)
      .catch((error: unknown) => useNotices().fail(error))
      .finally(() => keeping.value--);
  }
  let described: Promise<unknown> = Promise.resolve();
  /** Shown at once and sent one after the other, so that a second change starts from the first. */
  async function describeModel(hash: string, changes: Partial<KeptModelDetails>): Promise<void> {
    const model = models.value.find((m) => m.hash === hash);
    if (!model) return;
    const { name, tags, licence, source } = model;
    const details = { name, tags, licence, source, ...changes };
    models.value = models.value.map((m) => (m.hash === hash ? { ...m, ...details } : m));
    const sent = described.then(() => api.describeModel(hash, details));
    described = sent.catch(() => undefined);
    await sent.catch(async (error: unknown) => {
      await openModels();
      throw error;
    });
  }
  async function deleteModel(hash: string): Promise<void> {
    await api.deleteKeptModel(hash);
    await openModels();
  }
  async function openDatabase(): Promise<void> {
    if (database.value) return;
    const response = await fetch("/lens-database.json");
    if (!response.ok)
      throw new Error("The lens database that ships with Red Harbor is missing. Build it again with “npm run build”.");
    database.value = (await response.json()) as LensDatabase;
  }

  return {
    yardsticks,
    kits,
    models,
    keeping,
    database,
    openYardsticks,
    keepYardsticks,
    openKits,
    keepKit,
    deleteKit,
    openModels,
    keepModel,
    describeModel,
    deleteModel,
    openDatabase,
  };
});
