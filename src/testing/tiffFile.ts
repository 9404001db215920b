/** A tag of a TIFF file: its number, type (1 BYTE, 2 ASCII, 3 SHORT, 4 LONG, 5 RATIONAL as pairs) and values. */
export interface TiffTag {
  tag: number;
  type: 1 | 2 | 3 | 4 | 5;
  values: number[];
}

export interface TiffSamples {
  width: number;
  height: number;
  channels: number;
  bits: 8 | 16 | 32;
  /** 1 whole numbers, 3 floats. */
  format: 1 | 3;
  /** Samples as they lie in the file, in the byte order asked for. */
  bytes: Uint8Array;
}

const SIZES = { 1: 1, 2: 1, 3: 2, 4: 4, 5: 8 } as const;

/** A TIFF file of one strip, unpacked, by TIFF 6.0, section 2; tags of `extra` are added, or take the place of its own. */
export function tiffFile(samples: TiffSamples, extra: TiffTag[] = [], little = true): Uint8Array {
  const { width, height, channels, bits, format, bytes } = samples;
  const each = (value: number) => Array.from({ length: channels }, () => value);
  const own: TiffTag[] = [
    { tag: 256, type: 4, values: [width] },
    { tag: 257, type: 4, values: [height] },
    { tag: 258, type: 3, values: each(bits) },
    { tag: 259, type: 3, values: [1] },
    { tag: 262, type: 3, values: [channels >= 3 ? 2 : 1] },
    { tag: 273, type: 4, values: [0] },
    { tag: 277, type: 3, values: [channels] },
    { tag: 278, type: 4, values: [height] },
    { tag: 279, type: 4, values: [bytes.length] },
    { tag: 284, type: 3, values: [1] },
    { tag: 339, type: 3, values: each(format) },
  ];
  const tags = [...own.filter(({ tag }) => !extra.some((e) => e.tag === tag)), ...extra].sort((a, b) => a.tag - b.tag);
  const sizeOf = ({ type, values }: TiffTag) => (SIZES[type] * values.length) / (type === 5 ? 2 : 1);
  const head = 8 + 2 + tags.length * 12 + 4;
  const beside = tags.reduce((sum, tag) => sum + (sizeOf(tag) > 4 ? Math.ceil(sizeOf(tag) / 2) * 2 : 0), 0);
  const file = new Uint8Array(head + beside + bytes.length);
  const view = new DataView(file.buffer);
  file.set(little ? [0x49, 0x49] : [0x4d, 0x4d]);
  view.setUint16(2, 42, little);
  view.setUint32(4, 8, little);
  view.setUint16(8, tags.length, little);
  let free = head;
  tags.forEach((tag, i) => {
    const entry = 10 + i * 12;
    const { type, values } = tag.tag === 273 ? { ...tag, values: [head + beside] } : tag;
    view.setUint16(entry, tag.tag, little);
    view.setUint16(entry + 2, type, little);
    view.setUint32(entry + 4, type === 5 ? values.length / 2 : values.length, little);
    const size = sizeOf(tag);
    const at = size > 4 ? free : entry + 8;
    if (size > 4) {
      view.setUint32(entry + 8, free, little);
      free += Math.ceil(size / 2) * 2;
    }
    values.forEach((value, k) => {
      if (type <= 2) view.setUint8(at + k, value);
      else if (type === 3) view.setUint16(at + 2 * k, value, little);
      else view.setUint32(at + 4 * k, value, little);
    });
  });
  file.set(bytes, head + beside);
  return file;
}
