import type { Document, Material } from "@gltf-transform/core";
import { srgbToLinear } from "../../colour/srgb.ts";
import type { Repairs, Soup } from "../../props/soup.ts";
import { tidied } from "../../props/soup.ts";
import { MODEL_LIMITS, ModelError } from "../glbCheck.ts";

/** Triangles of simple formats as glTF, with a word on what was mended. */

/** Adds a soup to a glTF document, tidied, as a node of its own in the first scene. False if nothing is left of it. */
export function addSoup(document: Document, soup: Soup, material: Material, repairs: Repairs): boolean {
  const tidy = tidied(soup, repairs);
  if (!tidy) return false;
  const buffer = document.getRoot().listBuffers()[0] ?? document.createBuffer();
  const scene = document.getRoot().listScenes()[0] ?? document.createScene();
  const list = (array: Float32Array | Uint32Array, type: "VEC2" | "VEC3" | "VEC4" | "SCALAR") =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>)
      .setBuffer(buffer);
  const primitive = document
    .createPrimitive()
    .setMaterial(material)
    .setIndices(list(tidy.indices, "SCALAR"))
    .setAttribute("POSITION", list(tidy.positions, "VEC3"))
    .setAttribute("NORMAL", list(tidy.normals, "VEC3"));
  if (tidy.uvs) {
    const down = tidy.uvs.map((x, i) => (i % 2 === 1 ? 1 - x : x));
    primitive.setAttribute("TEXCOORD_0", list(down, "VEC2"));
  }
  if (tidy.colours) {
    // glTF's colours of corners are linear.
    const linear = Float32Array.from(tidy.colours, (byte, i) => (i % 4 === 3 ? byte / 255 : srgbToLinear(byte / 255)));
    primitive.setAttribute("COLOR_0", list(linear, "VEC4"));
  }
  const mesh = document.createMesh(soup.name).addPrimitive(primitive);
  scene.addChild(document.createNode(soup.name).setMesh(mesh));
  return true;
}

/** Sentences of what was mended. */
export function repairNotices(r: Repairs): string[] {
  const count = (n: number, one: string, many = `${one}s`) => `${n.toLocaleString("en")} ${n === 1 ? one : many}`;
  const said: string[] = [];
  if (r.broken > 0) said.push(`${count(r.broken, "triangle")} had corners that are no numbers and were left out.`);
  if (r.flat > 0) said.push(`${count(r.flat, "triangle")} without area were left out.`);
  if (r.turned > 0) said.push(`${count(r.turned, "triangle")} faced the wrong way and were turned round.`);
  if (r.polygons > 0) said.push(`${count(r.polygons, "face")} of many corners were cut into triangles.`);
  if (r.normalsMade > 0) said.push("Normals were missing and were made; edges sharper than 40° stay sharp.");
  return said;
}

/** Throws ModelError where there are more corners or triangles than can be read. */
export function checkCounts(triangles: number, corners: number): void {
  if (triangles > MODEL_LIMITS.triangles || corners > MODEL_LIMITS.vertices)
    throw new ModelError(
      `The model has ${triangles.toLocaleString("en")} triangles and ${corners.toLocaleString("en")} corners; at most ${MODEL_LIMITS.triangles.toLocaleString("en")} and ${MODEL_LIMITS.vertices.toLocaleString("en")} fit. Reduce it and export again.`,
    );
}
