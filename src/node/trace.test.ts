import { describe, expect, test } from "@jest/globals";
import { compositeCodes } from "#core/comp/composite";
import { srgbEncoding, decodeCodes } from "#core/image/profile";
import { directionFromAngles } from "#core/light/sun";
import type { Vec3 } from "#core/math/vec3";
import { normalize, toRadians } from "#core/math/vec3";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { developFilm, unitWeights } from "#core/trace/film";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { buildReference, referenceClosest } from "#core/trace/referenceBvh";
import { SUN_ANGULAR_RADIUS } from "#core/trace/scene";
import type { SetPiece, TraceScene } from "#core/trace/scene";
import { buildBvhAt } from "#core/trace/upload";
import * as L from "#kernel/layout";
import { between, seeded, unitVector } from "../testing/random.ts";
import { SIZE, emptyScene, lookAt, meanRadiance, quadModel, withModels } from "../testing/render.ts";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";
import { renderScene } from "./renderScene.ts";

async function freshKernel() {
  const memory = newKernelMemory();
  return { kernel: await openKernel(await compileKernel(), memory, scratchAddress(0)), scene: new SceneMemory(memory) };
}

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
      const triangles = new Uint32Array(count * 4);
      for (let t = 0; t < count; t++) triangles.set([t * 3, t * 3 + 1, t * 3 + 2, 0], t * 4);
      const p = scene.putF32(positions);
      const t = scene.reserve(triangles.byteLength);
      scene.u32(t, triangles.length).set(triangles);
      const root = buildBvhAt(kernel, scene, p, t, 0, count);
      const reference = buildReference(positions, indices);
      let disagreements = 0;
      for (let i = 0; i < 2000; i++) {
        const o = [0, 1, 2].map(() => Math.fround(between(random, -8, 8)));
        const d = unitVector(random).map(Math.fround);
        const id = kernel.closest(root, o[0], o[1], o[2], d[0], d[1], d[2], 0, 1e30);
        const hit = referenceClosest(reference, positions, indices, o, d);
        const same = hit ? id === hit.triangle || Math.abs(kernel.hitT() - hit.distance) < 1e-4 * hit.distance : id < 0;
        if (!same) disagreements++;
      }
      // Rays that graze an edge may differ: single precision against double.
      expect(disagreements).toBeLessThanOrEqual(2);
    }
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
    box.materials = [{ ...box.materials[0], ...material, f0: 0 }];
    const scene = withModels(emptyScene(lookAt([0.1, 0.05, 0.5], [0.5, 0.2, 0.4], 20)), [box]);
    const mean = await meanRadiance(scene, 512, 60);
    mean.forEach((v) => expect(Math.abs(v - 1)).toBeLessThan(0.01));
  });

  test("a white GGX metal of roughness 1 returns 1 - ln 2 at normal incidence", async () => {
    // Heitz 2014, JCGT 3(2), masking without multiple scattering.
    const white = { baseColor: [1, 1, 1, 1] as [number, number, number, number], metallic: 1, roughness: 1, f0: 0.04 };
    const plane = quadModel([-1, -1, 0], [2, 0, 0], [0, 2, 0], white);
    const scene = withModels({ ...emptyScene(lookAt([0, 0, 50], [0, 0, 0])), sky: [1, 1, 1] }, [plane]);
    const mean = await meanRadiance(scene, 256);
    expect(mean[0]).toBeCloseTo(1 - Math.LN2, 2);
    expect(Math.abs(mean[0] - (1 - Math.LN2))).toBeLessThan(0.003);
  });

  test.each([
    [0.5, 0],
    [0.5, 60],
    [0.3, 75],
    [0.8, 40],
  ])(
    "energy of the GGX lobe of roughness %p at %p degrees is that of the published formula",
    async (roughness, degrees) => {
      // glTF 2.0 appendix B: alpha = roughness^2, height-correlated Smith (Heitz 2014), integrated here by midpoints.
      const alpha = roughness * roughness;
      const v: Vec3 = [Math.sin(toRadians(degrees)), 0, Math.cos(toRadians(degrees))];
      const lambda = (c: number) => (Math.sqrt(1 + (alpha * alpha * (1 - c * c)) / (c * c)) - 1) / 2;
      let energy = 0;
      const n = 500;
      for (let i = 0; i < n; i++) {
        const c = (i + 0.5) / n;
        const s = Math.sqrt(1 - c * c);
        for (let j = 0; j < n; j++) {
          const phi = ((j + 0.5) / n) * Math.PI;
          const l: Vec3 = [s * Math.cos(phi), s * Math.sin(phi), c];
          const h = normalize([v[0] + l[0], v[1] + l[1], v[2] + l[2]]);
          const d = (alpha * alpha) / (Math.PI * (1 + (alpha * alpha - 1) * h[2] * h[2]) ** 2);
          energy += (d / (4 * v[2] * (1 + lambda(v[2]) + lambda(c)))) * ((2 * Math.PI) / (n * n));
        }
      }
      const white = { baseColor: [1, 1, 1, 1] as [number, number, number, number], metallic: 1, roughness, f0: 0.04 };
      const plane = quadModel([-1, -1, 0], [2, 0, 0], [0, 2, 0], white);
      const eye: Vec3 = [50 * v[0], 0, 50 * v[2]];
      const scene = withModels({ ...emptyScene(lookAt(eye, [0, 0, 0])), sky: [1, 1, 1] }, [plane]);
      const mean = await meanRadiance(scene, 256);
      expect(Math.abs(mean[0] - energy)).toBeLessThan(0.004);
    },
  );

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
    catcher: true,
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
    const settings = { width: size, height: size, seed: 2, maxDepth: 3, filterWidth: 1 };
    const film = await renderScene(scene, settings, { samples: 16, threads: 2 });
    const { ratio } = developFilm(film, size, size);
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
    const film = await renderScene(
      scene,
      { width: 64, height: 64, seed: 1, maxDepth: 4, filterWidth: 1 },
      { samples: 8, threads: 2 },
    );
    const passes = developFilm(film, 64, 64, { ...unitWeights(), sun: [1.7, 1.7, 1.7] });
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
    const films: Float32Array[] = [];
    for (const threads of [1, 2, 3]) {
      films.push(
        await renderScene(
          catcherScene([ball], 30),
          { width: 96, height: 96, seed: 4, maxDepth: 5, filterWidth: 1 },
          { samples: 6, threads, batch: threads },
        ),
      );
    }
    const bytes = films.map((f) => Buffer.from(f.buffer));
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
    const settings = { width: 64, height: 64, seed: 2, maxDepth: 3, filterWidth: 1 };
    const at = (film: Float32Array) => developFilm(film, 64, 64).ratio[(32 * 64 + 22) * 3];
    const [open, closed] = [
      await renderScene(scene, settings, { samples: 64 }),
      await renderScene(shaded, settings, { samples: 64 }),
    ];
    expect(at(open)).toBeLessThan(0.3);
    expect(at(closed)).toBeGreaterThan(0.6);
    const pixel = (32 * 64 + 22) * L.FILM_FLOATS;
    expect(closed[pixel + L.FILM_W0_SUN]).toBe(0);
  });

  test("a render stops when it is aborted", async () => {
    const abort = new AbortController();
    const running = renderScene(
      catcherScene([], 30),
      { width: 400, height: 400, seed: 1, maxDepth: 4, filterWidth: 1 },
      {
        samples: 100000,
        signal: abort.signal,
        onProgress: () => abort.abort(new Error("enough")),
      },
    );
    await expect(running).rejects.toThrow("enough");
  });
});
