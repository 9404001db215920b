import { Document, WebIO } from "@gltf-transform/core";
import type { Material as GltfMaterial, Node, Primitive, Texture as GltfTexture } from "@gltf-transform/core";
import {
  KHRLightsPunctual,
  KHRMaterialsEmissiveStrength,
  KHRMaterialsIOR,
  KHRMaterialsTransmission,
} from "@gltf-transform/extensions";
import { luminance } from "../../colour/srgb.ts";
import type { Vec3 } from "../../math/vec3.ts";
import type { Material, Mesh, Model, Texture } from "../../props/model.ts";
import type { SceneFile } from "./scene.ts";
import { cameraMatrix, centredFrame, columnsOf, copiesOf, lookingAlong } from "./scene.ts";

/** PNG of a texture. */
export type TextureEncoder = (texture: Texture) => Promise<Uint8Array>;

/**
 * The scene as GLB (glTF 2.0, KHR_lights_punctual): camera, set, props with their materials, sun and lamps. Everything hangs
 * below one node that turns Z up into glTF's Y up. Light is in the plate's units: white is 1.
 */
export async function writeSceneGlb(scene: SceneFile, encode: TextureEncoder): Promise<Uint8Array> {
  const document = new Document();
  document.getRoot().getAsset().generator = "Red Harbor";
  const buffer = document.createBuffer();
  const half = Math.SQRT1_2;
  const root = document.createNode(scene.name || "shot").setRotation([-half, 0, 0, half]);
  document.createScene(scene.name || "shot").addChild(root);

  const { camera, frame } = scene;
  const centred = centredFrame(camera, frame);
  const lens = document
    .createCamera("plate camera")
    .setType("perspective")
    .setYFov(2 * Math.atan(centred.height / 2 / camera.focalPx))
    .setAspectRatio(centred.width / centred.height)
    .setZNear(0.01)
    .setZFar(10000);
  lens.setExtras({ plate: frame, crop: centred.crop, distortion: camera.distortion, focalPx: camera.focalPx });
  root.addChild(
    document
      .createNode("camera")
      .setMatrix(cameraMatrix(camera) as never)
      .setCamera(lens),
  );

  const primitive = (mesh: Pick<Mesh, "positions" | "indices"> & Partial<Mesh>, material: GltfMaterial): Primitive => {
    const accessor = (array: Float32Array | Uint32Array, type: "VEC3" | "VEC2" | "SCALAR") =>
      document
        .createAccessor()
        .setArray(array as Float32Array<ArrayBuffer>)
        .setType(type)
        .setBuffer(buffer);
    const made = document
      .createPrimitive()
      .setAttribute("POSITION", accessor(mesh.positions, "VEC3"))
      .setIndices(accessor(mesh.indices, "SCALAR"))
      .setMaterial(material);
    if (mesh.normals) made.setAttribute("NORMAL", accessor(mesh.normals, "VEC3"));
    if (mesh.uvs) made.setAttribute("TEXCOORD_0", accessor(mesh.uvs, "VEC2"));
    return made;
  };

  const setNode = document.createNode("set");
  root.addChild(setNode);
  for (const { name, positions, indices, albedo } of scene.set) {
    const material = document
      .createMaterial(name)
      .setBaseColorFactor([...albedo.map((a) => Math.min(1, a)), 1] as never)
      .setMetallicFactor(0)
      .setRoughnessFactor(0.9);
    const mesh = document.createMesh(name).addPrimitive(primitive({ positions, indices }, material));
    setNode.addChild(document.createNode(name).setMesh(mesh));
  }

  const propsNode = document.createNode("props");
  root.addChild(propsNode);
  for (const { name, model, place } of scene.props) {
    const node = document.createNode(name).setMatrix(columnsOf(place) as never);
    propsNode.addChild(node);
    const materials = await materialsOf(document, model, encode);
    for (const mesh of model.meshes) {
      const made = document.createMesh(mesh.name ?? name).addPrimitive(primitive(mesh, materials[mesh.material]));
      const copies = copiesOf(mesh);
      const hang = (matrix: number[] | null) => {
        const child: Node = document.createNode(mesh.name ?? name).setMesh(made);
        if (matrix) child.setMatrix(columnsOf(matrix) as never);
        node.addChild(child);
      };
      if (copies) copies.forEach(hang);
      else hang(null);
    }
  }

  addLights(document, root, scene);
  return new WebIO()
    .registerExtensions([KHRLightsPunctual, KHRMaterialsEmissiveStrength, KHRMaterialsIOR, KHRMaterialsTransmission])
    .writeBinary(document);
}

