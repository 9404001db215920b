import { ref, shallowRef } from "vue";
import { suitedFoot } from "#core/props/reading";
import type { Reading } from "#core/props/schema";
import type { ModelAsset } from "#core/shot/api";
import { api } from "../../api.ts";
import type { Follow } from "../../followed.ts";
import { followed, onWayWords } from "../../followed.ts";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";

/** A file with its path within what was dropped. */
export interface DroppedFile {
  path: string;
  file: File;
}

/** A model that waits for its user to say how it is meant. */
export interface Asked {
  asset: ModelAsset;
  guess: Reading;
  answer: (reading: Reading | null) => void;
}

/** Units that files are in, by their names and metres. */
export const UNITS = [
  { name: "millimetres", unit: 0.001 },
  { name: "centimetres", unit: 0.01 },
  { name: "inches", unit: 0.0254 },
  { name: "feet", unit: 0.3048 },
  { name: "metres", unit: 1 },
] as const;

/** Sizes that things have which one puts into photographs, metres (common practice, no published source). */
const LIKELY = { least: 0.04, most: 15 };
/** Beyond these even a file that has units is asked about. */
const ODD = { least: 0.005, most: 60 };

/** The reading that gives a likely size, millimetres first for STL, else metres. */
export function guessOf({
  size,
  low,
  format,
  unitIsSure,
}: Pick<ModelAsset, "size" | "low" | "format" | "unitIsSure">): Reading {
  const largest = Math.max(...size);
  const order = format === "stl" ? [0, 1, 4, 2, 3] : [4, 1, 0, 2, 3];
  const likely = order.find((i) => largest * UNITS[i].unit >= LIKELY.least && largest * UNITS[i].unit <= LIKELY.most);
  const unit = unitIsSure ? 1 : UNITS[likely ?? order[0]].unit;
  return { unit, up: "z", foot: suitedFoot(low, size, "z") };
}

export const isOdd = ({ size }: Pick<ModelAsset, "size">): boolean => {
  const largest = Math.max(...size);
  return largest > ODD.most || largest < ODD.least;
};

/** Files of a drop, folders opened. Must be called while the drop is handled. */
export async function filesOfDrop(transfer: DataTransfer): Promise<DroppedFile[]> {
  const entries = [...transfer.items].flatMap((item) => item.webkitGetAsEntry() ?? []);
  // What comes from another program may be files without a folder to ask.
  if (entries.length < transfer.files.length) return filesOfPicker(transfer.files);
  const found: DroppedFile[] = [];
  const walk = async (entry: FileSystemEntry): Promise<void> => {
    if (entry.isFile) {
      const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
      found.push({ path: entry.fullPath.replace(/^\//, ""), file });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    // A folder tells its entries by the hundred.
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
      if (some.length === 0) return;
      for (const each of some) await walk(each);
    }
  };
  for (const entry of entries) await walk(entry);
  return found;
}

export const filesOfPicker = (files: ArrayLike<File>): DroppedFile[] =>
  Array.from(files, (file) => ({ path: file.webkitRelativePath || file.name, file }));

/** Brings models in: reads them on the server, asks what a file does not say, and gives the asset with its reading. */
export function useBringModel() {
  const models = useModels();
  const notices = useNotices();
  const reading = ref(false);
  const progress = ref("");
  const asked = shallowRef<Asked | null>(null);
  let stop: AbortController | null = null;

  /** The model and how it is read, by the reading of an older file where there is one; null where it was refused or left. */
  async function bring(
    files: readonly DroppedFile[],
    known?: Reading,
  ): Promise<{ asset: ModelAsset; reading: Reading } | null> {
    if (files.length === 0 || reading.value) return null;
    reading.value = true;
    stop = new AbortController();
    const { signal } = stop;
    try {
      const one =
        files.length === 1
          ? files[0].file
          : new File([(await models.pack([...files])) as Uint8Array<ArrayBuffer>], `${files.length} files.zip`);
      void models.readAhead(one);
      const send = (follow: Follow) => api.sendModel(one, follow);
      const asset = await followed(send, signal, (at) => (progress.value = onWayWords(at)));
      // A newer file is read as the older one was.
      const guess = known ?? guessOf(asset);
      const sure = known
        ? asset.missing.length === 0
        : asset.unitIsSure && asset.upIsSure && asset.missing.length === 0 && !isOdd(asset);
      const answer = sure
        ? guess
        : await new Promise<Reading | null>((resolve) => (asked.value = { asset, guess, answer: resolve }));
      asked.value = null;
      if (!answer) return null;
      for (const text of asset.notices) notices.say("warn", text);
      return { asset, reading: answer };
    } catch (error) {
      if (!signal.aborted) notices.fail(error);
      return null;
    } finally {
      reading.value = false;
      stop = null;
    }
  }

  return { reading, progress, asked, bring, cancel: () => stop?.abort() };
}
