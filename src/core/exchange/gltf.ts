import type {
  Accessor,
  Document,
  Material as GltfMaterial,
  Mesh as GltfMesh,
  Node,
  Primitive,
  Scene,
  Texture as GltfTexture,
  TextureInfo,
  TypedArray,
} from "@gltf-transform/core";
import { WebIO } from "@gltf-transform/core";
import type {
  Anisotropy,
  Clearcoat,
  EmissiveStrength,
  InstancedMesh,
  IOR,
  Sheen,
  Specular,
  Transform,
  Transmission,
  Volume,
} from "@gltf-transform/extensions";
import {
  EXTMeshGPUInstancing,
  EXTTextureWebP,
  KHRMaterialsAnisotropy,
  KHRMaterialsClearcoat,
  KHRMaterialsEmissiveStrength,
  KHRMaterialsIOR,
  KHRMaterialsSheen,
  KHRMaterialsSpecular,
  KHRMaterialsTransmission,
  KHRMaterialsVolume,
  KHRMeshQuantization,
  KHRTextureTransform,
} from "@gltf-transform/extensions";
import { linearToCode } from "../colour/srgb.ts";
import type { Material, Mesh, Model, Texture, TextureMatrix, TextureWrap } from "../props/model.ts";
import { COPY_FLOATS, plainMaterial, plainMatrix, triangleCount } from "../props/model.ts";
import { pictureHeader } from "../image/header.ts";
import { MODEL_LIMITS, ModelError, NO_PICTURE, checkGlb, keptAsCopies } from "./glbCheck.ts";

export { ModelError } from "./glbCheck.ts";

export const EXTENSIONS = [
  EXTMeshGPUInstancing,
  EXTTextureWebP,
  KHRMaterialsAnisotropy,
  KHRMaterialsClearcoat,
  KHRMaterialsEmissiveStrength,
  KHRMaterialsIOR,
  KHRMaterialsSheen,
  KHRMaterialsSpecular,
  KHRMaterialsTransmission,
  KHRMaterialsVolume,
  KHRMeshQuantization,
  KHRTextureTransform,
];

/** Decodes a PNG, JPEG or WebP to RGBA8 texels; browser and server have their own. */
export type ImageDecoder = (bytes: Uint8Array, mimeType: string) => Promise<Texture>;

export interface ImportedModel {
  model: Model;
  /** What was left out or replaced, in sentences. */
  notices: string[];
  /** Whose it is, in the file's own words; empty where it says nothing. */
  copyright: string;
}

export const READABLE: ReadonlySet<string> = new Set(EXTENSIONS.map((e) => e.EXTENSION_NAME));

/**
 * Reads a binary glTF 2.0 (GLB) into metres, Z up. Throws ModelError with advice when the file cannot be used; the
 * parts that can be left out (lines, points, animations, skins) are named in the notices.
 */
