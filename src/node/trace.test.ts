import { appendFile, copyFile, cp, mkdtemp, rm, writeFile } from "node:fs/promises";
import { flagsOf } from "#core/set/roles";
import { tmpdir } from "node:os";
import path from "node:path";
import { describe, expect, test } from "@jest/globals";
import { compositeCodes } from "#core/comp/composite";
import { srgbEncoding, decodeCodes } from "#core/image/profile";
import { directionFromAngles } from "#core/light/sun";
import type { Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import { primitiveModel } from "#core/props/primitives";
import { placeMesh, standing } from "#core/props/transform";
import type { Kernel } from "#core/trace/kernel";
import { SceneLoader, uploadScene } from "#core/trace/upload";
import { developFilm, unitWeights } from "#core/trace/film";
import { measureFill } from "#core/trace/fill";
import { GENERATION_ADDRESS, SceneMemory, scratchAddress } from "#core/trace/memory";
import { buildReference, referenceClosest } from "#core/trace/referenceBvh";
import { SUN_ANGULAR_RADIUS } from "#core/trace/scene";
import type { SetPiece, TraceScene } from "#core/trace/scene";
import type { FillJob, TileJob } from "#core/trace/tiles";
import { TILE_SIZE, rewindTiles, runJob } from "#core/trace/tiles";
import { buildTriangleBvh } from "#core/trace/bvh";
import * as L from "#kernel/layout";
import { between, seeded, unitVector } from "../testing/random.ts";
import { SIZE, emptyScene, lookAt, meanRadiance, quadModel, withModels } from "../testing/render.ts";
import { kernelHash, kernelSource } from "../../scripts/kernelSources.mjs";
import { buildFolder, compileKernel, kernelBytes, newKernelMemory, openKernel } from "./kernelFile.ts";
import type { Film } from "./bands.ts";
import { renderScene } from "./renderScene.ts";

async function freshKernel() {
  const memory = newKernelMemory();
  return { kernel: await openKernel(await compileKernel(), memory, scratchAddress(0)), scene: new SceneMemory(memory) };
}

/** A ball of triangles around the origin. */
function benchSphere(rings: number, sides: number) {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let i = 0; i <= rings; i++) {
    for (let j = 0; j < sides; j++) {
      const [a, b] = [(i / rings) * Math.PI, (j / sides) * 2 * Math.PI];
      positions.push(3 * Math.sin(a) * Math.cos(b), 3 * Math.sin(a) * Math.sin(b), 3 * Math.cos(a));
    }
  }
  for (let i = 0; i < rings; i++) {
    for (let j = 0; j < sides; j++) {
      const at = (p: number, q: number) => p * sides + (q % sides);
      indices.push(at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1));
    }
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

/** Puts triangles into memory and builds their tree. */
function putSoup(kernel: Kernel, scene: SceneMemory, positions: Float32Array, indices: Uint32Array): number {
  const triangles = new Uint32Array((indices.length / 3) * 4);
  for (let i = 0, t = 0; i < indices.length; i += 3, t += 4)
    triangles.set([indices[i], indices[i + 1], indices[i + 2], 0], t);
  const p = scene.putF32(positions);
  const t = scene.reserve(triangles.byteLength);
  scene.u32(t, triangles.length).set(triangles);
  const parts = scene.putF32(new Float32Array(L.PART_BYTES / 4));
  return buildTriangleBvh(kernel, scene, { positions: p, triangles: t, parts }, 0, indices.length / 3).root;
}

test("a tracer that was compiled from other sources is not used", async () => {
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-kernel-"));
  try {
    await expect(kernelBytes(folder)).rejects.toThrow(/not built.*npm run build/);
    await copyFile(path.join(buildFolder, "kernel.wasm"), path.join(folder, "kernel.wasm"));
    await writeFile(path.join(folder, "kernel.hash"), kernelHash());
    expect((await kernelBytes(folder)).subarray(0, 4).toString("latin1")).toBe("\0asm");
    // One byte more in one source is another hash.
    const sources = path.join(folder, "sources");
    await cp(kernelSource, sources, { recursive: true });
    expect(kernelHash(sources)).toBe(kernelHash());
    await appendFile(path.join(sources, "layout.ts"), " ");
    await writeFile(path.join(folder, "kernel.hash"), kernelHash(sources));
    await expect(kernelBytes(folder)).rejects.toThrow(/other sources/);
  } finally {
    await rm(folder, { recursive: true });
  }
});

describe("jobs", () => {
  test("are left when the host moves on, the fill map too, and done again from the start after that", async () => {
    const { kernel, scene } = await freshKernel();
    const ground = quadModel([-6, -6, 0], [12, 0, 0], [0, 12, 0], {}).meshes[0];
    const shown: TraceScene = {
      ...emptyScene(lookAt([0, -8, 5], [0, 0, 0])),
      plate: { width: SIZE, height: SIZE, pixels: new Float32Array(SIZE * SIZE * 3).fill(0.25) },
      set: [{ ...ground, flags: flagsOf("catcher"), albedo: [0.3, 0.3, 0.3], specular: 0, roughness: 1 }],
      sky: [1, 1, 1],
    };
    const settings = { width: SIZE, height: SIZE, seed: 1, maxDepth: 3 };
    const generation = new Int32Array(scene.buffer, GENERATION_ADDRESS, 1);
    const run = (job: TileJob | FillJob) => {
      rewindTiles(scene.buffer);
      return runJob(kernel, scene.buffer, job);
    };
    const tiles = { width: SIZE, height: SIZE, tileSize: TILE_SIZE, firstSample: 0, lastSample: 2 };
    const fillAgain = async (leave: boolean) => {
      const loaded = uploadScene(kernel, scene, shown, settings);
      if (leave) Atomics.add(generation, 0, 1);
      let rays = 0;
      const map = await measureFill(scene, loaded, shown.frame, 4, (job) => {
        const report = run(job);
        rays = report.rays;
        return Promise.resolve(report.complete);
      });
      return { map, rays, tiles: run({ ...tiles, params: loaded.params }) };
    };
    const first = await fillAgain(false);
    expect(first.map!.cells.some((v) => v > 0)).toBe(true);
    expect(first.tiles.complete).toBe(true);
    const left = await fillAgain(true);
    expect(left.map).toBeNull();
    expect(left.rays).toBe(0);
    expect(left.tiles).toEqual({ complete: false, rays: 0 });
    const again = await fillAgain(false);
    expect(again.map).toEqual(first.map);
    expect(again.tiles).toEqual(first.tiles);
  });
});

describe("hits", () => {
  test("the kernel finds the same triangles as the reference on random scenes", async () => {
    const random = seeded(1);
    for (const count of [1, 3, 60, 3000]) {
      const { kernel, scene } = await freshKernel();
      const positions = new Float32Array(count * 9);
      for (let t = 0; t < count; t++) {
        const centre = [0, 1, 2].map(() => between(random, -5, 5));
        for (let k = 0; k < 9; k++) positions[t * 9 + k] = centre[k % 3] + between(random, -0.8, 0.8);
      }
      const indices = Uint32Array.from({ length: count * 3 }, (_, i) => i);
      const root = putSoup(kernel, scene, positions, indices);
      const reference = buildReference(positions, indices);
      let disagreements = 0;
      for (let i = 0; i < 2000; i++) {
        const o = [0, 1, 2].map(() => Math.fround(between(random, -8, 8)));
        const d = unitVector(random).map(Math.fround);
        const id = kernel.closest(root, o[0], o[1], o[2], d[0], d[1], d[2], 0, 1e30);
        const hit = referenceClosest(reference, o[0], o[1], o[2], d[0], d[1], d[2]);
        const same = hit ? id === hit.triangle || Math.abs(kernel.hitT() - hit.distance) < 1e-4 * hit.distance : id < 0;
        if (!same) disagreements++;
      }
      // Rays that graze an edge may differ: single precision against double.
      expect(disagreements).toBeLessThanOrEqual(2);
    }
  });

  test("the tree holds every triangle once, in boxes that hold it, on cache lines and within its memory", async () => {
    const random = seeded(11);
    for (const count of [1, 5, 9, 700]) {
      const { kernel, scene } = await freshKernel();
      // Odd lengths before it, which the tree must not take its place from.
      scene.reserve(16 * (count % 3));
      const positions = new Float32Array(count * 9);
      for (let k = 0; k < positions.length; k += 9) {
        const centre = [0, 1, 2].map(() => between(random, -5, 5));
        for (let i = 0; i < 9; i++) positions[k + i] = centre[i % 3] + between(random, -0.5, 0.5);
      }
      const root = putSoup(
        kernel,
        scene,
        positions,
        Uint32Array.from({ length: count * 3 }, (_, i) => i),
      );
      expect(root % 64).toBe(0);
      const end = scene.mark();
      const seen: number[] = [];
      let farthest = 0;
      const walk = (node: number, box: number[] | null) => {
        const planes = scene.f32(node, L.NODE_CHILDREN / 4);
        const children = scene.u32(node + L.NODE_CHILDREN, 8);
        let leavesBegun = false;
        for (let i = 0; i < 8; i++) {
          // Lowest and highest x, then y, then z.
          const own = Array.from({ length: 6 }, (_, p) => planes[p * 8 + i]);
          if (own[0] > own[1]) continue;
          for (let p = 0; box && p < 6; p++)
            expect(p % 2 ? box[p] - own[p] : own[p] - box[p]).toBeGreaterThanOrEqual(0);
          const child = children[i];
          if ((child & 1) === 0) {
            // What stops a ray most likely is looked at first, which is what stands last.
            expect(leavesBegun).toBe(false);
            walk(child, own);
            continue;
          }
          leavesBegun = true;
          const block = child - 1;
          farthest = Math.max(farthest, block + L.LOOK_AHEAD_BYTES);
          const corners = scene.f32(block, 36);
          const ids = scene.u32(block + 144, 4);
          for (let lane = 0; lane < 4; lane++) {
            const [v0, e1, e2] = [0, 12, 24].map((at) => [0, 1, 2].map((k) => corners[at + k * 4 + lane]));
            // Lanes that are not taken hold nothing that can be hit.
            if ([...e1, ...e2].every((v) => v === 0)) continue;
            seen.push(ids[lane]);
            const t = positions.subarray(ids[lane] * 9, ids[lane] * 9 + 9);
            for (let k = 0; k < 3; k++) {
              expect(v0[k]).toBe(t[k]);
              expect(e1[k]).toBe(Math.fround(t[k] - t[3 + k]));
              expect(e2[k]).toBe(Math.fround(t[6 + k] - t[k]));
              expect(own[2 * k]).toBeLessThanOrEqual(Math.min(t[k], t[3 + k], t[6 + k]));
              expect(own[2 * k + 1]).toBeGreaterThanOrEqual(Math.max(t[k], t[3 + k], t[6 + k]));
            }
          }
        }
      };
      walk(root, null);
      expect(seen.sort((a, b) => a - b)).toEqual(Array.from({ length: count }, (_, i) => i));
      // What is fetched before it is visited is read some way beyond its beginning.
      expect(farthest).toBeLessThanOrEqual(end);
      expect(end).toBeLessThanOrEqual(scene.buffer.byteLength);
    }
  });

  test("no ray slips between triangles that share an edge", async () => {
    // A closed ball of 20 000 triangles seen from within: every ray must hit (Woop, Benthin and Wald 2013, watertightness).
    const { kernel, scene } = await freshKernel();
    const soup = benchSphere(100, 100);
    const root = putSoup(kernel, scene, soup.positions, soup.indices);
    const random = seeded(8);
    const count = 200_000;
    const rays = new Float32Array(count * 6);
    for (let i = 0; i < count; i++) {
      // Half of them aim at a vertex exactly, the others at the middle of an edge.
      const a = Math.floor(random() * (soup.indices.length / 3)) * 3;
      const [p, q] = [soup.indices[a] * 3, soup.indices[a + 1] * 3];
      const d = [0, 1, 2].map((k) =>
        i % 2 ? soup.positions[p + k] : (soup.positions[p + k] + soup.positions[q + k]) / 2,
      );
      const l = Math.hypot(d[0], d[1], d[2]);
      for (let k = 0; k < 3; k++) rays[(3 + k) * count + i] = d[k] / l;
    }
    const at = scene.putF32(rays);
    const [distances, ids] = [scene.reserve(count * 4), scene.reserve(count * 4)];
    kernel.closestBatch(root, at, count * 4, count, 0, 1e30, distances, ids);
    const hits = new Int32Array(scene.u32(ids, count).slice().buffer);
    expect(hits.filter((id) => id < 0)).toHaveLength(0);
  });

  test("instances are hit where the reference hits their triangles moved into the world", async () => {
    const random = seeded(5);
    const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], 1, 0);
    const props = Array.from({ length: 10 }, () => ({
      model: ball,
      placement: {
        position: [between(random, -6, 6), between(random, -6, 6), between(random, -6, 6)] as Vec3,
        turn: between(random, 0, 6),
        lean: [between(random, -1, 1), between(random, -1, 1)] as [number, number],
        scale: [between(random, 0.3, 2), between(random, 0.3, 2), between(random, 0.3, 2)] as Vec3,
      },
    }));
    const { kernel, scene } = await freshKernel();
    const loaded = uploadScene(
      kernel,
      scene,
      { ...emptyScene(lookAt([0, 0, 9], [0, 0, 0])), props },
      { width: 8, height: 8, seed: 1, maxDepth: 2 },
    );
    const meshes = props.map((p) => placeMesh(p.placement, ball.meshes[0]));
    const positions = new Float32Array(meshes.flatMap((m) => [...m.positions]));
    const vertices = meshes[0].positions.length / 3;
    const reference = buildReference(
      positions,
      new Uint32Array(meshes.flatMap((m, i) => Array.from(m.indices, (v) => v + i * vertices))),
    );
    const count = 4000;
    const rays = new Float32Array(count * 6);
    for (let i = 0; i < count; i++) {
      const d = unitVector(random);
      for (let k = 0; k < 3; k++) rays[k * count + i] = between(random, -9, 9);
      for (let k = 0; k < 3; k++) rays[(3 + k) * count + i] = d[k];
    }
    const at = scene.putF32(rays);
    const [distances, ids] = [scene.reserve(count * 4), scene.reserve(count * 4)];
    kernel.closestInstanceBatch(loaded.params, loaded.propRoot, at, count * 4, count, 0, 1e30, distances, ids);
    const t = scene.f32(distances, count);
    let different = 0;
    for (let i = 0; i < count; i++) {
      const ray = [0, 1, 2, 3, 4, 5].map((k) => rays[k * count + i]) as [
        number,
        number,
        number,
        number,
        number,
        number,
      ];
      const hit = referenceClosest(reference, ...ray);
      const own = t[i] < 1e29 ? t[i] : null;
      if (
        (hit === null) !== (own === null) ||
        (hit && Math.abs(own! - hit.distance) > 2e-4 * Math.max(1, hit.distance))
      )
        different++;
    }
    expect(different).toBeLessThanOrEqual(3);
  });
});

