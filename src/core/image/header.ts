/** Size of a picture file as its own first bytes tell it, so that it can be counted before it is unpacked. */
export interface PictureHeader {
  kind: "jpeg" | "png" | "webp";
  width: number;
  height: number;
}

/** Reads the head of a JPEG, PNG or WebP; null for anything else, and for heads that are cut short. */
export function pictureHeader(bytes: Uint8Array): PictureHeader | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const text = (at: number, length: number) => String.fromCharCode(...bytes.subarray(at, at + length));
  if (bytes.length >= 33 && text(1, 3) === "PNG" && text(12, 4) === "IHDR")
    return { kind: "png", width: view.getUint32(16), height: view.getUint32(20) };
  if (bytes.length >= 4 && view.getUint16(0) === 0xffd8) return jpegHeader(bytes, view);
  if (bytes.length >= 30 && text(0, 4) === "RIFF" && text(8, 4) === "WEBP") return webpHeader(view, text(12, 4));
  return null;
}

/** The frame header (ITU-T T.81, B.2.2) behind any number of other segments. */
function jpegHeader(bytes: Uint8Array, view: DataView): PictureHeader | null {
  let at = 2;
  while (at + 9 < bytes.length) {
    if (bytes[at] !== 0xff) return null;
    const marker = bytes[at + 1];
    if (marker === 0xff) {
      at++;
      continue;
    }
    const frame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);
    if (frame) return { kind: "jpeg", width: view.getUint16(at + 7), height: view.getUint16(at + 5) };
    const alone = marker === 0x01 || (marker >= 0xd0 && marker <= 0xd8);
    at += alone ? 2 : 2 + view.getUint16(at + 2);
  }
  return null;
}

/** RFC 9649: the three kinds of a WebP file's first chunk. */
function webpHeader(view: DataView, chunk: string): PictureHeader | null {
  const u24 = (at: number) => view.getUint16(at, true) | (view.getUint8(at + 2) << 16);
  if (chunk === "VP8X") return { kind: "webp", width: u24(24) + 1, height: u24(27) + 1 };
  if (chunk === "VP8 ")
    return { kind: "webp", width: view.getUint16(26, true) & 0x3fff, height: view.getUint16(28, true) & 0x3fff };
  if (chunk === "VP8L") {
    const bits = view.getUint32(21, true);
    return { kind: "webp", width: (bits & 0x3fff) + 1, height: ((bits >>> 14) & 0x3fff) + 1 };
  }
  return null;
}