export async function importGlb(
  bytes: Uint8Array,
  decode: ImageDecoder,
  tell?: (share: number) => void,
): Promise<ImportedModel> {
  if (bytes.length < 20 || String.fromCharCode(...bytes.subarray(0, 4)) !== "glTF") {
    throw new ModelError("This is not a binary glTF file. Export the model as .glb (glTF 2.0, binary).");
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const version = view.getUint32(4, true);
  if (version !== 2) throw new ModelError(`The file is glTF version ${version}. Export it as glTF 2.0 (.glb).`);
  const declared = view.getUint32(8, true);
  if (declared > bytes.length) {
    throw new ModelError(
      `The file is cut short: it says ${declared} bytes, ${bytes.length} are there. Copy or export it again.`,
    );
  }
  let document: Document;
  try {
    checkGlb(bytes, READABLE);
    document = await new WebIO().registerExtensions(EXTENSIONS).readBinary(bytes);
  } catch (error) {
    if (error instanceof ModelError) throw error;
    const reason = error instanceof Error ? error.message : String(error);
    throw new ModelError(`The model cannot be read (${reason}). Export it again as .glb with everything embedded.`);
  }
  const root = document.getRoot();
  const notices: string[] = [];
  const textures: Texture[] = [];
  const textureNumbers = new Map<GltfTexture, number>();
  countTextures(root.listTextures());
  for (const [i, texture] of root.listTextures().entries()) {
    tell?.(i / root.listTextures().length);
    const image = texture.getImage();
    const name = nameOf(texture, textures.length);
    if (!image || image.length <= NO_PICTURE) {
      notices.push(`Texture ${name} is not in the file and was left out; embed textures when exporting.`);
      continue;
    }
    if (!pictureHeader(image)) {
      notices.push(`Texture ${name} is not a JPEG, PNG or WebP and was left out.`);
      continue;
    }
    try {
      textureNumbers.set(texture, textures.push(await decode(image, texture.getMimeType())) - 1);
    } catch {
      notices.push(`Texture ${name} cannot be decoded (${texture.getMimeType() || "unknown type"}) and was left out.`);
    }
  }
  const materials: Material[] = [];
  const materialNumbers = new Map<GltfMaterial | null, number>();
  const materialOf = (source: GltfMaterial | null): number => {
    let number = materialNumbers.get(source);
    if (number === undefined) {
      number =
        materials.push(
          source
            ? convertMaterial(source, textures, textureNumbers)
            : plainMaterial({ baseColor: [1, 1, 1, 1], metallic: 1, roughness: 1 }),
        ) - 1;
      materialNumbers.set(source, number);
    }
    return number;
  };
  const meshes: Mesh[] = [];
  const scene = root.getDefaultScene() ?? root.listScenes()[0];
  let others = 0;
  const places = new Map<GltfMesh, number[][]>();
  const names = new Map<GltfMesh, string>();
  for (const [node, matrix] of placedNodes(scene)) {
    const mesh = node.getMesh();
    if (!mesh) continue;
    const known = places.get(mesh) ?? [];
    for (const m of instancesOf(node, matrix)) known.push(m);
    places.set(mesh, known);
    if (!names.has(mesh)) names.set(mesh, node.getName() || mesh.getName());
  }
  for (const [source, matrices] of places) {
    for (const primitive of source.listPrimitives()) {
      const material = materialOf(primitive.getMaterial());
      const found = primitive.getMode() === 4 ? placedMeshes(primitive, matrices, material) : [];
      const name = names.get(source);
      if (name) for (const mesh of found) mesh.name = name;
      if (found.length === 0) others += matrices.length;
      meshes.push(...found);
    }
  }
  if (others > 0) notices.push(`${others} parts are lines, points, strips or have no positions, and were left out.`);
  for (const material of root.listMaterials()) notices.push(...leftOut(material));
  if (root.listAnimations().length > 0) notices.push("Animations were left out; the model stands as it was exported.");
  const model = { meshes, materials, textures };
  if (triangleCount(model) === 0)
    throw new ModelError("The file holds no triangles. Check that meshes were selected for export.");
  return { model, notices, copyright: root.getAsset().copyright ?? "" };
}

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];

/** A primitive where its nodes put it: as one mesh with copies where it stands often, else as a mesh for each place. */
function placedMeshes(primitive: Primitive, matrices: number[][], material: number): Mesh[] {
  const triangles = (primitive.getIndices() ?? primitive.getAttribute("POSITION"))?.getCount() ?? 0;
  // What is turned inside out keeps its own corners, in their own order.
  if (!keptAsCopies(triangles / 3, matrices.length) || matrices.some((m) => turns(m) < 0)) {
    return matrices.flatMap((m) => convertPrimitive(primitive, m, material) ?? []);
  }
  const mesh = convertPrimitive(primitive, IDENTITY, material);
  if (!mesh) return [];
  const copies = new Float32Array(matrices.length * COPY_FLOATS);
  matrices.forEach((m, i) => {
    const rows = worldRows(m);
    if (!rows.every((x) => Math.abs(x) <= MODEL_LIMITS.reach))
      throw new ModelError(
        "A part of the model stands nowhere in a photograph. Mend its place or scale and export again.",
      );
    copies.set(rows, i * COPY_FLOATS);
  });
  return [{ ...mesh, copies }];
}

/** Determinant of the linear part of a column-major 4 × 4 matrix. */
const turns = (m: number[]): number =>
  m[0] * (m[5] * m[10] - m[6] * m[9]) - m[4] * (m[1] * m[10] - m[2] * m[9]) + m[8] * (m[1] * m[6] - m[2] * m[5]);

