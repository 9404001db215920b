import { readFile } from "node:fs/promises";
import { describe, expect, test } from "@jest/globals";
import { NodeIO } from "@gltf-transform/core";
import { strToU8, zipSync } from "fflate";
import validator from "gltf-validator";
import sharp from "sharp";
import * as THREE from "three";
import { OBJExporter } from "three/examples/jsm/exporters/OBJExporter.js";
import { PLYExporter } from "three/examples/jsm/exporters/PLYExporter.js";
import { STLExporter } from "three/examples/jsm/exporters/STLExporter.js";
import { OBJLoader } from "three/examples/jsm/loaders/OBJLoader.js";
import { PLYLoader } from "three/examples/jsm/loaders/PLYLoader.js";
import { STLLoader } from "three/examples/jsm/loaders/STLLoader.js";
import type { SourceFile } from "#core/exchange/files";
import { unpacked } from "#core/exchange/files";
import { ModelError, importGlb } from "#core/exchange/gltf";
import { formatOf } from "#core/exchange/importers/index";
import { roughnessOfShininess } from "#core/exchange/importers/mtl";
import { boxGlb } from "#core/exchange/boxGlb";
import { bareSkin, flatPicture, pixelsPerMetre } from "#core/props/skin";
import type { Model } from "#core/props/model";
import { modelBounds, triangleCount } from "#core/props/model";
import { boxPly, compressedGlb, crateZip, ktx2Glb } from "../testing/modelFiles.ts";
import { seeded } from "../testing/random.ts";
import { demoFile } from "../demo/shot.ts";
import { decodeTexture } from "./images.ts";
import { readModel } from "./readModel.ts";

/** Files that three.js writes, read here and by three.js's own loaders: volume, area and bounds must agree. */

interface Figures {
  volume: number;
  area: number;
  low: number[];
  high: number[];
}

function figuresOf(triangles: [number[], number[], number[]][]): Figures {
  const figures: Figures = {
    volume: 0,
    area: 0,
    low: [Infinity, Infinity, Infinity],
    high: [-Infinity, -Infinity, -Infinity],
  };
  for (const [a, b, c] of triangles) {
    const u = b.map((x, k) => x - a[k]);
    const v = c.map((x, k) => x - a[k]);
    const n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
    figures.area += Math.hypot(...n) / 2;
    figures.volume += a.reduce((sum, x, k) => sum + x * n[k], 0) / 6;
    for (const p of [a, b, c])
      p.forEach((x, k) => {
        figures.low[k] = Math.min(figures.low[k], x);
        figures.high[k] = Math.max(figures.high[k], x);
      });
  }
  return figures;
}

const ofModel = (model: Model): Figures =>
  figuresOf(
    model.meshes.flatMap(({ positions, indices }) =>
      Array.from({ length: indices.length / 3 }, (_, t): [number[], number[], number[]] => {
        const [a, b, c] = [0, 1, 2].map((k) => [
          ...positions.subarray(indices[t * 3 + k] * 3, indices[t * 3 + k] * 3 + 3),
        ]);
        return [a, b, c];
      }),
    ),
  );

const ofGeometry = (geometry: THREE.BufferGeometry): Figures => {
  const flat = geometry.index ? geometry.toNonIndexed() : geometry;
  const p = flat.getAttribute("position").array;
  return figuresOf(
    Array.from({ length: p.length / 9 }, (_, t): [number[], number[], number[]] => {
      const [a, b, c] = [0, 3, 6].map((k) => [p[t * 9 + k], p[t * 9 + k + 1], p[t * 9 + k + 2]]);
      return [a, b, c];
    }),
  );
};

const agree = (ours: Figures, theirs: Figures, within = 1e-4) => {
  const scale = Math.max(...theirs.high.map((x, k) => x - theirs.low[k]));
  expect(Math.abs(ours.volume - theirs.volume)).toBeLessThan(within * Math.abs(theirs.volume) + 1e-9);
  expect(Math.abs(ours.area - theirs.area)).toBeLessThan(within * theirs.area);
  for (const key of ["low", "high"] as const)
    ours[key].forEach((x, k) => expect(Math.abs(x - theirs[key][k])).toBeLessThan(within * scale));
};

/** Y up to Z up, as both sides mean it. */
const upright = (geometry: THREE.BufferGeometry) => geometry.clone().rotateX(Math.PI / 2);

