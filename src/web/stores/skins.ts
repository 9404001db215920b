import { defineStore } from "pinia";
import { ref, shallowRef, watch } from "vue";
import type { Skin } from "#core/props/skin";
import { api } from "../api.ts";
import type { DiskFile } from "../parts/diskFile.ts";
import { useModels } from "./models.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";

/** How often a flat picture on the disk is looked at. */
const LOOK_MS = 800;

interface Followed {
  file: DiskFile;
  /** When it was changed last, as it was last read and as it was last seen. */
  read: number;
  seen: number;
}

/** Boxes of photographs of the open shot: making them anew, and following their flat pictures on the disk. */
export const useSkins = defineStore("skins", () => {
  const store = useShot();
  const models = useModels();
  const notices = useNotices();
  const busy = ref(false);
  const followed = shallowRef(new Map<string, Followed>());
  let timer = 0;

  /** Makes a prop's box anew of its photographs, or of a flat picture that was painted elsewhere. */
  async function remake(propId: string, name: string, skin: Skin, flat: Uint8Array | null = null): Promise<void> {
    if (busy.value) return;
    busy.value = true;
    const { painted, ...bare } = skin;
    try {
      const { glb } = await models.skinned(bare, flat);
      const asset = await api.addModel(new File([glb as Uint8Array<ArrayBuffer>], "box.glb"));
      await store.commit(name, (d) => {
        const { source } = d.props[propId];
        if (source.kind !== "model") return;
        source.asset = asset.hash;
        source.skin = flat ? { ...bare, painted: true } : bare;
      });
      if (painted && !flat)
        notices.say(
          "warn",
          "The box is made of its photographs again: what was painted on its flat picture is not on it any more.",
          "Undo brings it back.",
        );
    } catch (error) {
      notices.fail(error);
    } finally {
      busy.value = false;
    }
  }

  function forget(propId: string): void {
    const rest = new Map(followed.value);
    rest.delete(propId);
    followed.value = rest;
    if (rest.size === 0) {
      clearInterval(timer);
      timer = 0;
    }
  }

  /** Reads the flat picture of a prop's box again whenever its file is changed. */
  async function follow(propId: string, file: DiskFile): Promise<void> {
    const { lastModified } = await file.getFile();
    followed.value = new Map(followed.value).set(propId, { file, read: lastModified, seen: lastModified });
    if (!timer) timer = window.setInterval(() => void lookAll(), LOOK_MS);
  }

  async function lookAll(): Promise<void> {
    for (const [propId, known] of followed.value) await look(propId, known);
  }

  async function look(propId: string, known: Followed): Promise<void> {
    const source = store.shot?.props[propId]?.source;
    if (source?.kind !== "model" || !source.skin) {
      forget(propId);
      return;
    }
    const file = await known.file.getFile().catch(() => null);
    if (!file) {
      forget(propId);
      notices.say("warn", `“${known.file.name}” cannot be read any more.`, "Save the flat picture again, or read it.");
      return;
    }
    // Another program may still be writing: it is read once it stayed as it is from one look to the next.
    const settled = file.lastModified === known.seen;
    known.seen = file.lastModified;
    if (!settled || file.lastModified === known.read || busy.value) return;
    known.read = file.lastModified;
    await remake(propId, "Read the flat picture again", source.skin, new Uint8Array(await file.arrayBuffer()));
  }

  watch(
    () => store.id,
    () => {
      for (const propId of followed.value.keys()) forget(propId);
    },
  );

  return { busy, followed, remake, follow, forget };
});
