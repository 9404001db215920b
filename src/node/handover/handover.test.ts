import { mkdtemp, readFile, readdir, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { XMLParser } from "fast-xml-parser";
import { unzipSync } from "fflate";
import validator from "gltf-validator";
import sharp from "sharp";
import { Matrix4, PerspectiveCamera, Vector3 } from "three";
import type { Mesh, Object3D } from "three";
import { GLTFLoader } from "three/examples/jsm/loaders/GLTFLoader.js";
import { USDLoader } from "three/examples/jsm/loaders/USDLoader.js";
import { linearToCode, srgbToLinear } from "#core/colour/srgb";
import type { DecodedPlate } from "#core/comp/composite";
import { stMap } from "#core/exchange/scene/stMap";
import type { HandOverChoice } from "#core/handover/choice";
import { EXPORT_IDS, fileName, newHandOver } from "#core/handover/choice";
import type { Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint, rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { readExrChannels } from "#core/image/exrRead";
import { newMaterial } from "#core/set/materials";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import type { Shot } from "#core/shot/schema";
import { seeded } from "../../testing/random.ts";
import { boxProp, testShot } from "../../testing/shots.ts";
import { readWithExrs } from "../../testing/exrsExr.ts";
import { readWithThree } from "../../testing/threeExr.ts";
import { BandFolder } from "../bandFolder.ts";
import { aboutRender, writeFinal } from "../finalFiles.ts";
import { plateOf } from "../plateRows.ts";
import { renderIntoFolder } from "../renderShot.ts";
import type { HandOver } from "./exporter.ts";
import type { FinishedPicture } from "./finished.ts";
import { finishedPicture } from "./finished.ts";
import { handOver } from "./index.ts";

/** What is handed over is read again by others: three, the glTF validator, plain zip, PNG and XML. */

const [WIDTH, HEIGHT] = [120, 80];
const camera: Camera = {
  focalPx: 100,
  // Off the middle, as of a shifted or cropped plate.
  principal: [WIDTH / 2 + 7, HEIGHT / 2 - 4],
  distortion: { ...noDistortion(), k1: -0.06 },
  rotation: rotationFromAngles({ heading: 0.1, tilt: -0.3, roll: 0.02 }),
  position: [0.2, -3.4, 1.9],
};

function yard(): Shot {
  const shot = testShot(WIDTH, HEIGHT);
  shot.plates.main.owner = "The harbour office";
  shot.solved = { camera, evidence: "", rmsPx: null, sigma: null };
  shot.materials = { "material-1": newMaterial("material-1", "stone", [0.4, 0.38, 0.35]) };
  const corner = (x: number, y: number) => typedVertex([x, y, 0]);
  shot.set = {
    ground: makePart(
      "ground",
      "ground",
      { kind: "polygon", vertices: [corner(-6, -3), corner(6, -3), corner(6, 8), corner(-6, 8)], holes: [] },
      "material-1",
    ),
  };
  shot.props = { "prop-1": boxProp([0.1, 0.4, 0], 25) };
  shot.light.sun.on = true;
  Object.assign(shot.comp.grain, {
    on: true,
    model: {
      read: [0.004, 0.004, 0.004],
      shot: [2e-4, 2e-4, 2e-4],
      size: 0.4,
      joined: [0.2, 0.1, 0.1],
      from: [0, 0, 0],
    },
  });
  Object.assign(shot.comp.lens, { on: true, redPx: 1.2, bluePx: -0.8, vignette: 0.1 });
  Object.assign(shot.comp.glow, { on: true, from: 0.1, size: 12, amount: 0.2 });
  Object.assign(shot.comp.look, { on: true, contrast: 1.1, saturation: 0.9 });
  return shot;
}

let folder: string;
let out: string;
let shot: Shot;
let plate: DecodedPlate;
let over: (choice: Partial<HandOverChoice>) => HandOver;
let picture: FinishedPicture;
const bytesOf = async (name: string) => new Uint8Array(await readFile(path.join(out, name)));
let delivered: Uint8Array;

beforeAll(async () => {
  folder = await mkdtemp(path.join(tmpdir(), "harbor-test-"));
  out = path.join(folder, "out");
  shot = yard();
  const random = seeded(3);
  const codes = Uint8Array.from({ length: WIDTH * HEIGHT * 3 }, (_, i) => 90 + 60 * Math.sin(i / 900) + 12 * random());
  plate = plateOf(shot, codes);
  const choice = { ...shot.render, samples: 8, passes: ["lights", "mattes", "occlusion"] as never, threads: 2 };
  const bands = new BandFolder(path.join(folder, "bands"), "yard");
  const layout = await renderIntoFolder(shot, plate, new Map(), choice, bands);
  const { mkdir } = await import("node:fs/promises");
  const passes = path.join(folder, "passes");
  await mkdir(passes);
  const { files } = await writeFinal(passes, shot, plate, null, choice, layout, bands);
  const file = (name: string) => path.join(passes, files[name]);
  delivered = new Uint8Array(await sharp(file("picture")).raw().toBuffer());
  const { renderedSigma } = aboutRender(await readFile(file("about"), "utf8"));
  const own = {
    prop: file("premultiplied"),
    ratio: file("ratio"),
    added: file("added"),
    depth: file("depth"),
    occlusion: file("occlusion"),
  };
  picture = await finishedPicture(shot, plate, own, renderedSigma);
  over = (change) => ({
    shot,
    document: shot,
    plate,
    profile: null,
    models: new Map(),
    choice: { ...newHandOver(), ...change },
    picture: () => Promise.resolve(picture),
    files: { layers: file("layers") },
    assets: {},
    takes: [],
    now: new Date("2026-11-29T10:00:00Z"),
  });
  await handOver(out, over({ exports: EXPORT_IDS, float: true }));
}, 120_000);
afterAll(() => rm(folder, { recursive: true, force: true }));

const worstOf = (a: ArrayLike<number>, b: ArrayLike<number>) => {
  let worst = 0;
  for (let i = 0; i < a.length; i++) worst = Math.max(worst, Math.abs(a[i] - b[i]));
  return worst;
};

describe("hand over", () => {
  test("the whole picture at once has the bits of the one that was written in bands on threads", () => {
    expect(Buffer.from(picture.codes).equals(Buffer.from(delivered))).toBe(true);
    expect(delivered.some((c, i) => c !== plate.codes[i])).toBe(true);
  });

  test("PNG is the delivered picture; JPEG and TIFF look like it and say whose plate it is", async () => {
    expect(
      worstOf(
        await sharp(await bytesOf("Test-picture.png"))
          .raw()
          .toBuffer(),
        delivered,
      ),
    ).toBe(0);
    const tif = sharp(await bytesOf("Test-picture.tif"));
    expect((await tif.metadata()).depth).toBe("ushort");
    const jpeg = sharp(await bytesOf("Test-picture.jpg"));
    expect(worstOf(await jpeg.raw().toBuffer(), delivered)).toBeLessThan(30);
    const { exif } = await jpeg.metadata();
    expect(exif!.toString("latin1")).toContain("The harbour office");
  });

  /** Codes of the picture that an EXR's layers give by the formula that it states. */
  function recombined(channels: Map<string, Float32Array>, pixels: number): Float64Array {
    const of = (name: string) => channels.get(name)!;
    const out = new Float64Array(pixels * 3);
    for (let i = 0; i < pixels; i++)
      ["R", "G", "B"].forEach((k, c) => {
        const cover = channels.has("cover.R") ? of(`cover.${k}`)[i] : of("object.A")[i];
        const behind = of(`plate.${k}`)[i] * of(`shadow.${k}`)[i] + of(`reflection.${k}`)[i];
        const glow = channels.get(`glow.${k}`)?.[i] ?? 0;
        out[i * 3 + c] = linearToCode(of(`object.${k}`)[i] + (1 - cover) * behind + glow + of(`finish.${k}`)[i], 8);
      });
    return out;
  }

  test("the EXR's layers, read by three and by exrs, give the delivered picture within 1/255", async () => {
    const file = await bytesOf("Test-layers.exr");
    const { pixels } = readWithThree(file, 3);
    const codes = pixels.map((v) => linearToCode(v, 8));
    expect(worstOf(codes, delivered)).toBeLessThanOrEqual(1);
    // By the formula that the file itself states, from its own layers.
    const { channels } = await readWithExrs(file);
    const of = (name: string) => channels.get(name)!;
    expect(worstOf(recombined(channels, WIDTH * HEIGHT), delivered)).toBeLessThanOrEqual(1);
    // The two read the same bits, and so does our own reader in every channel.
    ["R", "G", "B"].forEach((k, c) => expect(pixels.filter((_, i) => i % 3 === c)).toEqual(of(k)));
    const own = readExrChannels(file).channels;
    expect([...own.keys()].sort()).toEqual([...channels.keys()].sort());
    for (const [name, values] of own) expect(values).toEqual(of(name));
    expect([...channels.keys()].some((name) => name.startsWith("matte_prop_Box"))).toBe(true);
  });

  test("OpenRaster, by plain zip, XML and PNG: its stack gives the picture within 1/255", async () => {
    const entries = unzipSync(await bytesOf("Test-layers.ora"));
    expect(Object.keys(entries)[0]).toBe("mimetype");
    expect(new TextDecoder().decode(entries.mimetype)).toBe("image/openraster");
    expect(worstOf(await stacked(entries), delivered)).toBeLessThanOrEqual(1);
    expect(worstOf(await sharp(entries["mergedimage.png"]).raw().toBuffer(), delivered)).toBe(0);
  });

  /** Codes that the layers of an OpenRaster file give by their modes. */
  async function stacked(entries: Record<string, Uint8Array>): Promise<Float64Array> {
    const xml = new XMLParser({ ignoreAttributes: false }).parse(new TextDecoder().decode(entries["stack.xml"])) as {
      image: { stack: { layer: { "@_src": string; "@_composite-op": string }[] } };
    };
    // The first in the file lies on top.
    const layers = xml.image.stack.layer.reverse();
    const { width, height } = await sharp(entries["mergedimage.png"]).metadata();
    let codes: Float64Array = new Float64Array(width * height * 3);
    for (const layer of layers) {
      const { data, info } = await sharp(entries[layer["@_src"]]).raw().toBuffer({ resolveWithObject: true });
      expect([info.width, info.height]).toEqual([width, height]);
      const next = codes.slice();
      for (let i = 0; i < width * height; i++)
        for (let k = 0; k < 3; k++) {
          const own = data[i * info.channels + k];
          const a = info.channels === 4 ? data[i * 4 + 3] / 255 : 1;
          const was = codes[i * 3 + k];
          const mixed = {
            "svg:src-over": own,
            "svg:multiply": (own * was) / 255,
            "svg:plus": Math.min(255, own + was),
          }[layer["@_composite-op"]]!;
          next[i * 3 + k] = Math.round(was + a * (mixed - was));
        }
      codes = next;
    }
    return codes;
  }

  test.each([50, 150])(
    "layers of a region at %i %% have its size, and give its picture as those of the whole do",
    async (percent) => {
      const to = path.join(folder, `region-${percent}`);
      const region = { x: 20, y: 10, width: 60, height: 40 };
      const pattern = "{what}-{width}x{height}";
      await handOver(to, over({ exports: ["exr", "ora"], percent, region, pattern }));
      const [width, height] = [(60 * percent) / 100, (40 * percent) / 100];
      const file = async (name: string) =>
        new Uint8Array(await readFile(path.join(to, `${name.replace(".", `-${width}x${height}.`)}`)));
      const exr = await readWithExrs(await file("layers.exr"));
      expect([exr.width, exr.height]).toEqual([width, height]);
      const shown = Float64Array.from({ length: width * height * 3 }, (_, i) =>
        linearToCode(exr.channels.get("RGB"[i % 3])![Math.floor(i / 3)], 8),
      );
      expect(worstOf(recombined(exr.channels, width * height), shown)).toBeLessThanOrEqual(1);
      const entries = unzipSync(await file("layers.ora"));
      const merged = await sharp(entries["mergedimage.png"]).raw().toBuffer();
      expect(worstOf(await stacked(entries), merged)).toBeLessThanOrEqual(1);
      expect(worstOf(merged, shown)).toBeLessThanOrEqual(1);
      // A mean of four pixels of the delivered picture, in linear light.
      if (percent === 50) {
        const light = (x: number, y: number) => srgbToLinear(delivered[((10 + y) * WIDTH + 20 + x) * 3] / 255);
        const mean = (light(12, 8) + light(13, 8) + light(12, 9) + light(13, 9)) / 4;
        expect(Math.abs(exr.channels.get("R")![4 * width + 6] - mean)).toBeLessThan(0.003);
      }
      // Distances are some pixel's own, never a mean of near and far.
      const whole = readExrChannels(await bytesOf("Test-layers.exr")).channels.get("Z")!;
      const own = new Set(whole);
      expect(exr.channels.get("Z")!.every((z) => own.has(z))).toBe(true);
    },
  );

  /** Points of the set and the prop, in the world. */
  const POINTS: Vec3[] = [
    [-1, 0, 0],
    [1, 0, 0],
    [0, 2, 0],
    [1.5, 3, 0],
    [-2, 4, 0],
    [0.1, 0.4, 1],
    [0.5, 0.2, 0.5],
    [-0.5, 1, 0.8],
    [0, 5, 2],
    [2, 2, 1],
  ];
  const undistorted: Camera = { ...camera, distortion: noDistortion() };

  test("the GLB is valid; three's camera in it projects ten points where ours does, within 0.01 px", async () => {
    const bytes = await bytesOf("Test-scene.glb");
    const { issues } = await validator.validateBytes(bytes);
    expect(issues.numErrors).toBe(0);
    const loader = new GLTFLoader();
    const gltf = await loader.parseAsync(bytes.buffer as ArrayBuffer, "");
    gltf.scene.updateMatrixWorld(true);
    const seen = gltf.cameras[0] as PerspectiveCamera;
    const root = gltf.scene.children[0];
    // The file's frame lies around the principal point; it says where the plate is in it.
    const { crop } = seen.userData as { crop: { x: number; y: number } };
    const frame = { width: WIDTH + 14, height: HEIGHT + 8 };
    expect(seen.aspect).toBeCloseTo(frame.width / frame.height, 6);
    for (const point of POINTS) {
      const at = new Vector3(...point).applyMatrix4(root.matrixWorld).project(seen);
      const pixel = [((at.x + 1) / 2) * frame.width - crop.x, ((1 - at.y) / 2) * frame.height - crop.y];
      const own = projectPoint(undistorted, point)!;
      expect(Math.hypot(pixel[0] - own[0], pixel[1] - own[1])).toBeLessThan(0.01);
    }
    const names: string[] = [];
    gltf.scene.traverse((o: Object3D) => names.push(o.name));
    expect(names).toEqual(expect.arrayContaining(["camera", "set", "ground", "props", "Box", "sun"]));
  });

  test("USD text is read by three: meshes where they are, and its camera's matrix and aperture project the same", async () => {
    const bytes = await bytesOf("Test-scene.usda");
    const text = new TextDecoder().decode(bytes);
    const group = new USDLoader().parse(bytes.buffer as ArrayBuffer) as unknown as Object3D;
    group.updateMatrixWorld(true);
    const boxes: number[] = [];
    group.traverse((o) => {
      const mesh = o as Mesh;
      if (mesh.isMesh) boxes.push(mesh.geometry.getAttribute("position").count);
    });
    expect(boxes.length).toBe(2);
    let own: PerspectiveCamera | null = null;
    group.traverse((o) => void ((o as PerspectiveCamera).isPerspectiveCamera && (own = o as PerspectiveCamera)));
    // three reads the shift across with the sign of the format: the window goes left where the principal point lies right.
    expect(own!.filmOffset).toBeCloseTo((-7 * 36) / WIDTH, 6);
    const value = (name: string) => Number(new RegExp(`${name} = ([-\\d.e]+)`).exec(text)![1]);
    const matrix = /def Camera[\s\S]*?xformOp:transform = \( (.*?) \)\n/.exec(text)![1];
    const world = new Matrix4().fromArray(matrix.match(/-?[\d.]+(?:e-?\d+)?/g)!.map(Number));
    const view = world.invert();
    for (const point of POINTS) {
      const p = new Vector3(...point).applyMatrix4(view);
      const u = (value("focalLength") * p.x) / -p.z - value("horizontalApertureOffset");
      const v = (value("focalLength") * p.y) / -p.z - value("verticalApertureOffset");
      const pixel = [(u / value("horizontalAperture") + 0.5) * WIDTH, (0.5 - v / value("verticalAperture")) * HEIGHT];
      const own = projectPoint(undistorted, point)!;
      expect(Math.hypot(pixel[0] - own[0], pixel[1] - own[1])).toBeLessThan(0.01);
    }
  });

  test("the ST maps undo each other within 0.1 px, and are what the files hold", async () => {
    const size = { width: WIDTH, height: HEIGHT };
    const un = stMap(camera, size, "undistort");
    const re = stMap(camera, size, "redistort");
    const sample = (map: Float32Array, u: number, v: number, k: number) => {
      const [x, y] = [u * WIDTH - 0.5, (1 - v) * HEIGHT - 0.5];
      const [i, j] = [Math.floor(x), Math.floor(y)];
      const at = (a: number, b: number) => map[(b * WIDTH + a) * 2 + k];
      const [s, t] = [x - i, y - j];
      return (1 - t) * ((1 - s) * at(i, j) + s * at(i + 1, j)) + t * ((1 - s) * at(i, j + 1) + s * at(i + 1, j + 1));
    };
    let worst = 0;
    for (let y = 4; y < HEIGHT - 4; y += 3)
      for (let x = 4; x < WIDTH - 4; x += 3) {
        const [u, v] = re.subarray((y * WIDTH + x) * 2, (y * WIDTH + x) * 2 + 2);
        if (u < 0.02 || v < 0.02 || u > 0.98 || v > 0.98) continue;
        const back = [sample(un, u, v, 0) * WIDTH - 0.5 - x, (1 - sample(un, u, v, 1)) * HEIGHT - 0.5 - y];
        worst = Math.max(worst, Math.hypot(...back));
      }
    expect(worst).toBeLessThan(0.1);
    expect(worst).toBeGreaterThan(0);
    const { pixels } = readWithThree(await bytesOf("Test-st-undistort.exr"), 3);
    expect(pixels[0]).toBe(un[0]);
    expect(pixels[1]).toBe(un[1]);
  });

  test("OBJ has the box where it stands; camera files say the same camera", async () => {
    const obj = new TextDecoder().decode(await bytesOf("Test-scene.obj"));
    // It names its materials by the file that goes with it, so that two shots lie in one folder.
    expect(obj.split("\n")[0]).toBe("mtllib Test-scene.mtl");
    const materials = new TextDecoder().decode(await bytesOf("Test-scene.mtl"));
    for (const [, used] of obj.matchAll(/^usemtl (.+)$/gm)) expect(materials).toContain(`newmtl ${used}\n`);
    const heights = obj.split("\n").flatMap((l) => (l.startsWith("v ") ? [Number(l.split(" ")[3])] : []));
    expect(Math.max(...heights)).toBeCloseTo(1, 6);
    const json = JSON.parse(new TextDecoder().decode(await bytesOf("Test-camera.json"))) as { focalPx: number };
    expect(json.focalPx).toBe(100);
    const csv = new TextDecoder().decode(await bytesOf("Test-camera.csv")).split("\n");
    const column = (name: string) => Number(csv[1].split(",")[csv[0].split(",").indexOf(name)]);
    expect(column("tilt_deg")).toBeCloseTo((-0.3 * 180) / Math.PI, 6);
    expect(column("heading_deg")).toBeCloseTo((0.1 * 180) / Math.PI, 6);
    expect(column("k1")).toBe(-0.06);
  });

  test("layers as PNG: the object has its coverage, mattes are there, the report is a PDF", async () => {
    const object = await sharp(await bytesOf("Test-object.png"))
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect(object.info.channels).toBe(4);
    const names = await readdir(out);
    expect(names.filter((n) => n.includes("matte")).length).toBeGreaterThan(1);
    const pdf = await bytesOf("Test-sit-report.pdf");
    expect(new TextDecoder("latin1").decode(pdf.subarray(0, 5))).toBe("%PDF-");
    expect(names.filter((n) => n.startsWith("."))).toEqual([]);
  });

  test("half the size and a region: pictures have them, and nothing else of them is left behind when one fails", async () => {
    const small = path.join(folder, "small");
    await handOver(small, over({ exports: ["png"], percent: 50, region: { x: 20, y: 10, width: 60, height: 40 } }));
    const { width, height } = await sharp(path.join(small, "Test-picture.png")).metadata();
    expect([width, height]).toEqual([30, 20]);
    const failing = over({ exports: ["camera", "glb"] });
    const bad = { ...failing, shot: { ...shot, solved: null } };
    const empty = path.join(folder, "empty");
    await expect(handOver(empty, bad)).rejects.toThrow("Camera: The shot has no camera yet");
    expect(await readdir(empty)).toEqual([]);
  });

  test("names: what a disk would not take is left out", () => {
    const parts = { shot: "Quay / buoy: 2", what: "picture", width: 4, height: 3, date: "2026-11-29" };
    expect(fileName("{shot}-{what}-{width}x{height}", parts, "png")).toBe("Quay-buoy-2-picture-4x3.png");
    expect(fileName("../{what}", parts, "png")).toBe("picture.png");
  });
});
