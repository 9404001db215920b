import { unzipSync } from "fflate";
import { ModelError } from "./glbCheck.ts";

/** Files that came together: dropped at once, in a folder, or in a zip. */
export interface SourceFile {
  /** With its folders, separated by /. */
  path: string;
  bytes: Uint8Array;
}

/** What a zip may hold, counted before anything of it is unpacked. */
export const ZIP_LIMITS = { files: 2000, bytes: 1.5 * 1024 ** 3 };

const isZip = (b: Uint8Array): boolean => b[0] === 0x50 && b[1] === 0x4b && b[2] === 3 && b[3] === 4;

/** Files that nobody means: those that an operating system adds. */
const isClutter = (path: string): boolean => /(^|\/)(__MACOSX\/|\.[^/]*$|Thumbs\.db$)/.test(path);

export const baseName = (path: string): string => path.slice(path.lastIndexOf("/") + 1);

const cleanPath = (path: string): string =>
  path
    .replace(/\\/g, "/")
    .split("/")
    .filter((part) => part !== "" && part !== "." && part !== "..")
    .join("/");

/**
 * The files themselves, with zips opened. Throws ModelError where a zip is damaged, or holds more than `ZIP_LIMITS` by its
 * own word.
 */
export function unpacked(files: readonly SourceFile[], limits = ZIP_LIMITS): SourceFile[] {
  const all = files.flatMap((file) => (isZip(file.bytes) ? openZip(file, limits) : [file]));
  return all
    .map(({ path, bytes }) => ({ path: cleanPath(path), bytes }))
    .filter(({ path }) => path && !isClutter(path));
}

function openZip({ path, bytes }: SourceFile, limits: typeof ZIP_LIMITS): SourceFile[] {
  let count = 0;
  let total = 0;
  try {
    // Twice over: what it says is counted whole before the first file is unpacked.
    unzipSync(bytes, {
      filter: ({ originalSize }) => {
        count++;
        total += originalSize;
        return false;
      },
    });
    if (count > limits.files || total > limits.bytes)
      throw new ModelError(
        `“${path}” holds ${count.toLocaleString("en")} files of ${(total / 1024 ** 2).toFixed(0)} MB in all; ${limits.files.toLocaleString("en")} files and ${(limits.bytes / 1024 ** 2).toFixed(0)} MB can be read. Leave out what the model does not need.`,
      );
    return Object.entries(unzipSync(bytes, { filter: ({ name }) => !name.endsWith("/") })).map(([name, data]) => ({
      path: name,
      bytes: data,
    }));
  } catch (error) {
    if (error instanceof ModelError) throw error;
    throw new ModelError(`“${path}” is a damaged zip file. Pack it again, or drop the files themselves.`);
  }
}

/**
 * The file that another one names: at the path from that one, else by its own name anywhere, whatever its capitals are.
 * Null where there is none.
 */
export function findFile(files: readonly SourceFile[], reference: string, from: string): SourceFile | null {
  const wanted = cleanPath(safelyDecoded(reference)).toLowerCase();
  if (!wanted) return null;
  const folder = from.slice(0, from.lastIndexOf("/") + 1).toLowerCase();
  const byPath = files.find(({ path }) => path.toLowerCase() === folder + wanted || path.toLowerCase() === wanted);
  return byPath ?? files.find(({ path }) => baseName(path).toLowerCase() === baseName(wanted)) ?? null;
}

function safelyDecoded(reference: string): string {
  try {
    return decodeURIComponent(reference);
  } catch {
    return reference;
  }
}