const KNOT = new THREE.TorusKnotGeometry(0.4, 0.13, 90, 14);
const file = (path: string, text: string | Uint8Array): SourceFile => ({
  path,
  bytes: typeof text === "string" ? strToU8(text) : text,
});
const modelOf = async (files: SourceFile[]): Promise<Model> =>
  (await importGlb((await readModel(files)).glb, decodeTexture)).model;

describe("OBJ", () => {
  test("what three.js writes is read as three.js reads it", async () => {
    const text = new OBJExporter().parse(new THREE.Mesh(KNOT));
    const theirs = (new OBJLoader().parse(text).children[0] as THREE.Mesh).geometry;
    const ours = await modelOf([file("knot.obj", text)]);
    agree(ofModel(ours), ofGeometry(upright(theirs)));
    expect(triangleCount(ours)).toBe(ofGeometry(theirs) && theirs.getAttribute("position").count / 3);
  });

  test("a face that is not convex keeps its area, where a fan would not; corners may be counted from the end", async () => {
    // An L of 3 m²; a fan from its first corner would cover the notch.
    const text = "v 0 0 0\nv 2 0 0\nv 2 1 0\nv 1 1 0\nv 1 2 0\nv 0 2 0\nf -5 -4 -3 -2 -1 -6\n";
    const { area } = ofModel(await modelOf([file("ell.obj", text)]));
    expect(area).toBeCloseTo(3, 6);
    expect((await readModel([file("ell.obj", text)])).notices.join()).toMatch(/1 face of many corners/);
  });

  test("an inside-out box is turned round and said so; what has no area goes", async () => {
    const corners = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n";
    const faces = ["1 2 3 4", "5 8 7 6", "1 5 6 2", "2 6 7 3", "3 7 8 4", "4 8 5 1"].map((f) => `f ${f}\n`).join("");
    const { glb, notices } = await readModel([file("box.obj", `${corners}${faces}f 1 1 2\n`)]);
    expect(ofModel((await importGlb(glb, decodeTexture)).model).volume).toBeCloseTo(1, 6);
    expect(notices.join(" ")).toMatch(/12 triangles faced the wrong way/);
    expect(notices.join(" ")).toMatch(/1 triangle without area/);
  });

  test("MTL and pictures come from the same zip, by their names; what is missing is named", async () => {
    const png = await sharp({ create: { width: 4, height: 4, channels: 3, background: "#c08040" } })
      .png()
      .toBuffer();
    const mtl =
      "newmtl wood\nKd 0.1 0.2 0.3\nNs 98\nmap_Kd -s 2 2 1 Textures\\Planks 1.png\nmap_Bump gone.png\nnewmtl iron\nKd 0.5 0.5 0.5\nPm 1\nPr 0.35\nmap_Kd lost.png\n";
    const obj =
      "mtllib crate.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl wood\nf 1/1 2/2 3/3\nusemtl iron\nf 3/3 2/2 1/1\n";
    const zip = zipSync({
      "crate/CRATE.obj": strToU8(obj),
      "crate/crate.mtl": strToU8(mtl),
      "crate/textures/planks 1.PNG": png,
      "__MACOSX/crate/._CRATE.obj": strToU8("v"),
    });
    const read = await readModel([file("crate.zip", zip)]);
    expect(read).toMatchObject({ name: "CRATE.obj", format: "obj", unitIsSure: false, missing: ["lost.png"] });
    const { model } = await importGlb(read.glb, decodeTexture);
    const wood = model.materials.find((m) => m.name === "wood")!;
    expect([...model.textures[wood.baseTexture!].texels.subarray(0, 3)]).toEqual([0xc0, 0x80, 0x40]);
    expect(wood.baseColor).toEqual([1, 1, 1, 1]);
    expect(wood.roughness).toBeCloseTo(roughnessOfShininess(98), 6);
    // α² = 2 / (98 + 2), roughness = √α: 0.376 by hand.
    expect(wood.roughness).toBeCloseTo(0.376, 3);
    expect(model.materials.find((m) => m.name === "iron")).toMatchObject({ metallic: 1 });
    expect(read.notices.join(" ")).toMatch(/wood: map_Bump not taken in/);
  });
});