/** A glTF matrix (column-major, Y up) as rows of 3 × 4 in the world (Z up): (x, y, z) there is (x, -z, y) here. */
function worldRows(m: number[]): number[] {
  // Columns that (x, y, z) of the world stand for, and rows likewise.
  const column = (j: number): [number, number] => (j === 0 ? [0, 1] : j === 1 ? [2, -1] : j === 2 ? [1, 1] : [3, 1]);
  return [0, 1, 2].flatMap((i) => {
    const [row, rowSign] = column(i);
    return [0, 1, 2, 3].map((j) => {
      const [col, sign] = column(j);
      return rowSign * sign * m[col * 4 + row] + 0;
    });
  });
}

const nameOf = (texture: GltfTexture, number: number): string =>
  texture.getName() || texture.getURI() || `number ${number + 1}`;

/** Counts the textures by their heads, before any is unpacked. Throws ModelError where they are too large. */
function countTextures(textures: GltfTexture[]): void {
  let bytes = 0;
  for (const [i, texture] of textures.entries()) {
    const head = pictureHeader(texture.getImage() ?? new Uint8Array(0));
    if (!head) continue;
    const { width, height } = head;
    if (Math.max(width, height) > MODEL_LIMITS.textureSide) {
      throw new ModelError(
        `Texture ${nameOf(texture, i)} has ${width} × ${height} pixels; at most ${MODEL_LIMITS.textureSide} × ${MODEL_LIMITS.textureSide} fit. Make it smaller and export again.`,
      );
    }
    bytes += width * height * 4;
  }
  if (bytes > MODEL_LIMITS.textureBytes) {
    throw new ModelError(
      `The model's textures take ${(bytes / 1024 ** 3).toFixed(1)} GiB once unpacked; ${MODEL_LIMITS.textureBytes / 1024 ** 3} fit. Make them smaller and export again: half the width and height is a quarter of it.`,
    );
  }
}

/** A scene's nodes with their matrices in the world (column-major 4 × 4), parents before children. */
function placedNodes(scene: Scene | undefined): [Node, number[]][] {
  const placed: [Node, number[]][] = (scene?.listChildren() ?? []).map((node) => [node, [...node.getMatrix()]]);
  for (let i = 0; i < placed.length; i++) {
    const [node, m] = placed[i];
    for (const child of node.listChildren()) placed.push([child, multiplied(m, child.getMatrix())]);
  }
  return placed;
}

/** An element of a list, or what stands for it where there is no list. */
const element = <T extends [number, number, number] | [number, number, number, number]>(
  list: Accessor | null,
  i: number,
  none: T,
): T => (list ? (list.getElement(i, [...none]) as T) : none);

/** Matrices of a node's mesh: its own, or one for every instance (EXT_mesh_gpu_instancing). */
function instancesOf(node: Node, matrix: number[]): number[][] {
  const lists = node.getExtension<InstancedMesh>("EXT_mesh_gpu_instancing");
  if (!lists) return [matrix];
  const of = (name: string) => lists.getAttribute(name);
  const [moved, turned, sized] = ["TRANSLATION", "ROTATION", "SCALE"].map(of);
  const count = (moved ?? turned ?? sized)?.getCount() ?? 0;
  return Array.from({ length: count }, (_, i) => {
    const [x, y, z] = element(moved, i, [0, 0, 0]);
    const [qx, qy, qz, qw] = element(turned, i, [0, 0, 0, 1]);
    const [sx, sy, sz] = element(sized, i, [1, 1, 1]);
    // prettier-ignore
    return multiplied(matrix, [
      sx * (1 - 2 * (qy * qy + qz * qz)), sx * 2 * (qx * qy + qz * qw), sx * 2 * (qx * qz - qy * qw), 0,
      sy * 2 * (qx * qy - qz * qw), sy * (1 - 2 * (qx * qx + qz * qz)), sy * 2 * (qy * qz + qx * qw), 0,
      sz * 2 * (qx * qz + qy * qw), sz * 2 * (qy * qz - qx * qw), sz * (1 - 2 * (qx * qx + qy * qy)), 0,
      x, y, z, 1,
    ]);
  });
}

