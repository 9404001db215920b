import { BufferUtils } from "@gltf-transform/core";
import { ModelError, NO_PICTURE } from "../glbCheck.ts";
import type { SourceFile } from "../files.ts";
import { findFile } from "../files.ts";
import type { Found, Importer } from "./kind.ts";
import { mimeOf } from "./obj.ts";
import { headOf } from "./text.ts";

const isGlb = (bytes: Uint8Array): boolean => headOf(bytes, 4) === "glTF";

interface Json {
  buffers?: { uri?: string; byteLength?: number }[];
  bufferViews?: { buffer?: number; byteOffset?: number; byteLength?: number; [key: string]: unknown }[];
  images?: { uri?: string; bufferView?: number; mimeType?: string; name?: string }[];
  [key: string]: unknown;
}

/** Bytes of a data URI; null where it is none. */
function dataOf(uri: string): Uint8Array | null {
  const comma = uri.indexOf(",");
  if (!uri.startsWith("data:") || comma < 0) return null;
  const body = uri.slice(comma + 1);
  return uri.slice(0, comma).endsWith(";base64") ? fromBase64(body) : BufferUtils.encodeText(decodeURIComponent(body));
}

const ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
const VALUES = new Int8Array(128).fill(-1);
[...ALPHABET].forEach((c, i) => (VALUES[c.charCodeAt(0)] = i));

/** Bytes of base64 (RFC 4648); what is no digit of it is passed over. */
export function fromBase64(text: string): Uint8Array {
  const bytes = new Uint8Array(Math.floor((text.length * 3) / 4));
  let [held, bits, n] = [0, 0, 0];
  for (let i = 0; i < text.length; i++) {
    const value = VALUES[text.charCodeAt(i) & 127];
    if (value < 0) continue;
    held = ((held << 6) | value) & 0xffffff;
    bits += 6;
    if (bits >= 8) {
      bits -= 8;
      bytes[n++] = (held >> bits) & 255;
    }
  }
  return bytes.subarray(0, n);
}

/** A GLB of a JSON and one binary part (glTF 2.0, section 4.4). */
export function glbOf(json: object, binary: Uint8Array): Uint8Array {
  const text = BufferUtils.encodeText(JSON.stringify(json));
  const [jsonLength, binLength] = [text.length, binary.length].map((n) => Math.ceil(n / 4) * 4);
  const glb = new Uint8Array(12 + 8 + jsonLength + (binLength > 0 ? 8 + binLength : 0));
  const view = new DataView(glb.buffer);
  view.setUint32(0, 0x46546c67, true);
  view.setUint32(4, 2, true);
  view.setUint32(8, glb.length, true);
  view.setUint32(12, jsonLength, true);
  view.setUint32(16, 0x4e4f534a, true);
  glb.fill(0x20, 20 + text.length, 20 + jsonLength);
  glb.set(text, 20);
  if (binLength > 0) {
    view.setUint32(20 + jsonLength, binLength, true);
    view.setUint32(24 + jsonLength, 0x004e4942, true);
    glb.set(binary, 28 + jsonLength);
  }
  return glb;
}

/** A .gltf with its buffers and pictures as one GLB; what is missing is named and left out. */
function packed(main: SourceFile, files: readonly SourceFile[]): Pick<Found, "missing"> & { glb: Uint8Array } {
  let json: Json;
  try {
    json = JSON.parse(BufferUtils.decodeText(main.bytes)) as Json;
  } catch {
    throw new ModelError("The file is damaged: its description cannot be read. Export it again.");
  }
  for (const list of ["buffers", "bufferViews", "images"] as const) {
    const entries: unknown = json[list] ?? [];
    if (!Array.isArray(entries) || entries.some((e) => typeof e !== "object" || e === null))
      throw new ModelError(`The file is damaged: its ${list} are no list. Export it again.`);
  }
  const missing: string[] = [];
  const pieces: Uint8Array[] = [];
  let length = 0;
  const add = (bytes: Uint8Array): number => {
    const at = length;
    const padded = Math.ceil(bytes.length / 4) * 4;
    pieces.push(bytes, new Uint8Array(padded - bytes.length));
    length += padded;
    return at;
  };
  const bytesOf = (uri: unknown): Uint8Array | null => {
    if (typeof uri !== "string") return null;
    return dataOf(uri) ?? findFile(files, uri, main.path)?.bytes ?? null;
  };
  const starts = (json.buffers ?? []).map(({ uri, byteLength }) => {
    const bytes = bytesOf(uri);
    if (!bytes && uri !== undefined)
      throw new ModelError(
        `The model keeps its shapes in ${String(uri).slice(0, 100)}, which did not come along. Drop both together, or export as .glb with everything in one file.`,
      );
    if (bytes && bytes.length < (byteLength ?? 0))
      throw new ModelError(
        `${String(uri).slice(0, 100)} is cut short: ${byteLength} bytes are named and ${bytes.length} are there. Copy or export it again.`,
      );
    return bytes ? add(bytes) : 0;
  });
  for (const view of json.bufferViews ?? []) {
    view.byteOffset = (Number(view.byteOffset) || 0) + (starts[view.buffer ?? -1] ?? 0);
    view.buffer = 0;
  }
  for (const image of json.images ?? []) {
    if (image.uri === undefined) continue;
    const bytes = bytesOf(image.uri);
    if (!bytes) missing.push(String(image.uri).slice(0, 200));
    // A picture that did not come keeps its place in the list, with nothing in it.
    const own = bytes ?? new Uint8Array(NO_PICTURE);
    json.bufferViews = [...(json.bufferViews ?? []), { buffer: 0, byteOffset: add(own), byteLength: own.length }];
    image.bufferView = json.bufferViews.length - 1;
    image.mimeType ??= mimeOf(own);
    image.name ??= image.uri.startsWith("data:") ? undefined : image.uri;
    delete image.uri;
  }
  const binary = new Uint8Array(length);
  let at = 0;
  for (const piece of pieces) {
    binary.set(piece, at);
    at += piece.length;
  }
  json.buffers = length > 0 ? [{ byteLength: length }] : [];
  return { glb: glbOf(json, binary), missing };
}

/** glTF 2.0 (ISO/IEC 12113): metres, Y up. Of one file, or of several that came together. */
export const gltf: Importer = {
  title: "glTF",
  rank: 4,
  recognises: (bytes) => {
    if (isGlb(bytes)) return true;
    const head = headOf(bytes, 1 << 16).trimStart();
    return head.startsWith("{") && /"asset"\s*:|"(meshes|accessors|bufferViews|buffers)"\s*:/.test(head);
  },
  read: (main, files) => {
    const { glb, missing } = isGlb(main.bytes) ? { glb: main.bytes, missing: [] } : packed(main, files);
    return { content: glb, unit: 1, upIsSure: true, notices: [], missing };
  },
};
