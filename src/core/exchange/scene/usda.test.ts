import { describe, expect, test } from "@jest/globals";
import { USDAParser } from "three/examples/jsm/loaders/usd/USDAParser.js";
import type { Camera } from "../../optics/camera.ts";
import { rotationFromAngles } from "../../optics/camera.ts";
import { noDistortion } from "../../optics/distortion.ts";
import type { Model, Texture } from "../../props/model.ts";
import { plainMaterial } from "../../props/model.ts";
import type { SceneFile } from "./scene.ts";
import { writeUsda } from "./usda.ts";

/** Text is read again by three's own parser of the format. */

const camera: Camera = {
  focalPx: 800,
  principal: [400, 300],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: -0.2, roll: 0 }),
  position: [0, -5, 1.6],
};
const texture = (): Texture => ({ width: 1, height: 1, texels: Uint8Array.from([9, 8, 7, 255]) });
const [paint, bumps, rough, lamp] = [texture(), texture(), texture(), texture()];
paint.wrap = ["mirror", "clamp"];

const model: Model = {
  meshes: [
    {
      name: "sign",
      positions: Float32Array.from([0, 0, 0, 1, 0, 0, 0, 0, 1]),
      normals: Float32Array.from([0, -1, 0, 0, -1, 0, 0, -1, 0]),
      uvs: Float32Array.from([0, 0, 1, 0, 0, 0.25]),
      indices: Uint32Array.from([0, 1, 2]),
      material: 0,
    },
  ],
  materials: [
    plainMaterial({
      name: "painted",
      baseColor: [0.5, 0.6, 0.7, 1],
      metallic: 0.4,
      roughness: 0.8,
      emissive: [2, 1, 0.5],
      normalScale: 0.5,
      coat: 0.3,
      coatRoughness: 0.1,
      index: 1.6,
      alpha: "mask",
      alphaCutoff: 0.25,
      baseTexture: 0,
      normalTexture: 1,
      surfaceTexture: 2,
      emissiveTexture: 3,
      // Twice across, shifted by a tenth down.
      baseMatrix: [2, 0, 0, 0, 1, 0.1],
    }),
  ],
  textures: [paint, bumps, rough, lamp],
};
const scene: SceneFile = {
  name: "Sign",
  camera,
  frame: { width: 800, height: 600 },
  set: [],
  props: [{ name: "Sign", model, place: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0] }],
  sun: null,
  lamps: [],
};
const FILES = new Map([
  [paint, "paint.png"],
  [bumps, "bumps.png"],
  [rough, "rough.png"],
  [lamp, "lamp.png"],
]);

type Node = Record<string, unknown>;
const child = (node: Node, name: string): Node => {
  const key = Object.keys(node).find((k) => k.endsWith(`"${name}"`));
  if (!key) throw new Error(`No ${name} among ${Object.keys(node).join(", ")}`);
  return node[key] as Node;
};
const read = (text: string) => child(new USDAParser().parseText(text) as Node, "shot");
/** Value of an input, whatever its type. */
const input = (node: Node, name: string): string => {
  const key = Object.keys(node).find((k) => k.endsWith(` inputs:${name}`) || k.endsWith(` inputs:${name}.connect`));
  if (!key) throw new Error(`No input ${name} among ${Object.keys(node).join(", ")}`);
  return String(node[key]);
};

describe("surfaces in USD text", () => {
  const shot = read(writeUsda(scene, (own) => FILES.get(own) ?? null));
  const look = child(child(shot, "looks"), "Sign_painted_look");
  const surface = child(look, "surface");

  test.each([
    ["diffuseColor", "base", "rgb", "paint.png", "sRGB", "(0.5, 0.6, 0.7, 1)"],
    ["roughness", "surface_map", "g", "rough.png", "raw", "(1, 0.8, 0.4, 1)"],
    ["metallic", "surface_map", "b", "rough.png", "raw", "(1, 0.8, 0.4, 1)"],
    ["emissiveColor", "emissive_map", "rgb", "lamp.png", "sRGB", "(2, 1, 0.5, 1)"],
    ["normal", "normal_map", "rgb", "bumps.png", "raw", "(1, 1, 2, 1)"],
    ["opacity", "base", "a", "paint.png", "sRGB", "(0.5, 0.6, 0.7, 1)"],
  ])("%s comes from its file, by the factors of the material", (name, of, output, file, space, factors) => {
    expect(input(surface, name)).toContain(`/shot/looks/Sign_painted_look/${of}.outputs:${output}`);
    const reader = child(look, of);
    expect(input(reader, "file")).toContain(`./${file}`);
    expect(input(reader, "sourceColorSpace")).toContain(space);
    expect(input(reader, "scale")).toBe(factors);
    expect(input(reader, "st")).toContain("/st.outputs:result");
  });

  test("what no texture tells is a number, and how a picture goes on beyond its border is said", () => {
    expect(Number(input(surface, "clearcoat"))).toBe(0.3);
    expect(Number(input(surface, "clearcoatRoughness"))).toBe(0.1);
    expect(Number(input(surface, "ior"))).toBe(1.6);
    expect(Number(input(surface, "opacityThreshold"))).toBe(0.25);
    expect([input(child(look, "base"), "wrapS"), input(child(look, "base"), "wrapT")]).toEqual([
      expect.stringContaining("mirror"),
      expect.stringContaining("clamp"),
    ]);
    // A normal map's codes from 0 to 1 stand for -1 to 1; its slopes are weighed by half here.
    expect(input(child(look, "normal_map"), "bias")).toBe("(-0.5, -0.5, -1, 0)");
  });

  test("texture coordinates are those of the picture: turned, and from its foot", () => {
    const mesh = child(child(child(shot, "props"), "Sign"), "sign");
    const st = Object.entries(mesh).find(([key]) => key.endsWith("primvars:st"))![1];
    expect(String(st).replaceAll(/[\s[\]()]/g, "")).toBe("0,0.9,2,0.9,0,0.65");
  });

  test("without files surfaces are even", () => {
    const even = child(child(read(writeUsda(scene)), "looks"), "Sign_painted_look");
    expect(input(child(even, "surface"), "diffuseColor")).toBe("(0.5, 0.6, 0.7)");
    expect(Object.keys(even).some((key) => key.includes("base"))).toBe(false);
  });
});
