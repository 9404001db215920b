import { BufferUtils } from "@gltf-transform/core";
import { MAX_TEXTURE_BYTES } from "../props/model.ts";

/** Why a model was refused, in a sentence for its user. */
export class ModelError extends Error {}

/** What a model may hold. Counted from the file's own words before anything of it is unpacked. */
export const MODEL_LIMITS = {
  triangles: 4_000_000,
  vertices: 12_000_000,
  nodes: 200_000,
  /** Places of all parts together. */
  copies: 1_000_000,
  /** Nodes below one another. */
  depth: 1000,
  textureSide: 8192,
  textureBytes: MAX_TEXTURE_BYTES,
  jsonBytes: 64 * 1024 ** 2,
  /** Elements that an accessor may have without data behind them (glTF: zeros). */
  bareElements: 1_000_000,
  /** What compressed views may be unpacked into. */
  unpackedBytes: 1024 ** 3,
  /** Metres from the origin: far beyond any place that a photograph shows. */
  reach: 1e6,
};

/** Bytes that stand for a picture which did not come along with its model. */
export const NO_PICTURE = 4;

interface Accessor {
  bufferView?: number;
  byteOffset?: number;
  componentType: number;
  count: number;
  type: string;
  sparse?: { count: number; indices?: { bufferView: number }; values?: { bufferView: number } };
}
interface Primitive {
  attributes?: Record<string, number>;
  indices?: number;
  mode?: number;
}
interface Json {
  buffers?: { uri?: string; byteLength?: number; extensions?: Record<string, { fallback?: boolean } | undefined> }[];
  bufferViews?: { buffer?: number; byteOffset?: number; byteLength?: number; byteStride?: number }[];
  accessors?: Accessor[];
  meshes?: { primitives?: Primitive[] }[];
  nodes?: {
    mesh?: number;
    children?: number[];
    extensions?: Record<string, { attributes?: Record<string, number> } | undefined>;
  }[];
  images?: { bufferView?: number; uri?: string }[];
  extensionsRequired?: string[];
  extensionsUsed?: string[];
}

const COMPONENT_BYTES: Record<number, number> = { 5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4 };
const COMPONENTS: Record<string, number> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT2: 4, MAT3: 9, MAT4: 16 };

const damaged = (what: string): ModelError => new ModelError(`The file is damaged: ${what}. Export it again.`);

const isCount = (x: unknown): x is number => typeof x === "number" && Number.isInteger(x) && x >= 0;

/**
 * Checks a GLB's JSON against the file: data that is there, counts within `MODEL_LIMITS`, nodes that are trees. Throws
 * ModelError. `readable` names the extensions that can be read.
 */
export function checkGlb(bytes: Uint8Array, readable: ReadonlySet<string>): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const jsonLength = view.getUint32(12, true);
  if (jsonLength > bytes.length - 20) throw damaged("its first part is longer than the file");
  if (jsonLength > MODEL_LIMITS.jsonBytes) throw new ModelError("The model has too many parts to read. Join some.");
  let json: Json;
  try {
    json = JSON.parse(BufferUtils.decodeText(bytes.subarray(20, 20 + jsonLength))) as Json;
  } catch {
    throw damaged("its description cannot be read");
  }
  if (typeof json !== "object" || json === null) throw damaged("its description is empty");
  for (const list of ["buffers", "bufferViews", "accessors", "meshes", "nodes", "images"] as const) {
    const entries: unknown = json[list] ?? [];
    if (!Array.isArray(entries) || entries.some((e) => typeof e !== "object" || e === null))
      throw damaged(`its ${list} are no list`);
  }
  const binary = 20 + jsonLength + 8 <= bytes.length ? view.getUint32(20 + jsonLength, true) : 0;
  checkBuffers(json, Math.min(binary, bytes.length - 20 - jsonLength - 8));
  const required = (json.extensionsRequired ?? []).filter((name) => !readable.has(name));
  if (required.length > 0) {
    throw new ModelError(
      `The model needs ${required.join(", ")}, which cannot be read. Export without compression and special extensions.`,
    );
  }
  (json.accessors ?? []).forEach((accessor, i) => checkAccessor(json, accessor, i));
  const uses = checkNodes(json);
  checkTriangles(json, uses);
}

function checkBuffers(json: Json, binary: number): void {
  (json.buffers ?? []).forEach((buffer, i) => {
    if (buffer.uri && !buffer.uri.startsWith("data:")) {
      throw new ModelError(
        `The model keeps its data in another file (${buffer.uri.slice(0, 100)}), which is missing. Export as .glb with everything in one file.`,
      );
    }
    // Buffers that compressed views are unpacked into have no bytes of their own.
    const fallback = buffer.extensions?.EXT_meshopt_compression?.fallback === true;
    if (fallback && (buffer.byteLength ?? 0) <= MODEL_LIMITS.unpackedBytes) return;
    if (!buffer.uri && (i > 0 || (buffer.byteLength ?? 0) > binary)) {
      throw new ModelError(
        `The model's data is missing: buffer ${i} needs ${buffer.byteLength ?? 0} bytes and the file holds ${i > 0 ? 0 : binary}. Export it again.`,
      );
    }
  });
  (json.bufferViews ?? []).forEach((v, i) => {
    const buffer = json.buffers?.[v.buffer ?? -1];
    if (!buffer || !isCount(v.byteLength) || !isCount(v.byteOffset ?? 0)) throw damaged(`view ${i} names no buffer`);
    if ((v.byteOffset ?? 0) + v.byteLength > (buffer.byteLength ?? 0)) throw damaged(`view ${i} leaves its buffer`);
  });
}

