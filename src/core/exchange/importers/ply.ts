import { Document } from "@gltf-transform/core";
import { ModelError } from "../glbCheck.ts";
import { baseName } from "../files.ts";
import type { Importer } from "./kind.ts";
import { cutPolygon } from "./obj.ts";
import type { Soup } from "../../props/soup.ts";
import { noRepairs } from "../../props/soup.ts";
import { addSoup, checkCounts, repairNotices } from "./soup.ts";
import { turnedUp } from "./stl.ts";
import { headOf, linesOf } from "./text.ts";

/** PLY (Greg Turk, The PLY Polygon File Format, 1994), text and binary of both byte orders. */

const BYTES: Record<string, number> = {
  char: 1,
  int8: 1,
  uchar: 1,
  uint8: 1,
  short: 2,
  int16: 2,
  ushort: 2,
  uint16: 2,
  int: 4,
  int32: 4,
  uint: 4,
  uint32: 4,
  float: 4,
  float32: 4,
  double: 8,
  float64: 8,
};

interface Property {
  name: string;
  type: string;
  /** Type of the count, where it is a list. */
  list: string | null;
}
interface Element {
  name: string;
  count: number;
  properties: Property[];
}
interface Header {
  format: string;
  elements: Element[];
  /** Where the data begins. */
  end: number;
}

const damaged = (what: string) => new ModelError(`The PLY file is damaged: ${what}. Export it again.`);

function readHeader(bytes: Uint8Array): Header {
  const head = headOf(bytes, 1 << 16);
  const match = /(^|\n)end_header[^\n\r]*(\r\n|\n|\r)/.exec(head);
  if (!match) throw damaged("its header does not end");
  const elements: Element[] = [];
  let format = "";
  for (const line of head.slice(0, match.index).split(/\r\n|\n|\r/)) {
    const words = line.trim().split(/\s+/);
    if (words[0] === "format") format = words[1];
    else if (words[0] === "element") {
      const count = Number(words[2]);
      if (!Number.isInteger(count) || count < 0) throw damaged(`it has ${words[2]} of “${words[1]}”`);
      elements.push({ name: words[1], count, properties: [] });
    } else if (words[0] === "property") {
      const list = words[1] === "list";
      const [type, name] = list ? [words[3], words[4]] : [words[1], words[2]];
      if (!BYTES[type] || !name || (list && !BYTES[words[2]])) throw damaged(`a property is of no known kind`);
      elements.at(-1)?.properties.push({ name, type, list: list ? words[2] : null });
    }
  }
  if (!["ascii", "binary_little_endian", "binary_big_endian"].includes(format))
    throw damaged(`its format is “${format}”`);
  return { format, elements, end: match.index + match[0].length };
}

/** Takes numbers one after another, from text or bytes. */
type Take = (type: string) => number;

function takerOf(bytes: Uint8Array, { format, elements, end }: Header): Take {
  const body = bytes.subarray(end);
  const least = elements.reduce(
    (sum, e) =>
      sum + e.count * e.properties.reduce((s, p) => s + (format === "ascii" ? 2 : BYTES[p.list ?? p.type]), 0),
    0,
  );
  if (least > body.length + 2)
    throw damaged(
      `it needs at least ${least.toLocaleString("en")} bytes of data and has ${body.length.toLocaleString("en")}`,
    );
  if (format === "ascii") {
    const lines = linesOf(body);
    let words: string[] = [];
    let at = 0;
    return () => {
      while (at >= words.length) {
        const next = lines.next();
        if (next.done) throw damaged("it ends too early");
        words = next.value.trim().split(/\s+/).filter(Boolean);
        at = 0;
      }
      return Number(words[at++]);
    };
  }
  const view = new DataView(body.buffer, body.byteOffset, body.byteLength);
  const little = format === "binary_little_endian";
  let at = 0;
  return (type) => {
    const size = BYTES[type];
    if (at + size > body.length) throw damaged("it ends too early");
    const from = at;
    at += size;
    if (type === "float" || type === "float32") return view.getFloat32(from, little);
    if (size === 8) return view.getFloat64(from, little);
    const signed = !type.startsWith("u");
    if (size === 1) return signed ? view.getInt8(from) : view.getUint8(from);
    if (size === 2) return signed ? view.getInt16(from, little) : view.getUint16(from, little);
    return signed ? view.getInt32(from, little) : view.getUint32(from, little);
  };
}

interface Vertices {
  count: number;
  columns: Map<string, Float32Array>;
  types: Map<string, string>;
}

function readVertices({ count, properties }: Element, take: Take): Vertices {
  checkCounts(0, count);
  const columns = new Map(properties.filter((p) => !p.list).map((p) => [p.name, new Float32Array(count)]));
  const rows = properties.map((p) => columns.get(p.name));
  for (let i = 0; i < count; i++) {
    for (let k = 0; k < properties.length; k++) {
      const { list, type } = properties[k];
      if (!list) rows[k]![i] = take(type);
      else for (let n = take(list); n > 0; n--) take(type);
    }
  }
  return { count, columns, types: new Map(properties.map((p) => [p.name, p.type])) };
}

