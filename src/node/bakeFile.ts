import { Document, NodeIO } from "@gltf-transform/core";
import sharp from "sharp";
import * as watlas from "watlas";
import { linearToCode } from "#core/colour/srgb";
import { shownLight } from "#core/image/profile";
import { colourChannels, writeExr } from "#core/image/exr";
import type { Model } from "#core/props/model";
import { copyCount, placedCopy } from "#core/props/model";
import { modelOf, placementOf } from "#core/props/placed";
import { placePoint } from "#core/props/transform";
import { cameraOf } from "#core/render/scene";
import { shotFrame } from "#core/plate/schema";
import type { Unwrapped } from "#core/set/bake";
import { TEXEL, bakePlate } from "#core/set/bake";
import { provideSetModels } from "#core/set/models";
import type { SetMesh } from "#core/set/pieces";
import { meshOf, partMesh } from "#core/set/pieces";
import { allFaces } from "#core/set/faces";
import { isSeen } from "#core/set/surface";
import type { BakeChoice } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { plateOf } from "./plateRows.ts";

/** The plate baked into a texture of a part or a prop, as a file. */

/** Why nothing can be baked, in a sentence for the user. */
export class BakeError extends Error {}

/** Texels between charts: as many as the smallest copies of the texture need. */
const PADDING = 8;

/** Gives triangles places in one square texture, by the xatlas library. Throws BakeError where they do not fit. */
export async function unwrap(mesh: SetMesh, size: number): Promise<Unwrapped> {
  await watlas.Initialize();
  const atlas = new watlas.Atlas();
  try {
    atlas.addMesh({
      vertexPositionData: mesh.positions,
      vertexCount: mesh.positions.length / 3,
      vertexPositionStride: 12,
      indexData: mesh.indices,
      indexCount: mesh.indices.length,
    });
    atlas.generate({}, { resolution: size, padding: PADDING, bilinear: true, rotateCharts: true });
    if (atlas.atlasCount < 1) throw new BakeError("The surface has no area to bake.");
    // One square: what was packed larger than asked is drawn smaller.
    const side = Math.max(atlas.width, atlas.height);
    const made = atlas.getMesh(0);
    const indices = new Uint32Array(made.indexCount);
    made.getIndexArray(indices);
    const positions = new Float32Array(made.vertexCount * 3);
    const uvs = new Float32Array(made.vertexCount * 2);
    for (let i = 0; i < made.vertexCount; i++) {
      const { uv, xref } = made.getVertex(i);
      positions.set(mesh.positions.subarray(xref * 3, xref * 3 + 3), i * 3);
      uvs.set([uv[0] / side, uv[1] / side], i * 2);
    }
    return { positions, uvs, indices };
  } finally {
    atlas.delete();
  }
}

/** Triangles of a prop where it stands. */
function propMesh(model: Model, shot: Shot, id: string): SetMesh {
  const placement = placementOf(shot.props[id]);
  const positions: number[] = [];
  const indices: number[] = [];
  for (const mesh of model.meshes) {
    for (let copy = 0; copy < copyCount(mesh); copy++) {
      const first = positions.length / 3;
      const own = placedCopy(mesh, copy);
      for (let i = 0; i < own.length; i += 3)
        positions.push(...placePoint(placement, [own[i], own[i + 1], own[i + 2]]));
      for (const i of mesh.indices) indices.push(first + i);
    }
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

/** Bakes as chosen and encodes it. Throws BakeError with a sentence where it cannot be. */
export async function bakeFile(
  shot: Shot,
  codes: Uint8Array,
  models: Map<string, Model>,
  choice: BakeChoice,
): Promise<Uint8Array> {
  const camera = cameraOf(shot);
  if (!camera) throw new BakeError("Solve the camera first: the plate is projected through it.");
  provideSetModels(shot, models);
  const part = shot.set[choice.of];
  const prop = shot.props[choice.of];
  const model = prop && modelOf(prop, models);
  if (!part && !model) throw new BakeError("What shall be baked is not in the shot any more.");
  const mesh = part ? partMesh(shot.set, choice.of) : propMesh(model!, shot, choice.of);
  if (mesh.indices.length === 0) throw new BakeError("It has no faces: what it stands on is gone.");
  const plate = plateOf(shot, codes);
  const shown = [...allFaces(shot.set)].filter(({ part: p, face }) => isSeen(p, face.id) || p.id === choice.of);
  const before = meshOf(shown.map(({ face }) => face));
  const unwrapped = await unwrap(mesh, choice.size);
  const albedo = part ? shot.materials[part.material]?.albedo.colour : undefined;
  const baked = bakePlate({
    mesh: unwrapped,
    size: choice.size,
    camera,
    frame: shotFrame(shot),
    plate: { width: plate.width, height: plate.height, pixels: plate.linear },
    before: prop ? joined(before, mesh) : before,
    fill: choice.fill,
    colour: albedo ?? [0.2, 0.2, 0.2],
  });
  if (!baked.state.includes(TEXEL.seen) && choice.fill === "stretch")
    throw new BakeError(
      "The camera sees nothing of it, so that nothing can be stretched. Fill with its colour instead.",
    );
  if (choice.format === "exr") return writeExr(baked.size, baked.size, colourChannels(baked.pixels, 3), "half");
  const asShown = shownLight(shot.plates.main.encoding);
  const bytes = new Uint8Array(baked.pixels.length);
  for (let i = 0; i < bytes.length; i++) bytes[i] = linearToCode(asShown(baked.pixels[i]), 8);
  const png = await sharp(bytes, { raw: { width: baked.size, height: baked.size, channels: 3 } })
    .png()
    .toBuffer();
  if (choice.format === "png") return new Uint8Array(png);
  return glb((part ?? prop).name, unwrapped, new Uint8Array(png));
}

const joined = (a: SetMesh, b: SetMesh): SetMesh => ({
  positions: new Float32Array([...a.positions, ...b.positions]),
  indices: new Uint32Array([...a.indices, ...b.indices.map((i) => i + a.positions.length / 3)]),
});

/** The surface with its texture: glTF's axes, Y up. */
async function glb(name: string, mesh: Unwrapped, png: Uint8Array): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const upright = Float32Array.from(mesh.positions, (_, i) => {
    const at = i - (i % 3);
    return i % 3 === 0 ? mesh.positions[at] : i % 3 === 1 ? mesh.positions[at + 2] : -mesh.positions[at + 1];
  });
  const texture = document.createTexture(name).setImage(png).setMimeType("image/png");
  const material = document
    .createMaterial(name)
    .setBaseColorTexture(texture)
    .setRoughnessFactor(1)
    .setMetallicFactor(0)
    .setDoubleSided(true);
  const primitive = document
    .createPrimitive()
    .setMaterial(material)
    .setIndices(
      document
        .createAccessor()
        .setType("SCALAR")
        .setArray(mesh.indices as Uint32Array<ArrayBuffer>)
        .setBuffer(buffer),
    )
    .setAttribute("POSITION", document.createAccessor().setType("VEC3").setArray(upright).setBuffer(buffer))
    .setAttribute(
      "TEXCOORD_0",
      document
        .createAccessor()
        .setType("VEC2")
        .setArray(mesh.uvs as Float32Array<ArrayBuffer>)
        .setBuffer(buffer),
    );
  const node = document.createNode(name).setMesh(document.createMesh(name).addPrimitive(primitive));
  document.createScene(name).addChild(node);
  return new NodeIO().writeBinary(document);
}
