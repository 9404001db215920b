import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";
import type { Yardstick } from "#core/match/yardsticks";
import type { LensDatabase } from "#core/optics/lensDatabase";
import type { LensKit } from "#core/optics/lensKit";
import type { KeptLensKit } from "#core/shot/api";
import { api } from "../api.ts";

/** What is kept across shots: yardsticks and lens kits, and the shipped lens database. */
export const useLibrary = defineStore("library", () => {
  const yardsticks = ref<Yardstick[]>([]);
  const kits = ref<KeptLensKit[]>([]);
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
  async function openDatabase(): Promise<void> {
    if (database.value) return;
    const response = await fetch("/lens-database.json");
    if (!response.ok)
      throw new Error("The lens database that ships with Red Harbor is missing. Build it again with “npm run build”.");
    database.value = (await response.json()) as LensDatabase;
  }

  return { yardsticks, kits, database, openYardsticks, keepYardsticks, openKits, keepKit, deleteKit, openDatabase };
});
