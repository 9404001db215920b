import { exrSize, isExr } from "#core/image/exrCheck";
import { hdrSize, isHdr } from "#core/image/hdr";
import { pictureHeader } from "#core/image/header";
import { plateKind } from "#core/plate/formats";
import { tiffDirectoryAt, tiffSize } from "#core/image/tiff";

/** Bytes in which a picture's size stands. */
const HEAD = 1 << 20;

/** True for a picture that is twice as wide as high, as those of all around are; false for a folder, which cannot be read. */
export async function isPanorama(file: File): Promise<boolean> {
  const part = async (from: number) => new Uint8Array(await file.slice(from, from + HEAD).arrayBuffer());
  const bytes = await part(0).catch(() => null);
  if (!bytes) return false;
  // A TIFF may tell its size anywhere in the file.
  const directory = tiffDirectoryAt(bytes);
  const size = directory === null ? sizeOf(bytes) : tiffSize(bytes, await part(directory));
  return size !== null && Math.abs(size.width / size.height - 2) < 0.02;
}

/** True for a file of a kind that can be a plate; false for a folder, which cannot be read. */
export async function isPlate(file: File): Promise<boolean> {
  const head = await file
    .slice(0, 16)
    .arrayBuffer()
    .catch(() => null);
  return head !== null && plateKind(new Uint8Array(head)) !== null;
}

function sizeOf(bytes: Uint8Array): { width: number; height: number } | null {
  try {
    if (isExr(bytes)) return exrSize(bytes);
    return isHdr(bytes) ? hdrSize(bytes) : pictureHeader(bytes);
  } catch {
    return null;
  }
}