function multiplied(a: ArrayLike<number>, b: ArrayLike<number>): number[] {
  return Array.from({ length: 16 }, (_, i) => {
    const [row, column] = [i % 4, i - (i % 4)];
    return a[row] * b[column] + a[row + 4] * b[column + 1] + a[row + 8] * b[column + 2] + a[row + 12] * b[column + 3];
  });
}

const extension = <T>(source: GltfMaterial, name: string): T | null => source.getExtension(name) as T | null;

function convertMaterial(source: GltfMaterial, textures: Texture[], numbers: Map<GltfTexture, number>): Material {
  const slot = (t: GltfTexture | null, info: TextureInfo | null): [number | null, TextureMatrix] => {
    const number = t ? (numbers.get(t) ?? null) : null;
    if (number === null || !info) return [null, plainMatrix()];
    textures[number].wrap = [wrapOf(info.getWrapS()), wrapOf(info.getWrapT())];
    return [number, matrixOf(info)];
  };
  const [baseTexture, baseMatrix] = slot(source.getBaseColorTexture(), source.getBaseColorTextureInfo());
  const [surfaceTexture, surfaceMatrix] = slot(
    source.getMetallicRoughnessTexture(),
    source.getMetallicRoughnessTextureInfo(),
  );
  const [normalTexture, normalMatrix] = slot(source.getNormalTexture(), source.getNormalTextureInfo());
  const [emissiveTexture, emissiveMatrix] = slot(source.getEmissiveTexture(), source.getEmissiveTextureInfo());
  const strength = extension<EmissiveStrength>(source, "KHR_materials_emissive_strength")?.getEmissiveStrength() ?? 1;
  const specular = extension<Specular>(source, "KHR_materials_specular");
  const volume = extension<Volume>(source, "KHR_materials_volume");
  const coat = extension<Clearcoat>(source, "KHR_materials_clearcoat");
  const sheen = extension<Sheen>(source, "KHR_materials_sheen");
  const grain = extension<Anisotropy>(source, "KHR_materials_anisotropy");
  const [r, g, b] = source.getEmissiveFactor();
  return {
    name: source.getName(),
    baseColor: [...source.getBaseColorFactor()] as Material["baseColor"],
    metallic: source.getMetallicFactor(),
    roughness: source.getRoughnessFactor(),
    emissive: [r * strength, g * strength, b * strength],
    index: extension<IOR>(source, "KHR_materials_ior")?.getIOR() ?? 1.5,
    specular: specular?.getSpecularFactor() ?? 1,
    specularColor: specular ? [...specular.getSpecularColorFactor()] : [1, 1, 1],
    transmission: extension<Transmission>(source, "KHR_materials_transmission")?.getTransmissionFactor() ?? 0,
    thin: !volume || volume.getThicknessFactor() === 0,
    absorption: volume ? absorptionOf(volume) : [0, 0, 0],
    coat: coat?.getClearcoatFactor() ?? 0,
    coatRoughness: coat?.getClearcoatRoughnessFactor() ?? 0,
    sheenColor: sheen ? [...sheen.getSheenColorFactor()] : [0, 0, 0],
    sheenRoughness: sheen?.getSheenRoughnessFactor() ?? 0,
    anisotropy: grain?.getAnisotropyStrength() ?? 0,
    anisotropyTurn: grain?.getAnisotropyRotation() ?? 0,
    alpha: ({ OPAQUE: "opaque", MASK: "mask", BLEND: "blend" } as const)[source.getAlphaMode()],
    alphaCutoff: source.getAlphaCutoff(),
    normalScale: source.getNormalScale(),
    baseTexture,
    surfaceTexture,
    normalTexture,
    emissiveTexture,
    baseMatrix,
    surfaceMatrix,
    normalMatrix,
    emissiveMatrix,
  };
}

/** KHR_materials_volume: what is left after the attenuation distance is the attenuation colour. */
function absorptionOf(volume: Volume): Material["absorption"] {
  const distance = volume.getAttenuationDistance();
  if (!Number.isFinite(distance) || distance <= 0) return [0, 0, 0];
  return volume.getAttenuationColor().map((c) => -Math.log(Math.max(1e-6, c)) / distance) as Material["absorption"];
}