describe("memory", () => {
  test("2 GB of textures are refused with a sentence that says what to do", async () => {
    const { kernel, scene } = await freshKernel();
    const texels = new Uint8Array(2048 * 2048 * 4);
    const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], 1, 0);
    // One array stands for all of them: what counts is what would have to be put into memory.
    const model = { ...ball, textures: Array.from({ length: 128 }, () => ({ width: 2048, height: 2048, texels })) };
    const crowded = withModels(emptyScene(lookAt([0, 0, 9], [0, 0, 0])), [model]);
    const load = () => uploadScene(kernel, scene, crowded, { width: 8, height: 8, seed: 1, maxDepth: 2 });
    expect(load).toThrow(/textures take 2\.0 GiB; 1 GiB fit\. Make them smaller/);
  });

  test("a moved prop keeps models and textures where they are; a new model does not", async () => {
    const { kernel, scene } = await freshKernel();
    const loader = new SceneLoader(kernel, scene);
    const ball = primitiveModel("sphere", [0.5, 0.5, 0.5], 1, 0);
    const at = (x: number, model = ball): TraceScene => ({
      ...emptyScene(lookAt([0, 0, 9], [0, 0, 0])),
      props: [{ model, placement: standing([x, 0, 0]) }],
    });
    const settings = { width: 8, height: 8, seed: 1, maxDepth: 2 };
    const address = () => scene.u32(loader.load(at(0), settings).params, L.PARAM_BYTES / 4)[L.PARAM_POSITIONS / 4];
    const first = loader.load(at(0), settings);
    const before = scene.u32(first.params, L.PARAM_BYTES / 4).slice();
    const second = loader.load(at(2), settings);
    const after = scene.u32(second.params, L.PARAM_BYTES / 4);
    expect(second.params).toBe(first.params);
    for (const kept of [L.PARAM_POSITIONS, L.PARAM_MATERIALS, L.PARAM_TEXTURES, L.PARAM_ALBEDO_TABLE]) {
      expect(after[kept / 4]).toBe(before[kept / 4]);
    }
    // Where it stood before nothing is hit any more.
    expect(kernel.pickPixel(second.params, SIZE / 2, SIZE / 2)).toBe(0);
    expect(address()).toBe(before[L.PARAM_POSITIONS / 4]);
    expect(kernel.pickPixel(loader.load(at(0), settings).params, SIZE / 2 + 0.3, SIZE / 2 + 0.2)).toBeGreaterThan(7);
  });
});

