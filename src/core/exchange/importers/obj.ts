import { Document } from "@gltf-transform/core";
import { KHRMaterialsClearcoat, KHRMaterialsIOR, KHRTextureTransform } from "@gltf-transform/extensions";
import type { Material } from "@gltf-transform/core";
import earcut from "earcut";
import { srgbToLinear } from "../../colour/srgb.ts";
import { pictureHeader } from "../../image/header.ts";
import { ModelError } from "../glbCheck.ts";
import type { SourceFile } from "../files.ts";
import { baseName, findFile } from "../files.ts";
import type { Found, Importer } from "./kind.ts";
import type { MtlMap, MtlMaterial } from "./mtl.ts";
import { readMtl, roughnessOfShininess } from "./mtl.ts";
import type { Repairs } from "../../props/soup.ts";
import { noRepairs } from "../../props/soup.ts";
import { addSoup, checkCounts, repairNotices } from "./soup.ts";
import { headOf, linesOf } from "./text.ts";

/** Numbers that grow, without a list of boxes. */
class Numbers {
  values = new Float32Array(1 << 12);
  count = 0;
  add(x: number): void {
    if (this.count === this.values.length) {
      const wider = new Float32Array(this.values.length * 2);
      wider.set(this.values);
      this.values = wider;
    }
    this.values[this.count++] = x;
  }
}

/** Faces of one object and material: corners of triangles as (place, coordinates, normal), −1 for none. */
interface Group {
  name: string;
  material: string;
  corners: number[];
}

/** Cuts a polygon into triangles of its corners' numbers; convex ones by a fan, others in their own plane. */
export function cutPolygon(at: (i: number) => [number, number, number], count: number): number[] {
  let normal: [number, number, number] = [0, 0, 0];
  for (let i = 0; i < count; i++) {
    const [p, q] = [at(i), at((i + 1) % count)];
    normal = [
      normal[0] + (p[1] - q[1]) * (p[2] + q[2]),
      normal[1] + (p[2] - q[2]) * (p[0] + q[0]),
      normal[2] + (p[0] - q[0]) * (p[1] + q[1]),
    ];
  }
  const k = [0, 1, 2].reduce((most, i) => (Math.abs(normal[i]) > Math.abs(normal[most]) ? i : most), 0);
  const [u, v] = [(k + 1) % 3, (k + 2) % 3];
  const sign = Math.sign(normal[k]) || 1;
  const turn = (i: number): number => {
    const [a, b, c] = [at(i), at((i + 1) % count), at((i + 2) % count)];
    return sign * ((b[u] - a[u]) * (c[v] - b[v]) - (b[v] - a[v]) * (c[u] - b[u]));
  };
  const fan: number[] = [];
  for (let i = 1; i + 1 < count; i++) fan.push(0, i, i + 1);
  let convex = true;
  for (let i = 0; i < count && convex; i++) convex = turn(i) >= 0;
  if (convex) return fan;
  const flat: number[] = [];
  for (let i = 0; i < count; i++) flat.push(at(i)[u], at(i)[v]);
  const cut = earcut(flat);
  if (cut.length !== 3 * (count - 2)) return fan;
  // In the polygon's own sense.
  for (let i = 0; i < cut.length; i += 3) {
    const [a, b, c] = [at(cut[i]), at(cut[i + 1]), at(cut[i + 2])];
    if (sign * ((b[u] - a[u]) * (c[v] - a[v]) - (b[v] - a[v]) * (c[u] - a[u])) < 0)
      [cut[i + 1], cut[i + 2]] = [cut[i + 2], cut[i + 1]];
  }
  return cut;
}

/** What an OBJ file says, its faces cut into triangles. */
class Reading {
  readonly places = new Numbers();
  readonly coordinates = new Numbers();
  readonly normals = new Numbers();
  readonly colours = new Numbers();
  readonly groups = new Map<string, Group>();
  readonly libraries: string[] = [];
  readonly repairs: Repairs = noRepairs();
  lines = 0;
  triangles = 0;
  private object = "";
  private material = "";

  private number(word: string, count: number): number {
    const n = Number.parseInt(word, 10);
    if (!word || Number.isNaN(n) || n === 0) return -1;
    const i = n > 0 ? n - 1 : count + n;
    if (i < 0 || i >= count)
      throw new ModelError(`The file names corner ${word}, of ${count}: it is damaged or cut short. Export it again.`);
    return i;
  }

  private face(words: string[]): void {
    const corners = words.map((word): [number, number, number] => {
      const [v, t = "", n = ""] = word.split("/");
      const place = this.number(v, this.places.count / 3);
      if (place < 0) throw new ModelError(`A face of the file names “${word.slice(0, 30)}”. Export it again.`);
      return [place, this.number(t, this.coordinates.count / 2), this.number(n, this.normals.count / 3)];
    });
    if (corners.length < 3) return;
    const p = this.places.values;
    const at = (i: number): [number, number, number] => {
      const o = corners[i][0] * 3;
      return [p[o], p[o + 1], p[o + 2]];
    };
    const cut = corners.length === 3 ? [0, 1, 2] : cutPolygon(at, corners.length);
    if (corners.length > 4) this.repairs.polygons++;
    this.triangles += cut.length / 3;
    checkCounts(this.triangles, this.places.count / 3);
    const key = `${this.object}\n${this.material}`;
    let group = this.groups.get(key);
    if (!group) {
      group = { name: this.object, material: this.material, corners: [] };
      this.groups.set(key, group);
    }
    for (const i of cut) group.corners.push(...corners[i]);
  }