describe("STL and PLY", () => {
  test.each([true, false])("STL that three.js writes, binary %s", async (binary) => {
    const written = new STLExporter().parse(new THREE.Mesh(KNOT), { binary }) as DataView | string;
    const bytes = typeof written === "string" ? strToU8(written) : new Uint8Array(written.buffer);
    const theirs = new STLLoader().parse(
      bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer,
    );
    // Z is up in such files: no turn.
    agree(ofModel(await modelOf([file("knot.stl", bytes)])), ofGeometry(theirs));
  });

  test("corners of an STL are shared where it is smooth, and its edges stay sharp", async () => {
    const bytes = new Uint8Array(
      new STLExporter().parse(new THREE.Mesh(new THREE.BoxGeometry(1, 1, 1)), { binary: true }).buffer,
    );
    const [mesh] = (await modelOf([file("box.stl", bytes)])).meshes;
    expect(mesh.positions.length / 3).toBe(24);
    const sphere = new STLExporter().parse(new THREE.Mesh(new THREE.SphereGeometry(1, 32, 16)), { binary: true });
    const [ball] = (await modelOf([file("ball.stl", new Uint8Array(sphere.buffer))])).meshes;
    for (let i = 0; i < ball.positions.length; i += 3) {
      const along = [0, 1, 2].reduce((sum, k) => sum + ball.positions[i + k] * ball.normals[i + k], 0);
      expect(along).toBeGreaterThan(0.98);
    }
  });

  test.each([{ binary: false }, { binary: true, littleEndian: true }, { binary: true, littleEndian: false }])(
    "PLY with colours that three.js writes, %j",
    async (options) => {
      const geometry = KNOT.clone();
      const count = geometry.getAttribute("position").count;
      const random = seeded(3);
      const colours = Float32Array.from({ length: count * 3 }, () => random());
      geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
      const mesh = new THREE.Mesh(geometry);
      const written = new PLYExporter().parse(mesh, undefined as never, options as never) as unknown as
        string | ArrayBuffer;
      const bytes = typeof written === "string" ? strToU8(written) : new Uint8Array(written);
      const theirs = new PLYLoader().parse(bytes.buffer.slice(0) as ArrayBuffer);
      const ours = await modelOf([file("knot.ply", bytes)]);
      agree(ofModel(ours), ofGeometry(theirs));
      // Its own reader makes them linear: compared at the corner at the same place.
      const [mine] = ours.meshes;
      const at = theirs.getAttribute("position");
      const tint = theirs.getAttribute("color");
      const near = (i: number) => {
        const p = [...mine.positions.subarray(i * 3, i * 3 + 3)];
        for (let j = 0; j < at.count; j++)
          if (Math.hypot(at.getX(j) - p[0], at.getY(j) - p[1], at.getZ(j) - p[2]) < 1e-5) return j;
        return -1;
      };
      for (const i of [0, 100, 500]) {
        const j = near(i);
        const c = new THREE.Color().setRGB(tint.getX(j), tint.getY(j), tint.getZ(j)).convertLinearToSRGB();
        [c.r, c.g, c.b].forEach((x, k) => expect(Math.abs(mine.colours![i * 4 + k] - 255 * x)).toBeLessThan(1.5));
      }
    },
  );

  test("a header that promises more than there is is refused before anything is reserved", async () => {
    const ply =
      "ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\nabc";
    await expect(readModel([file("big.ply", ply)])).rejects.toThrow(/needs at least .* bytes/);
  });
});