describe("sampler", () => {
  test("256 Owen-scrambled Sobol points put one into each elementary interval of size 1/256", async () => {
    // Owen 1997: scrambling keeps a (0, 2)-sequence in base 2, so every elementary interval holds exactly one.
    const { kernel, scene } = await freshKernel();
    const out = scene.reserve(256 * 8);
    for (const seed of [1, 77]) {
      kernel.samplePoints(3, seed, 5, 256, out);
      const points = scene.f32(out, 512);
      for (const [a, b] of [
        [256, 1],
        [64, 4],
        [16, 16],
        [4, 64],
        [1, 256],
      ]) {
        const cells = new Set<number>();
        for (let i = 0; i < 256; i++) cells.add(Math.floor(points[i * 2] * a) * b + Math.floor(points[i * 2 + 1] * b));
        expect(cells.size).toBe(256);
      }
    }
  });
});

describe("light transport against closed forms", () => {
  test("Lambert furnace: inside a closed box that emits e with reflectance r the radiance is e / (1 - r)", async () => {
    // Energy balance of an enclosure (any radiation-exchange handbook).
    const material = {
      baseColor: [0.5, 0.4, 0.2, 1] as [number, number, number, number],
      emissive: [0.5, 0.6, 0.8] as Vec3,
    };
    const box = primitiveModel("box", [0, 0, 0], 1, 0);
    box.materials = [{ ...box.materials[0], ...material, specular: 0 }];
    const scene = withModels(emptyScene(lookAt([0.1, 0.05, 0.5], [0.5, 0.2, 0.4], 20)), [box]);
    const mean = await meanRadiance(scene, 512, 60);
    mean.forEach((v) => expect(Math.abs(v - 1)).toBeLessThan(0.01));
  });

  test("irradiance below a rectangle that emits evenly", async () => {
    // Configuration factor from a point to a parallel rectangle with a corner on the normal (Hamilton and Morgan 1952,
    // NACA TN 2836): (X/sqrt(1+X²) atan(Y/sqrt(1+X²)) + Y/sqrt(1+Y²) atan(X/sqrt(1+Y²))) / 2π.
    const [a, b, c] = [1.5, 0.8, 1.2];
    const [x, y] = [a / c, b / c];
    const [rx, ry] = [Math.sqrt(1 + x * x), Math.sqrt(1 + y * y)];
    const factor = ((x / rx) * Math.atan(y / rx) + (y / ry) * Math.atan(x / ry)) / (2 * Math.PI);
    const lamp = quadModel([0, 0, c], [0, b, 0], [a, 0, 0], { baseColor: [0, 0, 0, 1], emissive: [3, 2, 1] });
    const floor = quadModel([-0.01, -0.01, 0], [0.02, 0, 0], [0, 0.02, 0], {
      baseColor: [0.5, 0.5, 0.5, 1],
      roughness: 1,
    });
    const scene = withModels(emptyScene(lookAt([-0.5, -0.5, 0.8], [0, 0, 0], 20000)), [lamp, floor]);
    const mean = await meanRadiance(scene, 2048, 3);
    expect(mean[0] / (3 * 0.5 * factor)).toBeCloseTo(1, 2);
    expect(mean[2] / (1 * 0.5 * factor)).toBeCloseTo(1, 2);
  });

  test("a sunlit Lambert surface returns reflectance / π × irradiance × cosine", async () => {
    const direction = directionFromAngles(toRadians(200), toRadians(35));
    const plane = quadModel([-1, -1, 0], [2, 0, 0], [0, 2, 0], { baseColor: [0.6, 0.6, 0.6, 1], roughness: 1 });
    const scene: TraceScene = withModels(
      {
        ...emptyScene(lookAt([0, -3, 4], [0, 0, 0])),
        sun: { direction, irradiance: [2, 1, 3], angularRadius: SUN_ANGULAR_RADIUS },
      },
      [plane],
    );
    const mean = await meanRadiance(scene, 64, 2);
    [2, 1, 3].forEach((e, k) => expect(mean[k] / ((0.6 / Math.PI) * e * Math.sin(toRadians(35)))).toBeCloseTo(1, 3));
  });
});