const wrapOf = (mode: number): TextureWrap => (mode === 33071 ? "clamp" : mode === 33648 ? "mirror" : "repeat");

/** KHR_texture_transform: scale, then turn (counter-clockwise in a picture whose v points down), then offset. */
function matrixOf(info: TextureInfo): TextureMatrix {
  const transform = info.getExtension("KHR_texture_transform") as Transform | null;
  if (!transform) return plainMatrix();
  const [sx, sy] = transform.getScale();
  const [ox, oy] = transform.getOffset();
  const [c, s] = [Math.cos(transform.getRotation()), Math.sin(transform.getRotation())];
  return [c * sx, s * sy, ox, -s * sx, c * sy, oy];
}

/** Sentences on what of a material is not taken in. */
function leftOut(source: GltfMaterial): string[] {
  const name = source.getName() || "without a name";
  const parts: string[] = [];
  const has = (what: string, texture: GltfTexture | null | undefined) => {
    if (texture) parts.push(what);
  };
  has("transmission", extension<Transmission>(source, "KHR_materials_transmission")?.getTransmissionTexture());
  has("thickness", extension<Volume>(source, "KHR_materials_volume")?.getThicknessTexture());
  const coat = extension<Clearcoat>(source, "KHR_materials_clearcoat");
  has("coat", coat?.getClearcoatTexture() ?? coat?.getClearcoatRoughnessTexture() ?? coat?.getClearcoatNormalTexture());
  const specular = extension<Specular>(source, "KHR_materials_specular");
  has("specular", specular?.getSpecularTexture() ?? specular?.getSpecularColorTexture());
  const sheen = extension<Sheen>(source, "KHR_materials_sheen");
  has("sheen", sheen?.getSheenColorTexture() ?? sheen?.getSheenRoughnessTexture());
  has("grain", extension<Anisotropy>(source, "KHR_materials_anisotropy")?.getAnisotropyTexture());
  const sentences = parts.length
    ? [`Material ${name}: its textures for ${parts.join(", ")} are not read; the even values are used.`]
    : [];
  const infos = [
    source.getBaseColorTextureInfo(),
    source.getMetallicRoughnessTextureInfo(),
    source.getNormalTextureInfo(),
    source.getEmissiveTextureInfo(),
  ];
  if (infos.some((i) => i && i.getTexCoord() > 0))
    sentences.push(`Material ${name}: its second texture coordinates are not read; the first are used.`);
  return sentences;
}

/** glTF is Y up, metres; the world here is Z up: (x, y, z) becomes (x, -z, y). `m` is column-major 4x4. */
/** An accessor's numbers one after the other; those that are kept as whole numbers for shares are made shares. */
function numbersOf(accessor: Accessor): TypedArray {
  const list = accessor.getArray();
  const size = accessor.getElementSize();
  // Where fewer are there than it counts, the rest are zeros.
  if (list && !accessor.getNormalized() && list.length >= accessor.getCount() * size) return list;
  const numbers = new Float32Array(accessor.getCount() * size);
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) numbers.set(accessor.getElement(i, element), i * size);
  return numbers;
}