describe("glTF", () => {
  const boat = () => demoFile("boat.glb", "slipway");

  test.each(["draco", "meshopt"] as const)(
    "a file compressed by %s is read as the one it was made from",
    async (way) => {
      const bytes = new Uint8Array(await boat());
      const packed = await compressedGlb(bytes, way);
      const read = await readModel([file("boat.glb", packed)]);
      const [ours, plain] = await Promise.all([read.glb, bytes].map((b) => importGlb(b, decodeTexture)));
      agree(ofModel(ours.model), ofModel(plain.model), 5e-4);
      expect(new TextDecoder("latin1").decode(read.glb.subarray(0, 2000))).not.toMatch(/draco|meshopt/);
    },
  );

  test.each([
    ["UASTC", true, 40],
    ["ETC1S", false, 28],
  ] as const)("pictures in KTX2 (%s) are those that another library packed", async (_, uastc, leastDb) => {
    const bytes = new Uint8Array(await demoFile("float.glb", "netloft"));
    const packed = await ktx2Glb(bytes, uastc);
    const read = await readModel([file("float.glb", packed)]);
    expect(read.notices).toEqual([]);
    const [ours, plain] = await Promise.all([read.glb, bytes].map((b) => importGlb(b, decodeTexture)));
    expect(ours.model.textures).toHaveLength(plain.model.textures.length);
    for (const [i, { width, height, texels }] of ours.model.textures.entries()) {
      const truth = plain.model.textures[i];
      expect([width, height]).toEqual([truth.width, truth.height]);
      let sum = 0;
      for (let k = 0; k < texels.length; k++) sum += (texels[k] - truth.texels[k]) ** 2;
      // What the format loses: common practice, no published source.
      expect(10 * Math.log10((255 * 255 * texels.length) / sum)).toBeGreaterThan(leastDb);
    }
    // Damaged in the middle of a picture it is read or refused with a sentence, and the next one is read as before.
    const random = seeded(4);
    for (let i = 0; i < 12; i++) {
      const damaged = packed.slice();
      for (let k = 0; k < 40; k++) damaged[packed.length - 1 - Math.floor(random() * 200_000)] = random() * 256;
      await readModel([file("float.glb", damaged)]).catch((error: unknown) => expect(error).toBeInstanceOf(ModelError));
    }
    expect((await readModel([file("float.glb", packed)])).glb).toEqual(read.glb);
  });

  test("a .gltf finds its buffer and pictures among the files; without the buffer it says what to drop", async () => {
    const json = await new NodeIO().writeJSON(await new NodeIO().readBinary(new Uint8Array(await boat())), {
      basename: "boat",
    });
    const files = [
      file("in/boat.gltf", JSON.stringify(json.json)),
      ...Object.entries(json.resources).map(([name, bytes]) => file(`in/${name}`, bytes)),
    ];
    const read = await readModel(files);
    const [ours, plain] = [
      (await importGlb(read.glb, decodeTexture)).model,
      (await importGlb(new Uint8Array(await boat()), decodeTexture)).model,
    ];
    agree(ofModel(ours), ofModel(plain));
    expect(ours.textures.map((t) => t.width)).toEqual(plain.textures.map((t) => t.width));
    const picture = files.findIndex(({ path }) => /\.(png|jpe?g)$/.test(path));
    if (picture < 0) throw new Error("the boat has pictures");
    const without = await readModel(files.filter((_, i) => i !== picture));
    expect(without.missing).toEqual([files[picture].path.replace("in/", "")]);
    expect((await importGlb(without.glb, decodeTexture)).model.textures).toHaveLength(plain.textures.length - 1);
    await expect(readModel(files.slice(0, 1))).rejects.toThrow(/did not come along/);
  });

  test("corners have colours and parts stand as often as their instances say", async () => {
    const { Document } = await import("@gltf-transform/core");
    const { EXTMeshGPUInstancing } = await import("@gltf-transform/extensions");
    const d = new Document();
    const buffer = d.createBuffer();
    const list = (type: "VEC3" | "VEC4", values: number[]) =>
      d.createAccessor().setType(type).setArray(new Float32Array(values)).setBuffer(buffer);
    const primitive = d
      .createPrimitive()
      .setAttribute("POSITION", list("VEC3", [0, 0, 0, 1, 0, 0, 0, 1, 0]))
      .setAttribute("COLOR_0", list("VEC3", [1, 0, 0, 0, 0.2158605, 0, 0, 0, 1]));
    const places = d.createExtension(EXTMeshGPUInstancing).createInstancedMesh();
    places.setAttribute("TRANSLATION", list("VEC3", [0, 0, 0, 3, 0, 0]));
    // A quarter turn about Y for the second one.
    places.setAttribute("ROTATION", list("VEC4", [0, 0, 0, 1, 0, Math.SQRT1_2, 0, Math.SQRT1_2]));
    d.createScene().addChild(
      d.createNode().setMesh(d.createMesh().addPrimitive(primitive)).setExtension("EXT_mesh_gpu_instancing", places),
    );
    const model = await modelOf([
      file("pair.glb", await new NodeIO().registerExtensions([EXTMeshGPUInstancing]).writeBinary(d)),
    ]);
    expect(triangleCount(model)).toBe(2);
    const { low, high } = modelBounds(model);
    // Turned about Y, its X goes to −Z there, which is +Y here.
    [low, high].flat().forEach((x, i) => expect(x).toBeCloseTo([0, 0, 0, 3, 1, 1][i], 6));
    // Linear 0.2159 is 128 of 255 on a screen (IEC 61966-2-1).
    expect([...model.meshes[0].colours!.subarray(0, 8)]).toEqual([255, 0, 0, 255, 0, 128, 0, 255]);
  });
});

