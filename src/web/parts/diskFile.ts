/** Files on the user's own disk that stay at hand (File System Access, WICG draft); not every browser has them. */

export type DiskFile = Pick<FileSystemFileHandle, "name" | "getFile" | "createWritable">;

interface Kinds {
  types: { description: string; accept: Record<string, string[]> }[];
}
interface Pickers {
  showSaveFilePicker?: (options: Kinds & { suggestedName: string }) => Promise<DiskFile>;
  showOpenFilePicker?: (options: Kinds) => Promise<DiskFile[]>;
}

const pickers = window as unknown as Pickers;
const PNG: Kinds = { types: [{ description: "PNG picture", accept: { "image/png": [".png"] } }] };

export const canKeepFiles = (): boolean => "showSaveFilePicker" in window && "showOpenFilePicker" in window;

/** Null where its user left. */
const left = (error: unknown): null => {
  if (error instanceof DOMException && error.name === "AbortError") return null;
  throw error;
};

/** A PNG file that is chosen to be written, with the bytes in it; null where its user left. */
export async function savePng(suggestedName: string, bytes: Uint8Array): Promise<DiskFile | null> {
  const file = await pickers.showSaveFilePicker!({ ...PNG, suggestedName }).catch(left);
  if (!file) return null;
  const out = await file.createWritable();
  await out.write(bytes as Uint8Array<ArrayBuffer>);
  await out.close();
  return file;
}

/** A PNG file that is chosen to be read; null where its user left. */
export async function openPng(): Promise<DiskFile | null> {
  const files = await pickers.showOpenFilePicker!(PNG).catch(left);
  return files?.[0] ?? null;
}