/** Several columns as one list, or null where one is missing. */
function joined({ count, columns }: Vertices, names: string[]): Float32Array | null {
  const of = names.map((name) => columns.get(name));
  if (of.some((column) => !column)) return null;
  const list = new Float32Array(count * names.length);
  of.forEach((column, k) => {
    for (let i = 0; i < count; i++) list[i * names.length + k] = column![i];
  });
  return list;
}

const MOST_CORNERS = 10_000;

function readFaces({ count, properties }: Element, take: Take, vertices: number, positions: Float32Array) {
  const corners: number[] = [];
  let polygons = 0;
  for (let i = 0; i < count; i++) {
    for (const { name, list, type } of properties) {
      const own = list !== null && /^vertex_ind(ices|ex)$/.test(name);
      if (!list) {
        take(type);
        continue;
      }
      const n = take(list);
      if (!(n >= 0 && n <= MOST_CORNERS)) throw damaged(`a face has ${n} corners`);
      const ring: number[] = [];
      for (let k = 0; k < n; k++) {
        const at = take(type);
        if (own && !(at >= 0 && at < vertices)) throw damaged(`a face names corner ${at} of ${vertices}`);
        ring.push(at);
      }
      if (!own || n < 3) continue;
      if (n === 3) corners.push(ring[0], ring[1], ring[2]);
      else {
        if (n > 4) polygons++;
        const at = (j: number) => [...positions.subarray(ring[j] * 3, ring[j] * 3 + 3)] as [number, number, number];
        for (const j of cutPolygon(at, n)) corners.push(ring[j]);
      }
    }
    if (i % 65536 === 0) checkCounts(corners.length / 3, vertices);
  }
  checkCounts(corners.length / 3, vertices);
  return { indices: new Uint32Array(corners), polygons };
}

/** RGBA bytes from columns of bytes or of shares. */
function coloursOf(v: Vertices): Uint8Array | null {
  const names = ["red", "green", "blue"].every((n) => v.columns.has(n))
    ? ["red", "green", "blue"]
    : ["diffuse_red", "diffuse_green", "diffuse_blue"];
  const rgb = joined(v, names);
  if (!rgb) return null;
  const type = v.types.get(names[0])!;
  const scale = BYTES[type] === 1 ? 1 : BYTES[type] === 2 ? 1 / 257 : 255;
  const bytes = new Uint8Array(v.count * 4).fill(255);
  for (let i = 0; i < v.count; i++)
    for (let k = 0; k < 3; k++) bytes[i * 4 + k] = Math.min(255, Math.max(0, Math.round(rgb[i * 3 + k] * scale)));
  return bytes;
}

export const ply: Importer = {
  title: "PLY",
  rank: 2,
  recognises: (bytes) => /^ply\s*[\r\n]/.test(headOf(bytes, 16)),
  read: (main) => {
    const header = readHeader(main.bytes);
    const take = takerOf(main.bytes, header);
    let vertices: Vertices | null = null;
    let positions: Float32Array | null = null;
    let faces: ReturnType<typeof readFaces> | null = null;
    for (const element of header.elements) {
      if (element.name === "vertex") {
        vertices = readVertices(element, take);
        positions = joined(vertices, ["x", "y", "z"]);
      } else if (element.name === "face" && positions) faces = readFaces(element, take, vertices!.count, positions);
      else
        for (let i = 0; i < element.count && !faces; i++)
          for (const p of element.properties) for (let n = p.list ? take(p.list) : 1; n > 0; n--) take(p.type);
    }
    if (!vertices || !positions) throw damaged("it has no corners with x, y and z");
    if (!faces || faces.indices.length === 0)
      throw new ModelError("The PLY file holds points and no faces. Make a mesh of them first, then export that.");
    const normals = joined(vertices, ["nx", "ny", "nz"]);
    const uvs =
      joined(vertices, ["s", "t"]) ?? joined(vertices, ["u", "v"]) ?? joined(vertices, ["texture_u", "texture_v"]);
    const soup: Soup = {
      name: baseName(main.path).replace(/\.[^.]*$/, "") || "mesh",
      positions: turnedUp(positions),
      normals: normals && turnedUp(normals),
      uvs,
      colours: coloursOf(vertices),
      indices: faces.indices,
    };
    const document = new Document();
    const shade = soup.colours ? 1 : 0.5;
    const material = document.createMaterial("plain").setMetallicFactor(0).setRoughnessFactor(0.7).setDoubleSided(true);
    material.setBaseColorFactor([shade, shade, shade, 1]);
    const repairs = noRepairs();
    repairs.polygons = faces.polygons;
    if (!addSoup(document, soup, material, repairs))
      throw new ModelError("The file holds no triangles that have an area. Export it again.");
    return { content: document, unit: null, upIsSure: false, notices: repairNotices(repairs), missing: [] };
  },
};