  line(text: string): void {
    const line = text.trim();
    if (line === "" || line.startsWith("#")) return;
    const words = line.split(/\s+/);
    const rest = words.slice(1);
    switch (words[0]) {
      case "v": {
        for (let k = 0; k < 3; k++) this.places.add(Number(rest[k]));
        if (rest.length >= 6) {
          while (this.colours.count < this.places.count - 3) this.colours.add(1);
          for (let k = 3; k < 6; k++) this.colours.add(Number(rest[k]));
        }
        return;
      }
      case "vt":
        this.coordinates.add(Number(rest[0]));
        this.coordinates.add(Number(rest[1] ?? 0));
        return;
      case "vn":
        for (let k = 0; k < 3; k++) this.normals.add(Number(rest[k]));
        return;
      case "f":
        this.face(rest);
        return;
      case "o":
      case "g":
        this.object = line.slice(1).trim();
        return;
      case "usemtl":
        this.material = line.slice(6).trim();
        return;
      case "mtllib":
        this.libraries.push(line.slice(6).trim());
        return;
      case "l":
      case "p":
        this.lines++;
    }
  }

  /** The corners of a group, each combination once. */
  soupOf({ name, material, corners }: Group) {
    const numbers = new Map<number, number[]>();
    const indices = new Uint32Array(corners.length / 3);
    const kept: number[] = [];
    for (let i = 0; i < corners.length; i += 3) {
      const [v, t, n] = [corners[i], corners[i + 1], corners[i + 2]];
      const known = numbers.get(v) ?? [];
      let at = -1;
      for (let k = 0; k < known.length && at < 0; k += 3) if (known[k] === t && known[k + 1] === n) at = known[k + 2];
      if (at < 0) {
        at = kept.length / 3;
        kept.push(v, t, n);
        known.push(t, n, at);
        numbers.set(v, known);
      }
      indices[i / 3] = at;
    }
    const count = kept.length / 3;
    const every = (k: number) => {
      for (let i = k; i < kept.length; i += 3) if (kept[i] < 0) return false;
      return true;
    };
    const of = (from: Numbers, k: number, width: number) => {
      const list = new Float32Array(count * width);
      for (let i = 0; i < count; i++)
        for (let c = 0; c < width; c++) list[i * width + c] = from.values[kept[i * 3 + k] * width + c];
      return list;
    };
    const colour = this.colours.count === this.places.count && this.colours.count > 0 ? of(this.colours, 0, 3) : null;
    const bytes = colour && new Uint8Array(count * 4).fill(255);
    if (bytes)
      for (let i = 0; i < count; i++)
        for (let c = 0; c < 3; c++) bytes[i * 4 + c] = Math.round(255 * Math.min(1, Math.max(0, colour[i * 3 + c])));
    return {
      name: name || material || "mesh",
      positions: of(this.places, 0, 3),
      normals: every(2) ? of(this.normals, 2, 3) : null,
      uvs: every(1) ? of(this.coordinates, 1, 2) : null,
      colours: bytes,
      indices,
    };
  }
}

/** Materials of the libraries in a glTF document, made when they are first asked for. */
class Materials {
  private readonly made = new Map<string, Material>();
  readonly notices: string[] = [];
  readonly missing = new Set<string>();
  private readonly known = new Map<string, MtlMaterial & { from: string }>();

  constructor(
    private readonly document: Document,
    private readonly files: readonly SourceFile[],
    libraries: readonly { name: string; from: string }[],
  ) {
    for (const { name, from } of libraries) {
      const file = findFile(files, name, from);
      if (!file) {
        this.missing.add(name);
        continue;
      }
      for (const [material, values] of readMtl(file)) this.known.set(material, { ...values, from: file.path });
    }
  }

