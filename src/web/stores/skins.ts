import { defineStore } from "pinia";
import { computed, shallowRef, watch } from "vue";
import type { Skin, SkinChange } from "#core/props/skin";
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

/** A change of a prop's skin that was asked for; `check` refuses once another shot is open. */
interface Asked {
  propId: string;
  name: string;
  change: SkinChange;
  flat: Uint8Array | null;
  check: () => void;
}

/** Boxes of photographs of the open shot: making them anew, and following their flat pictures on the disk. */
export const useSkins = defineStore("skins", () => {
  const store = useShot();
  const models = useModels();
  const notices = useNotices();
  /** Changes that are being made or wait for it, in their order. */
  const queue = shallowRef<readonly Asked[]>([]);
  const busy = computed(() => queue.value.length > 0);
  let running: Promise<void> | null = null;
  const followed = shallowRef(new Map<string, Followed>());
  let timer = 0;

  /** A prop's skin as it will be when all that was asked for is made. */
  const wanted = (propId: string, skin: Skin): Skin =>
    queue.value.reduce((so, asked) => (asked.propId === propId ? asked.change(so) : so), skin);

  /**
   * Makes a prop's box anew of its photographs, or of a flat picture that was painted elsewhere. What is asked for while
   * another is made waits, and is made with all else that waits.
   */
  function remake(propId: string, name: string, change: SkinChange, flat: Uint8Array | null = null): Promise<void> {
    queue.value = [...queue.value, { propId, name, change, flat, check: store.stays() }];
    running ??= makeAll().finally(() => (running = null));
    return running;
  }

  async function makeAll(): Promise<void> {
    while (queue.value.length > 0) {
      const [first, ...others] = queue.value;
      const together = [first];
      for (const asked of first.flat ? [] : others) {
        if (asked.propId !== first.propId || asked.flat) break;
        together.push(asked);
      }
      await make(together).catch((error: unknown) => notices.fail(error));
      queue.value = queue.value.slice(together.length);
    }
  }

  async function make(together: readonly Asked[]): Promise<void> {
    const [{ propId, name, flat, check }] = together;
    check();
    const now = store.shot?.props[propId]?.source;
    if (now?.kind !== "model" || !now.skin) return;
    const { painted, ...bare } = together.reduce((so, { change }) => change(so), now.skin);
    const { glb } = await models.skinned(bare, flat);
    const asset = await api.addModel(new File([glb as Uint8Array<ArrayBuffer>], "box.glb"));
    check();
    await store.commit(together.length > 1 ? "Change a box of photographs" : name, (d) => {
      const source = d.props[propId]?.source;
      if (source?.kind !== "model") return;
      source.asset = asset.hash;
      source.skin = flat ? { ...bare, painted: true } : bare;
    });
    if (painted && !flat)
      notices.say(
        "warn",
        "The box is made of its photographs again: what was painted on its flat picture is not on it any more.",
        "Undo brings it back.",
      );
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
    await remake(propId, "Read the flat picture again", (skin) => skin, new Uint8Array(await file.arrayBuffer()));
  }

  watch(
    () => store.id,
    () => {
      for (const propId of followed.value.keys()) forget(propId);
    },
  );

  return { busy, followed, wanted, remake, follow, forget };
});
