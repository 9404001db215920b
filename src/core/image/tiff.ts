/** What the first directory of a TIFF file says by itself, so that a file can be judged before it is unpacked. */

/** True for a TIFF file of either byte order, BigTIFF too. */
export const isTiff = (b: Uint8Array): boolean =>
  (b[0] === 0x49 && b[1] === 0x49 && (b[2] === 42 || b[2] === 43) && b[3] === 0) ||
  (b[0] === 0x4d && b[1] === 0x4d && b[2] === 0 && (b[3] === 42 || b[3] === 43));

/** Tags of a directory that are asked for (TIFF 6.0, sections 8 and 13; DNG 1.6). */
export const TIFF_TAGS = {
  subfile: 254,
  width: 256,
  height: 257,
  bits: 258,
  photometric: 262,
  xResolution: 282,
  yResolution: 283,
  dngVersion: 50706,
} as const;

const [BYTE, SHORT, LONG, RATIONAL] = [1, 3, 4, 5];
const ENTRY = 12;

/** Address of the first directory; null for what is no TIFF, and for BigTIFF. */
export function tiffDirectoryAt(bytes: Uint8Array): number | null {
  if (!isTiff(bytes) || bytes.length < 8) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const little = bytes[0] === 0x49;
  return view.getUint16(2, little) === 42 ? view.getUint32(4, little) : null;
}

/**
 * First value of each tag of whole numbers or fractions in the first directory (TIFF 6.0, section 2); empty for BigTIFF, and
 * without those that are cut off. `directory` holds the file from there on where `bytes` ends before it.
 */
export function firstTiffValues(bytes: Uint8Array, directory?: Uint8Array): Map<number, number> {
  const values = new Map<number, number>();
  const at = tiffDirectoryAt(bytes);
  if (at === null) return values;
  const little = bytes[0] === 0x49;
  const entries = directory ?? bytes.subarray(at);
  const view = (of: Uint8Array) => new DataView(of.buffer, of.byteOffset, of.byteLength);
  const [listed, whole] = [view(entries), view(bytes)];
  if (entries.length < 2) return values;
  const count = Math.min(listed.getUint16(0, little), Math.floor((entries.length - 2) / ENTRY));
  for (let i = 0; i < count; i++) {
    const entry = 2 + i * ENTRY;
    const [tag, type, length] = [
      listed.getUint16(entry, little),
      listed.getUint16(entry + 2, little),
      listed.getUint32(entry + 4, little),
    ];
    const size = { [BYTE]: 1, [SHORT]: 2, [LONG]: 4, [RATIONAL]: 8 }[type];
    if (!size || length === 0) continue;
    // Values of up to four bytes stand in the entry itself.
    const inside = size * length <= 4;
    const [from, value] = inside ? [listed, entry + 8] : [whole, listed.getUint32(entry + 8, little)];
    if (value + size > from.byteLength) continue;
    if (type === BYTE) values.set(tag, from.getUint8(value));
    else if (type === SHORT) values.set(tag, from.getUint16(value, little));
    else if (type === LONG) values.set(tag, from.getUint32(value, little));
    else values.set(tag, from.getUint32(value, little) / from.getUint32(value + 4, little));
  }
  return values;
}

/** Size of a TIFF's first picture; null where it is not told. `directory` as in `firstTiffValues`. */
export function tiffSize(bytes: Uint8Array, directory?: Uint8Array): { width: number; height: number } | null {
  const tags = firstTiffValues(bytes, directory);
  const [width, height] = [tags.get(TIFF_TAGS.width), tags.get(TIFF_TAGS.height)];
  return width && height ? { width, height } : null;
}

/** Colour filter array and linear raw (TIFF/EP, ISO 12234-2; DNG 1.6). */
const RAW_PHOTOMETRIC = [32803, 34892];

/**
 * True for the raw file of a camera that is built as a TIFF is: its first picture is a preview (NewSubfileType 1, as in
 * TIFF/EP and DNG) or what the sensor counted. The mark "CR" behind the head is from memory.
 */
export function isCameraRaw(bytes: Uint8Array): boolean {
  const tags = firstTiffValues(bytes);
  return (
    tags.has(TIFF_TAGS.dngVersion) ||
    ((tags.get(TIFF_TAGS.subfile) ?? 0) & 1) === 1 ||
    RAW_PHOTOMETRIC.includes(tags.get(TIFF_TAGS.photometric) ?? 0) ||
    (isTiff(bytes) && bytes[8] === 0x43 && bytes[9] === 0x52)
  );
}

/** Width of a pixel over its height by the file's resolutions; 1 where it tells none. */
export function tiffPixelAspect(bytes: Uint8Array): number {
  const tags = firstTiffValues(bytes);
  const aspect = (tags.get(TIFF_TAGS.yResolution) ?? 1) / (tags.get(TIFF_TAGS.xResolution) ?? 1);
  return Number.isFinite(aspect) && aspect > 0 ? aspect : 1;
}