  of(name: string): Material {
    const made = this.made.get(name);
    if (made) return made;
    const material = this.document
      .createMaterial(name || "plain")
      .setDoubleSided(true)
      .setMetallicFactor(0);
    this.made.set(name, material);
    const of = this.known.get(name);
    if (!of) {
      material.setBaseColorFactor([0.5, 0.5, 0.5, 1]).setRoughnessFactor(0.6);
      if (name) this.notices.push(`Material ${name} is named only; it is grey until you give it another one.`);
      return material;
    }
    // A picture takes the place of the colour; many programs write black beside it.
    const colour = of.maps.diffuse ? [1, 1, 1] : of.diffuse.map((c) => srgbToLinear(Math.min(1, Math.max(0, c))));
    material
      .setBaseColorFactor([colour[0], colour[1], colour[2], Math.min(1, Math.max(0, of.opacity))])
      .setMetallicFactor(of.metallic ?? 0)
      .setRoughnessFactor(of.roughness ?? (of.shininess === null ? 0.6 : roughnessOfShininess(of.shininess)))
      .setEmissiveFactor(of.emission.map((c) => Math.min(1, Math.max(0, c))) as [number, number, number]);
    if (of.index !== null && of.index > 1)
      material.setExtension(
        "KHR_materials_ior",
        this.document.createExtension(KHRMaterialsIOR).createIOR().setIOR(of.index),
      );
    if (of.coat > 0)
      material.setExtension(
        "KHR_materials_clearcoat",
        this.document
          .createExtension(KHRMaterialsClearcoat)
          .createClearcoat()
          .setClearcoatFactor(of.coat)
          .setClearcoatRoughnessFactor(of.coatRoughness),
      );
    if (of.opacity < 1) material.setAlphaMode("BLEND");
    if (of.maps.opacity) {
      const same = of.maps.diffuse && baseName(of.maps.opacity.file) === baseName(of.maps.diffuse.file);
      if (same) material.setAlphaMode("MASK");
      else of.unread.push("map_d");
    }
    this.map(
      of.maps.diffuse,
      of.from,
      (t) => material.setBaseColorTexture(t),
      () => material.getBaseColorTextureInfo(),
    );
    this.map(
      of.maps.normal,
      of.from,
      (t) => material.setNormalTexture(t),
      () => material.getNormalTextureInfo(),
    );
    this.map(
      of.maps.emission,
      of.from,
      (t) => material.setEmissiveTexture(t),
      () => material.getEmissiveTextureInfo(),
    );
    if (of.unread.length > 0)
      this.notices.push(
        `Material ${name}: ${[...new Set(of.unread)].join(", ")} not taken in; roughness and relief come from numbers.`,
      );
    return material;
  }

  private readonly textures = new Map<string, ReturnType<Document["createTexture"]>>();

  private map(
    map: MtlMap | undefined,
    from: string,
    put: (texture: ReturnType<Document["createTexture"]>) => unknown,
    info: () => ReturnType<Material["getBaseColorTextureInfo"]>,
  ): void {
    if (!map?.file) return;
    const file = findFile(this.files, map.file, from);
    if (!file) {
      this.missing.add(map.file);
      return;
    }
    let texture = this.textures.get(file.path);
    if (!texture) {
      const head = pictureHeader(file.bytes);
      if (!head) {
        this.notices.push(`${baseName(file.path)} is not a JPEG, PNG or WebP and was left out.`);
        return;
      }
      texture = this.document
        .createTexture(baseName(file.path))
        .setImage(file.bytes as Uint8Array<ArrayBuffer>)
        .setMimeType(mimeOf(file.bytes));
      this.textures.set(file.path, texture);
    }
    put(texture);
    const at = info();
    if (!at) return;
    if (map.clamp) at.setWrapS(33071).setWrapT(33071);
    const [sx, sy] = map.scale;
    const [ox, oy] = map.offset;
    // Coordinates there have V up: v′ = 1 − (s·(1 − v) + o) here.
    if (sx !== 1 || sy !== 1 || ox !== 0 || oy !== 0)
      at.setExtension(
        "KHR_texture_transform",
        this.document
          .createExtension(KHRTextureTransform)
          .createTransform()
          .setScale([sx, sy])
          .setOffset([ox, 1 - sy - oy]),
      );
  }
}

export const mimeOf = (bytes: Uint8Array): string =>
  bytes[0] === 0xff ? "image/jpeg" : bytes[0] === 0x89 ? "image/png" : "image/webp";

const STARTS = /^(#.*|v|vt|vn|vp|f|o|g|s|usemtl|mtllib|l|p|shadow_obj|trace_obj)$/;

export const obj: Importer = {
  title: "Wavefront OBJ",
  rank: 3,
  recognises: (bytes) => {
    const lines = headOf(bytes, 1 << 16)
      .split(/\r\n|\n|\r/)
      .slice(0, -1)
      .map((line) => line.trim().split(/\s+/)[0])
      .filter((word) => word !== "");
    const known = lines.filter((word) => STARTS.test(word));
    return known.includes("v") && known.length > 0.9 * lines.length;
  },
  read: (main, files, tell): Found => {
    const reading = new Reading();
    let held = "";
    for (const line of linesOf(main.bytes, tell)) {
      if (line.endsWith("\\")) {
        held += `${line.slice(0, -1)} `;
        continue;
      }
      reading.line(held + line);
      held = "";
    }
    const document = new Document();
    const materials = new Materials(
      document,
      files,
      reading.libraries.map((name) => ({ name, from: main.path })),
    );
    let any = false;
    for (const group of reading.groups.values())
      any = addSoup(document, reading.soupOf(group), materials.of(group.material), reading.repairs) || any;
    if (!any) throw new ModelError("The file holds no triangles. Check that meshes were selected for export.");
    const notices = [...repairNotices(reading.repairs), ...materials.notices];
    if (reading.lines > 0) notices.push(`${reading.lines} lines and points were left out.`);
    return { content: document, unit: null, upIsSure: false, notices, missing: [...materials.missing] };
  },
};
