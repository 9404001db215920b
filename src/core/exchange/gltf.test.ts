import { describe, expect, test } from "@jest/globals";
import { Document, WebIO } from "@gltf-transform/core";
import { modelBounds } from "../props/model.ts";
import type { ImageDecoder } from "./gltf.ts";
import { ModelError, importGlb } from "./gltf.ts";

const noImages: ImageDecoder = () => Promise.reject(new Error("no images here"));

/** A triangle with a node turned, moved and mirrored, in a GLB. */
async function sample(change?: (d: Document) => void): Promise<Uint8Array> {
  const d = new Document();
  const buffer = d.createBuffer();
  const position = d
    .createAccessor()
    .setType("VEC3")
    .setArray(new Float32Array([0, 0, 0, 1, 0, 0, 0, 2, 0]))
    .setBuffer(buffer);
  const primitive = d.createPrimitive().setAttribute("POSITION", position);
  primitive.setMaterial(
    d.createMaterial("red").setBaseColorFactor([1, 0, 0, 1]).setMetallicFactor(0).setRoughnessFactor(0.3),
  );
  const node = d.createNode("n").setMesh(d.createMesh().addPrimitive(primitive)).setTranslation([0, 0, 3]);
  d.createScene().addChild(d.createNode("parent").setScale([2, 2, 2]).addChild(node));
  change?.(d);
  return new WebIO().writeBinary(d);
}

describe("GLB import", () => {
  test("Y up becomes Z up, nodes are applied, materials are kept", async () => {
    const { model } = await importGlb(await sample(), noImages);
    // glTF (x, y, z) is (x, -z, y) here: the node's z of 3, doubled, lies 6 m towards -Y.
    const { low, high } = modelBounds(model);
    expect(low).toEqual([0, -6, 0]);
    expect(high).toEqual([2, -6, 4]);
    expect(model.materials[0]).toMatchObject({ baseColor: [1, 0, 0, 1], roughness: 0.3, metallic: 0 });
    // Missing normals are made: the triangle faces +z in glTF, which is -Y here.
    expect([...model.meshes[0].normals.slice(0, 3)]).toEqual([0, -1, 0].map((v) => expect.closeTo(v, 6)));
  });

  test("a mirrored node keeps its front", async () => {
    const { model } = await importGlb(await sample((d) => d.getRoot().listNodes()[1].setScale([-2, 2, 2])), noImages);
    expect([...model.meshes[0].indices]).toEqual([1, 0, 2]);
  });

  test("what is left out is said", async () => {
    const bytes = await sample((d) => {
      const lines = d.createPrimitive().setMode(1).setAttribute("POSITION", d.getRoot().listAccessors()[0]);
      d.getRoot().listMeshes()[0].addPrimitive(lines);
    });
    expect((await importGlb(bytes, noImages)).notices).toEqual([expect.stringMatching(/lines, points/)]);
  });

  test.each([
    ["BLEND", "blend"],
    ["MASK", "mask"],
    ["OPAQUE", "opaque"],
  ] as const)("alpha mode %s is kept", async (mode, alpha) => {
    const bytes = await sample((d) => void d.getRoot().listMaterials()[0].setAlphaMode(mode).setAlphaCutoff(0.3));
    const { model, notices } = await importGlb(bytes, noImages);
    expect(notices).toEqual([]);
    expect(model.materials[0].alpha).toBe(alpha);
    if (alpha === "mask") expect(model.materials[0].alphaCutoff).toBeCloseTo(0.3, 6);
  });

  const text = (bytes: Uint8Array) => new TextDecoder().decode(bytes);
  /** The file with its JSON changed and padded to the old length. */
  const rejson = async (change: (json: Record<string, unknown>) => void) => {
    const bytes = await sample();
    const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true);
    const json = JSON.parse(text(bytes.subarray(20, 20 + length))) as Record<string, unknown>;
    change(json);
    const body = new TextEncoder().encode(JSON.stringify(json).padEnd(Math.ceil(JSON.stringify(json).length / 4) * 4));
    const out = new Uint8Array(20 + body.length + bytes.length - 20 - length);
    out.set(bytes.subarray(0, 20));
    new DataView(out.buffer).setUint32(12, body.length, true);
    new DataView(out.buffer).setUint32(8, out.length, true);
    out.set(body, 20);
    out.set(bytes.subarray(20 + length), 20 + body.length);
    return out;
  };

  test.each<[string, () => Promise<Uint8Array>, RegExp]>([
    ["text", () => Promise.resolve(new TextEncoder().encode("this is no model at all")), /not a binary glTF/],
    ["cut short", async () => (await sample()).slice(0, 200), /cut short/],
    ["missing buffers", () => rejson((j) => (j.buffers = [{ byteLength: 99999 }])), /data is missing/],
    [
      "buffers elsewhere",
      () => rejson((j) => (j.buffers = [{ byteLength: 36, uri: "mesh.bin" }])),
      /another file \(mesh\.bin\)/,
    ],
    [
      "needs an extension",
      () => rejson((j) => (j.extensionsRequired = ["KHR_draco_mesh_compression"])),
      /KHR_draco_mesh_compression/,
    ],
    [
      "nothing in it",
      () =>
        sample((d) =>
          d
            .getRoot()
            .listNodes()
            .forEach((n) => n.dispose()),
        ),
      /no triangles/,
    ],
  ])("%s is refused with advice", async (_name, make, reason) => {
    await expect(importGlb(await make(), noImages)).rejects.toThrow(reason);
    await expect(importGlb(await make(), noImages)).rejects.toBeInstanceOf(ModelError);
  });
});