function convertPrimitive(primitive: Primitive, m: number[], material: number): Mesh | null {
  const source = primitive.getAttribute("POSITION");
  if (!source) return null;
  const count = source.getCount();
  const positions = new Float32Array(count * 3);
  const p = numbersOf(source);
  for (let i = 0; i < count * 3; i += 3) {
    const x = m[0] * p[i] + m[4] * p[i + 1] + m[8] * p[i + 2] + m[12];
    const y = m[1] * p[i] + m[5] * p[i + 1] + m[9] * p[i + 2] + m[13];
    const z = m[2] * p[i] + m[6] * p[i + 1] + m[10] * p[i + 2] + m[14];
    if (!(Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) <= MODEL_LIMITS.reach)) {
      throw new ModelError(
        `The model has a corner at ${[x, y, z].map((c) => c.toPrecision(3)).join(", ")} m, which is nowhere in a photograph. Mend its coordinates or its scale and export again.`,
      );
    }
    positions[i] = x;
    positions[i + 1] = -z;
    positions[i + 2] = y;
  }
  const indexSource = primitive.getIndices();
  const indices = new Uint32Array(indexSource ? indexSource.getCount() : count);
  if (indexSource) indices.set(numbersOf(indexSource));
  else for (let i = 0; i < count; i++) indices[i] = i;
  for (const index of indices)
    if (index >= count)
      throw new ModelError(`The model names vertex ${index} of ${count}: the file is damaged. Export it again.`);
  const flips = turns(m) < 0;
  if (flips)
    for (let i = 0; i + 2 < indices.length; i += 3) [indices[i], indices[i + 1]] = [indices[i + 1], indices[i]];
  const normalSource = primitive.getAttribute("NORMAL");
  const normals = new Float32Array(count * 3);
  if (normalSource) {
    const broken: number[] = [];
    // Cofactors of the linear part: the inverse transpose up to scale.
    const c = [
      m[5] * m[10] - m[6] * m[9],
      m[6] * m[8] - m[4] * m[10],
      m[4] * m[9] - m[5] * m[8],
      m[2] * m[9] - m[1] * m[10],
      m[0] * m[10] - m[2] * m[8],
      m[1] * m[8] - m[0] * m[9],
      m[1] * m[6] - m[2] * m[5],
      m[2] * m[4] - m[0] * m[6],
      m[0] * m[5] - m[1] * m[4],
    ];
    const s = flips ? -1 : 1;
    const n = numbersOf(normalSource);
    for (let i = 0; i < count * 3; i += 3) {
      const x = c[0] * n[i] + c[1] * n[i + 1] + c[2] * n[i + 2];
      const y = c[3] * n[i] + c[4] * n[i + 1] + c[5] * n[i + 2];
      const z = c[6] * n[i] + c[7] * n[i + 1] + c[8] * n[i + 2];
      const l = s / (Math.hypot(x, y, z) || 1);
      if (!Number.isFinite(x * l + y * l + z * l)) {
        broken.push(i);
        continue;
      }
      normals[i] = x * l;
      normals[i + 1] = -z * l;
      normals[i + 2] = y * l;
    }
    if (broken.length > 0) {
      const own = new Float32Array(count * 3);
      averageNormals(positions, indices, own);
      for (const at of broken) normals.set(own.subarray(at, at + 3), at);
    }
  } else averageNormals(positions, indices, normals);
  const uvSource = primitive.getAttribute("TEXCOORD_0");
  let uvs: Float32Array | null = null;
  if (uvSource) {
    const t = numbersOf(uvSource);
    uvs = new Float32Array(count * 2);
    for (let i = 0; i < uvs.length; i++) if (Number.isFinite(t[i])) uvs[i] = t[i];
  }
  const colours = coloursOf(primitive, count);
  const whole = indices.subarray(0, indices.length - (indices.length % 3));
  return { positions, normals, uvs, ...(colours && { colours }), indices: whole, material };
}

/** Colours of the corners, RGBA bytes as on a screen; in the file they are linear. Null where it has none. */
function coloursOf(primitive: Primitive, count: number): Uint8Array | null {
  const source = primitive.getAttribute("COLOR_0");
  if (!source) return null;
  const colours = new Uint8Array(count * 4).fill(255);
  const c = [1, 1, 1, 1];
  for (let i = 0; i < count; i++) {
    source.getElement(i, c);
    for (let k = 0; k < 3; k++) colours[i * 4 + k] = linearToCode(Number.isFinite(c[k]) ? c[k] : 1, 8);
  }
  return colours;
}

/** Vertex normals as area-weighted means of the triangles' own. */
export function averageNormals(positions: Float32Array, indices: Uint32Array, into: Float32Array): void {
  const p = positions;
  for (let i = 0; i + 2 < indices.length; i += 3) {
    const [a, b, c] = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    for (const at of [a, b, c]) for (let k = 0; k < 3; k++) into[at + k] += n[k];
  }
  for (let i = 0; i < into.length; i += 3) {
    const l = 1 / (Math.hypot(into[i], into[i + 1], into[i + 2]) || 1);
    for (let k = 0; k < 3; k++) into[i + k] *= l;
  }
}
