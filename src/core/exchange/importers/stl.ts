import { Document } from "@gltf-transform/core";
import { ModelError } from "../glbCheck.ts";
import { baseName } from "../files.ts";
import type { Importer, Tell } from "./kind.ts";
import type { Soup } from "../../props/soup.ts";
import { noRepairs } from "../../props/soup.ts";
import { addSoup, checkCounts, repairNotices } from "./soup.ts";
import { headOf, linesOf } from "./text.ts";

const HEADER = 84;
const FACET = 50;

const facetsOf = (bytes: Uint8Array): number =>
  bytes.length < HEADER ? 0 : new DataView(bytes.buffer, bytes.byteOffset).getUint32(80, true);

/** Binary files are as long as their number of facets says, whatever their header begins with. */
const isBinary = (bytes: Uint8Array): boolean =>
  bytes.length >= HEADER && facetsOf(bytes) > 0 && bytes.length >= HEADER + FACET * facetsOf(bytes);

const isText = (bytes: Uint8Array): boolean => /^\s*solid\b[\s\S]*\bfacet\b/.test(headOf(bytes, 2048));

function readBinary(bytes: Uint8Array): Float32Array {
  const count = facetsOf(bytes);
  checkCounts(count, count * 3);
  const view = new DataView(bytes.buffer, bytes.byteOffset);
  const positions = new Float32Array(count * 9);
  for (let i = 0; i < count; i++)
    for (let k = 0; k < 9; k++) positions[i * 9 + k] = view.getFloat32(HEADER + i * FACET + 12 + k * 4, true);
  return positions;
}

function readText(bytes: Uint8Array, tell?: Tell): Float32Array {
  const numbers: number[] = [];
  for (const line of linesOf(bytes, tell)) {
    const words = line.trim().split(/\s+/);
    if (words[0] !== "vertex") continue;
    for (let k = 1; k <= 3; k++) numbers.push(Number(words[k]));
    if (numbers.length % 9e6 === 0) checkCounts(numbers.length / 9, numbers.length / 3);
  }
  checkCounts(numbers.length / 9, numbers.length / 3);
  return new Float32Array(numbers.slice(0, numbers.length - (numbers.length % 9)));
}

/** STL of both kinds (3D Systems, StereoLithography Interface Specification, 1989): facets without units, materials or shared corners. */
export const stl: Importer = {
  title: "STL",
  rank: 1,
  recognises: (bytes) => isText(bytes) || isBinary(bytes),
  read: (main, _files, tell) => {
    const text =
      isText(main.bytes) && !(isBinary(main.bytes) && main.bytes.length === HEADER + FACET * facetsOf(main.bytes));
    const positions = text ? readText(main.bytes, tell) : readBinary(main.bytes);
    const soup: Soup = {
      name: baseName(main.path).replace(/\.[^.]*$/, "") || "mesh",
      positions: turnedUp(positions),
      normals: null,
      uvs: null,
      colours: null,
      indices: Uint32Array.from({ length: positions.length / 3 }, (_, i) => i),
    };
    const document = new Document();
    const grey = document.createMaterial("plain").setMetallicFactor(0).setRoughnessFactor(0.6).setDoubleSided(true);
    grey.setBaseColorFactor([0.5, 0.5, 0.5, 1]);
    const repairs = noRepairs();
    if (!addSoup(document, soup, grey, repairs))
      throw new ModelError("The file holds no triangles. Export it again, or check that it was copied whole.");
    // Its facets' own normals say no more than their corners do.
    repairs.normalsMade = 0;
    return { content: document, unit: null, upIsSure: false, notices: repairNotices(repairs), missing: [] };
  },
};

/** Z up, as such files mostly are, to Y up, as glTF is: (x, y, z) becomes (x, z, −y). */
export function turnedUp(list: Float32Array): Float32Array {
  const turned = new Float32Array(list.length);
  for (let i = 0; i < list.length; i += 3) turned.set([list[i], list[i + 2], -list[i + 1]], i);
  return turned;
}
