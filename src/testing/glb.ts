import { Document, NodeIO } from "@gltf-transform/core";
import type { Face } from "#core/set/face";
import { meshOf } from "#core/set/pieces";

/** Small binary glTF files made to measure: good ones, and ones that ask for more than they look. */
export interface GlbChoice {
  /** Triangles of the one mesh. */
  triangles?: number;
  /** Nodes that name the mesh. */
  copies?: number;
  /** Nodes below one another down to the mesh. */
  chain?: number;
  /** Two nodes that are each other's children. */
  ring?: boolean;
  /** Size of the triangles. */
  scale?: number;
  /** Elements of an accessor without data. */
  bare?: number;
  /** Bytes of the base colour's texture. */
  texture?: Uint8Array;
}

export function glbOf(choice: GlbChoice = {}): Uint8Array {
  const { triangles = 1, copies = 1, chain = 1, ring = false, scale = 1, bare = 0, texture } = choice;
  const positions = new Float32Array(triangles * 9);
  for (let t = 0; t < triangles; t++) {
    positions.set(
      [0, 0, t, 1, 0, t, 0, 1, t].map((x) => (x === 0 ? 0 : x * scale)),
      t * 9,
    );
  }
  const pad = (n: number) => (4 - (n % 4)) % 4;
  const image = texture ?? new Uint8Array(0);
  const binary = new Uint8Array(positions.byteLength + image.length + pad(image.length));
  binary.set(new Uint8Array(positions.buffer));
  binary.set(image, positions.byteLength);
  const accessor = { componentType: 5126, type: "VEC3", min: [0, 0, 0], max: [1, 1, 1] };
  const nodes: { mesh?: number; children?: number[] }[] = [];
  if (ring) nodes.push({ children: [1] }, { children: [0], mesh: 0 });
  else {
    for (let i = 0; i < chain - 1; i++) nodes.push({ children: [i + 1] });
    for (let i = 0; i < copies; i++) nodes.push({ mesh: 0 });
  }
  const json = {
    asset: { version: "2.0" },
    scene: 0,
    scenes: [{ nodes: copies > 1 ? nodes.map((_, i) => i) : [0] }],
    nodes,
    meshes: [{ primitives: [{ attributes: { POSITION: 0 }, material: 0 }] }],
    materials: [texture ? { pbrMetallicRoughness: { baseColorTexture: { index: 0 } } } : {}],
    ...(texture ? { textures: [{ source: 0 }], images: [{ bufferView: 1, mimeType: "image/png" }] } : {}),
    accessors: [bare > 0 ? { ...accessor, count: bare } : { ...accessor, count: triangles * 3, bufferView: 0 }],
    bufferViews: [
      { buffer: 0, byteOffset: 0, byteLength: positions.byteLength },
      { buffer: 0, byteOffset: positions.byteLength, byteLength: image.length },
    ].slice(0, texture ? 2 : 1),
    buffers: [{ byteLength: binary.length }],
  };
  return packGlb(json, binary);
}

/** A GLB of a JSON and its binary part. */
export function packGlb(json: unknown, binary: Uint8Array): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(json));
  const spaces = (4 - (text.length % 4)) % 4;
  const file = new Uint8Array(28 + text.length + spaces + binary.length);
  const view = new DataView(file.buffer);
  [0x46546c67, 2, file.length, text.length + spaces, 0x4e4f534a].forEach((x, i) => view.setUint32(i * 4, x, true));
  file.set(text, 20);
  file.fill(0x20, 20 + text.length, 20 + text.length + spaces);
  const at = 20 + text.length + spaces;
  view.setUint32(at, binary.length, true);
  view.setUint32(at + 4, 0x004e4942, true);
  file.set(binary, at + 8);
  return file;
}

/** A model of a place: a mesh for each named list of faces, of an even colour, as another program would write it. */
export async function placeGlb(
  meshes: { name: string; colour: [number, number, number]; faces: readonly Face[] }[],
): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const scene = document.createScene();
  for (const { name, colour, faces } of meshes) {
    const { positions, indices } = meshOf(faces);
    // Y up: (x, y, z) of the world is (x, z, -y) there.
    const turned = new Float32Array(positions.length);
    for (let i = 0; i < positions.length; i += 3) turned.set([positions[i], positions[i + 2], -positions[i + 1]], i);
    const primitive = document
      .createPrimitive()
      .setAttribute("POSITION", document.createAccessor().setType("VEC3").setArray(turned).setBuffer(buffer))
      .setIndices(document.createAccessor().setType("SCALAR").setArray(indices).setBuffer(buffer))
      .setMaterial(document.createMaterial(name).setBaseColorFactor([...colour, 1]));
    scene.addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive)));
  }
  return new NodeIO().writeBinary(document);
}