test("what is kept passes the glTF validator: of every simple format, and a box of photographs", async () => {
  const scene = new THREE.Mesh(KNOT);
  const files: [string, string | Uint8Array][] = [
    ["k.obj", new OBJExporter().parse(scene)],
    ["k.stl", new Uint8Array((new STLExporter().parse(scene, { binary: true }) as DataView).buffer)],
    ["k.ply", boxPly(1, 2, 3)],
    ["crate.zip", await crateZip()],
  ];
  const kept = await Promise.all(files.map(async ([name, bytes]) => (await readModel([file(name, bytes)])).glb));
  const skin = bareSkin([0.6, 0.45, 0.4]);
  const { width, height, texels } = flatPicture(skin, new Map(), pixelsPerMetre(skin));
  const png = await sharp(texels, { raw: { width, height, channels: 4 } })
    .png()
    .toBuffer();
  kept.push(await boxGlb(skin, new Uint8Array(png)));
  for (const glb of kept) {
    const { issues } = await validator.validateBytes(glb);
    expect(issues.messages.filter((m) => (m as { severity: number }).severity === 0)).toEqual([]);
  }
  // Read again, the box is as large as it says.
  const { low, high } = modelBounds((await importGlb(kept[4], decodeTexture)).model);
  high.forEach((x, k) => expect(x - low[k]).toBeCloseTo(skin.size[k], 6));
});

describe("what cannot be read", () => {
  test("is told from models by what is in it, whatever it is called", async () => {
    expect(formatOf(strToU8("solid x\nfacet normal 0 0 1\n"))).toBe("stl");
    expect(formatOf(strToU8("ply\nformat ascii 1.0\n"))).toBe("ply");
    expect(formatOf(strToU8("# made by hand\nv 0 0 0\nv 1 0 0\n"))).toBe("obj");
    expect(formatOf(strToU8("Dear harbour master,\nthe kettle is gone.\n"))).toBeNull();
    expect(formatOf(await readFile("package.json"))).toBeNull();
    await expect(readModel([file("letter.obj", "Dear harbour master,\n")])).rejects.toThrow(/“letter.obj” is no model/);
  });

  test("a zip is counted by its own word before it is opened, and a damaged one is refused", () => {
    const zip = zipSync({ "a.obj": new Uint8Array(5000), "b.obj": new Uint8Array(5000) }, { level: 9 });
    expect(() => unpacked([file("a.zip", zip)], { files: 10, bytes: 9000 })).toThrow(/2 files of 0 MB/);
    expect(() => unpacked([file("a.zip", zip)], { files: 1, bytes: 90_000 })).toThrow(ModelError);
    expect(() => unpacked([file("a.zip", zip.subarray(0, 60))])).toThrow(/damaged zip/);
  });

  test("damaged files of every format are refused with a sentence or read, and never throw anything else", async () => {
    const random = seeded(17);
    const scene = new THREE.Mesh(new THREE.TorusKnotGeometry(0.4, 0.13, 20, 6));
    const whole: SourceFile[] = [
      file("k.obj", new OBJExporter().parse(scene)),
      file("k.stl", new Uint8Array(new STLExporter().parse(scene, { binary: true }).buffer)),
      file("k.stl", new STLExporter().parse(scene, { binary: false }) as unknown as string),
      file("k.ply", new PLYExporter().parse(scene, undefined as never, {}) as unknown as string),
      file("k.zip", zipSync({ "k.obj": strToU8(new OBJExporter().parse(scene)) })),
      file("k.glb", new Uint8Array(await boat())),
    ];
    for (const { path, bytes } of whole)
      for (let i = 0; i < 12; i++) {
        const damaged = bytes.slice(0, random() < 0.3 ? Math.floor(random() * bytes.length) : bytes.length);
        for (let k = 0; k < 1 + random() * 20; k++)
          damaged[Math.floor(random() * damaged.length)] = Math.floor(random() * 256);
        const error = await readModel([file(path, damaged)]).then(
          () => null,
          (e: unknown) => e,
        );
        if (error) expect(error).toBeInstanceOf(ModelError);
      }
  });

  function boat() {
    return demoFile("boat.glb", "slipway");
  }
});