function checkAccessor(json: Json, a: Accessor, i: number): void {
  const size = COMPONENT_BYTES[a.componentType] * COMPONENTS[a.type];
  if (!size || !isCount(a.count) || !isCount(a.byteOffset ?? 0)) throw damaged(`list ${i} is of no known kind`);
  if (a.count > MODEL_LIMITS.vertices * 3)
    throw new ModelError(
      `The model has a list of ${a.count} numbers, more than can be read. Reduce it and export again.`,
    );
  if (a.bufferView === undefined) {
    const packed = json.extensionsUsed?.includes("KHR_draco_mesh_compression");
    if (a.count > (packed ? MODEL_LIMITS.vertices : MODEL_LIMITS.bareElements))
      throw new ModelError(`The model names ${a.count} points and holds no data for them. Export it again.`);
  } else {
    const v = json.bufferViews?.[a.bufferView];
    const stride = v?.byteStride ?? size;
    const needed = a.count === 0 ? 0 : (a.byteOffset ?? 0) + stride * (a.count - 1) + size;
    if (!v || !isCount(stride) || needed > (v.byteLength ?? 0))
      throw damaged(`list ${i} needs more data than there is`);
  }
  if (!a.sparse) return;
  const of = [a.sparse.indices?.bufferView, a.sparse.values?.bufferView];
  if (!isCount(a.sparse.count) || a.sparse.count > a.count || of.some((b) => !json.bufferViews?.[b ?? -1]))
    throw damaged(`list ${i} replaces more than it has`);
}

/** How often each mesh stands in the model. Throws where nodes are not trees. */
function checkNodes(json: Json): number[] {
  const nodes = json.nodes ?? [];
  if (nodes.length > MODEL_LIMITS.nodes)
    throw new ModelError(
      `The model has ${nodes.length} parts; at most ${MODEL_LIMITS.nodes} fit. Join some and export again.`,
    );
  const parents = new Int32Array(nodes.length).fill(-1);
  nodes.forEach((node, i) => {
    for (const child of node.children ?? []) {
      if (!isCount(child) || child >= nodes.length) throw damaged(`part ${i} has a part that is not there`);
      if (parents[child] >= 0) throw damaged(`part ${child} belongs to two others`);
      parents[child] = i;
    }
  });
  // A part whose way up does not end is in a ring.
  const depth = new Int32Array(nodes.length);
  for (let i = 0; i < nodes.length; i++) {
    const way: number[] = [];
    let at = i;
    while (at >= 0 && depth[at] === 0) {
      depth[at] = -1;
      way.push(at);
      at = parents[at];
      if (at >= 0 && depth[at] === -1) throw damaged("its parts contain one another");
    }
    let level = at >= 0 ? depth[at] : 0;
    for (const part of way.reverse()) depth[part] = ++level;
    if (level > MODEL_LIMITS.depth)
      throw new ModelError(
        `The model's parts are nested more than ${MODEL_LIMITS.depth} deep. Flatten them and export again.`,
      );
  }
  const uses = new Array<number>(json.meshes?.length ?? 0).fill(0);
  for (const { mesh, extensions } of nodes) {
    if (mesh === undefined) continue;
    if (!isCount(mesh) || mesh >= uses.length) throw damaged(`a part names mesh ${String(mesh)}, which is not there`);
    const lists = Object.values(extensions?.EXT_mesh_gpu_instancing?.attributes ?? {});
    const times = lists.map((list) => json.accessors?.[list]?.count ?? 0);
    uses[mesh] += lists.length > 0 ? Math.max(...times) : 1;
  }
  const most = uses.reduce((sum, n) => sum + n, 0);
  if (most > MODEL_LIMITS.copies)
    throw new ModelError(
      `The model's parts stand ${most} times; at most ${MODEL_LIMITS.copies} fit. Thin them out and export again.`,
    );
  return uses;
}

/** True if so many triangles that stand so often are kept once, with their places: fewer are as quick as one mesh. */
export const keptAsCopies = (triangles: number, times: number): boolean => times >= 4 && triangles * times > 50_000;

function checkTriangles(json: Json, uses: number[]): void {
  let triangles = 0;
  let vertices = 0;
  (json.meshes ?? []).forEach((mesh, i) => {
    if (uses[i] === 0) return;
    for (const p of mesh.primitives ?? []) {
      const position = json.accessors?.[p.attributes?.POSITION ?? -1];
      const order = p.indices === undefined ? position : json.accessors?.[p.indices];
      if (p.indices !== undefined && !order) throw damaged(`mesh ${i} names a list that is not there`);
      // What is not triangles is left out.
      if ((p.mode ?? 4) !== 4 || !position) continue;
      const own = Math.floor((order?.count ?? 0) / 3);
      const times = keptAsCopies(own, uses[i]) ? 1 : uses[i];
      vertices += position.count * times;
      triangles += own * times;
    }
  });
  if (triangles > MODEL_LIMITS.triangles || vertices > MODEL_LIMITS.vertices) {
    throw new ModelError(
      `The model has ${triangles} triangles and ${vertices} corners; at most ${MODEL_LIMITS.triangles} and ${MODEL_LIMITS.vertices} fit. Reduce it and export again.`,
    );
  }
}