/** A catcher ground around the origin, seen from above. */
function catcherScene(props: TraceScene["props"], elevation: number): TraceScene {
  const ground: SetPiece = {
    positions: new Float32Array([-9, -9, 0, 9, -9, 0, 9, 9, 0, -9, 9, 0]),
    indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
    flags: flagsOf("catcher"),
    albedo: [0.3, 0.3, 0.3],
    specular: 0,
    roughness: 0.5,
  };
  const plate = new Float32Array(SIZE * SIZE * 3).fill(0.25);
  return {
    ...emptyScene(lookAt([0, 0, 60], [0, 0, 0], 200)),
    set: [ground],
    props,
    sun: {
      direction: directionFromAngles(toRadians(90), toRadians(elevation)),
      irradiance: [2, 2, 2],
      angularRadius: SUN_ANGULAR_RADIUS,
    },
    sky: [0.1, 0.1, 0.1],
    floor: { height: -0.01, albedo: [0.3, 0.3, 0.3] },
    plate: { width: SIZE, height: SIZE, pixels: plate },
    picture: false,
  };
}

describe("catcher", () => {
  test("the shadow of a post is as long as the sun's height says: height / tan(elevation)", async () => {
    const post = {
      model: primitiveModel("box", [0.5, 0.5, 0.5], 1, 0),
      placement: { ...standing(), scale: [0.4, 6, 1.5] as Vec3 },
    };
    const scene = catcherScene([post], 37);
    const size = 512;
    const settings = { width: size, height: size, seed: 2, maxDepth: 3 };
    const film = await renderScene(scene, settings, { samples: 16, threads: 2 });
    const { ratio } = developFilm(film.pixels, size, size, film.layout);
    // Sun from +X: the shadow lies towards -X, and its tip is where the ratio is half way back to 1.
    const row = size / 2;
    const metresPerPixel = ((SIZE / size) * 60) / 200;
    const core = ratio[(row * size + size / 2 - Math.round(1 / metresPerPixel)) * 3];
    const half = (1 + core) / 2;
    let x = 0;
    while (ratio[(row * size + x) * 3] > half) x++;
    const tip = (size / 2 - x) * metresPerPixel - 0.2;
    expect(Math.abs(tip - 1.5 / Math.tan(toRadians(37)))).toBeLessThan(0.02);
  });

  test("with no prop the composite is the plate to the last bit, 8 and 16 bits, any picture", async () => {
    const random = seeded(9);
    const scene = { ...catcherScene([], 40), set: [{ ...catcherScene([], 40).set[0], specular: 1 }] };
    const film = await renderScene(scene, { width: 64, height: 64, seed: 1, maxDepth: 4 }, { samples: 8, threads: 2 });
    const passes = developFilm(film.pixels, 64, 64, film.layout, { ...unitWeights(), sun: [1.7, 1.7, 1.7] });
    for (const bits of [8, 16] as const) {
      const encoding = srgbEncoding(bits);
      const codes = bits === 8 ? new Uint8Array(64 * 64 * 3) : new Uint16Array(64 * 64 * 3);
      for (let i = 0; i < codes.length; i++) codes[i] = Math.floor(random() * (bits === 8 ? 256 : 65536));
      const out = compositeCodes(
        { width: 64, height: 64, encoding, codes, linear: decodeCodes(codes, encoding) },
        passes,
      );
      expect(out).toEqual(codes);
    }
  });

  test("the same seed gives the same bits with one, two and three threads", async () => {
    const ball = { model: primitiveModel("sphere", [0.8, 0.3, 0.2], 0.4, 0), placement: standing([0.4, 0.2, 0]) };
    const films: Film[] = [];
    for (const threads of [1, 2, 3]) {
      films.push(
        await renderScene(
          catcherScene([ball], 30),
          { width: 96, height: 96, seed: 4, maxDepth: 5 },
          { samples: 6, threads, batch: threads },
        ),
      );
    }
    const bytes = films.map((f) => Buffer.from(f.pixels.buffer));
    expect(bytes[1].equals(bytes[0])).toBe(true);
    expect(bytes[2].equals(bytes[0])).toBe(true);
  });

  test("where the plate is marked as shaded the sun is not taken away twice", async () => {
    const post = {
      model: primitiveModel("box", [0.5, 0.5, 0.5], 1, 0),
      placement: { ...standing(), scale: [0.4, 6, 1.5] as Vec3 },
    };
    const scene = catcherScene([post], 37);
    const shaded = { ...scene, mask: { width: 1, height: 1, values: new Float32Array([0]) } };
    const settings = { width: 64, height: 64, seed: 2, maxDepth: 3 };
    const at = (film: Film) => developFilm(film.pixels, 64, 64, film.layout).ratio[(32 * 64 + 22) * 3];
    const [open, closed] = [
      await renderScene(scene, settings, { samples: 64 }),
      await renderScene(shaded, settings, { samples: 64 }),
    ];
    expect(at(open)).toBeLessThan(0.3);
    expect(at(closed)).toBeGreaterThan(0.6);
    const pixel = (32 * 64 + 22) * closed.layout.stride;
    expect(closed.pixels[pixel + closed.layout.lights + 3]).toBe(0);
  });

  test("a render stops when it is aborted", async () => {
    const abort = new AbortController();
    const running = renderScene(
      catcherScene([], 30),
      { width: 400, height: 400, seed: 1, maxDepth: 4 },
      {
        samples: 100000,
        signal: abort.signal,
        onProgress: () => abort.abort(new Error("enough")),
      },
    );
    await expect(running).rejects.toThrow("enough");
  });
});