async function materialsOf(document: Document, model: Model, encode: TextureEncoder): Promise<GltfMaterial[]> {
  const textures = new Map<number, GltfTexture>();
  for (const [i, texture] of model.textures.entries()) {
    const png = await encode(texture);
    textures.set(
      i,
      document
        .createTexture(`texture ${i + 1}`)
        .setImage(png as Uint8Array<ArrayBuffer>)
        .setMimeType("image/png"),
    );
  }
  const of = (number: number | null) => (number === null ? null : (textures.get(number) ?? null));
  const strength = document.createExtension(KHRMaterialsEmissiveStrength);
  const index = document.createExtension(KHRMaterialsIOR);
  const transmission = document.createExtension(KHRMaterialsTransmission);
  return model.materials.map((m: Material) => {
    const most = Math.max(1, ...m.emissive);
    const made = document
      .createMaterial(m.name)
      .setBaseColorFactor(m.baseColor.map((c) => Math.min(1, c)) as never)
      .setMetallicFactor(m.metallic)
      .setRoughnessFactor(m.roughness)
      .setEmissiveFactor(m.emissive.map((e) => e / most) as never)
      .setAlphaMode({ opaque: "OPAQUE", mask: "MASK", blend: "BLEND" }[m.alpha] as never)
      .setAlphaCutoff(m.alphaCutoff)
      .setBaseColorTexture(of(m.baseTexture))
      .setMetallicRoughnessTexture(of(m.surfaceTexture))
      .setNormalTexture(of(m.normalTexture))
      .setNormalScale(m.normalScale)
      .setEmissiveTexture(of(m.emissiveTexture));
    if (most > 1)
      made.setExtension("KHR_materials_emissive_strength", strength.createEmissiveStrength().setEmissiveStrength(most));
    if (m.index !== 1.5) made.setExtension("KHR_materials_ior", index.createIOR().setIOR(m.index));
    if (m.transmission > 0)
      made.setExtension(
        "KHR_materials_transmission",
        transmission.createTransmission().setTransmissionFactor(m.transmission),
      );
    return made;
  });
}

function addLights(document: Document, root: Node, { sun, lamps }: SceneFile): void {
  if (!sun && lamps.length === 0) return;
  const extension = document.createExtension(KHRLightsPunctual);
  const coloured = (light: Vec3) => {
    const level = Math.max(...light, 1e-9);
    return { level, colour: light.map((v) => v / level) as Vec3 };
  };
  if (sun) {
    const { level, colour } = coloured(sun.irradiance);
    const light = extension.createLight("sun").setType("directional").setColor(colour).setIntensity(level);
    const towards = sun.direction.map((v) => -v) as Vec3;
    root.addChild(
      document
        .createNode("sun")
        .setMatrix(lookingAlong(towards, [0, 0, 0]) as never)
        .setExtension("KHR_lights_punctual", light),
    );
  }
  for (const lamp of lamps) {
    // Intensity along the facing: radiance times area.
    const [w, h] = lamp.size;
    const area = lamp.kind === "rectangle" ? w * h : (Math.PI / 4) * w * w;
    const { level, colour } = coloured(lamp.radiance.map((r) => r * area) as Vec3);
    const light = extension
      .createLight(lamp.name)
      .setType(lamp.kind === "sphere" ? "point" : "spot")
      .setColor(colour)
      .setIntensity(level);
    if (lamp.kind !== "sphere")
      light
        .setInnerConeAngle(lamp.cone?.inner ?? 0)
        .setOuterConeAngle(Math.min(Math.PI / 2, lamp.cone?.outer ?? Math.PI / 2));
    light.setExtras({ kind: lamp.kind, size: lamp.size, luminance: luminance(...lamp.radiance) });
    root.addChild(
      document
        .createNode(lamp.name)
        .setMatrix(lookingAlong(lamp.facing, lamp.position) as never)
        .setExtension("KHR_lights_punctual", light),
    );
  }
}
