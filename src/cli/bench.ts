import { writeFile } from "node:fs/promises";
import { availableParallelism } from "node:os";
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from "three";
import { MeshBVH, SAH } from "three-mesh-bvh";
import { compositeLinear } from "#core/comp/composite";
import { solve } from "#core/match/solve";
import type { Model } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import { standing } from "#core/props/transform";
import { buildTriangleBvh } from "#core/trace/bvh";
import { measureFill, reuseFill } from "#core/trace/fill";
import type { PartFilter } from "#core/trace/denoise";
import { denoiseFilm } from "#core/trace/denoise";
import { PROOF_SUMS, developFilm, unitWeights } from "#core/trace/film";
import { SOFT } from "#core/trace/filter";
import type { Kernel } from "#core/trace/kernel";
import { kernelFilter } from "#core/trace/kernelDenoise";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { buildReference, referenceClosest, referenceOccluded } from "#core/trace/referenceBvh";
import type { TraceScene } from "#core/trace/scene";
import { TILE_SIZE } from "#core/trace/tiles";
import { SceneLoader, uploadScene } from "#core/trace/upload";
import * as L from "#kernel/layout";
import { compileKernel, newKernelMemory, openKernel } from "#node/kernelFile";
import { renderScene } from "#node/renderScene";
import { TracePool } from "#node/tracePool";
import { quayTruth } from "../demo/shot.ts";
import * as quay from "../demo/quay.ts";
import { sceneOf } from "../demo/insertions.ts";
import type { Rays, Soup } from "./benchScene.ts";
import { benchSoup, primaryRays, secondaryRays } from "./benchScene.ts";
import { parseOptions } from "./options.ts";

const HELP = `harbor bench [--quick] [--out FILE]

Times solver and tracer against references in one run; ratios carry over to other machines, seconds do not.
`;

interface Row {
  what: string;
  value: number;
  unit: string;
}

const median = (a: number[]) => [...a].sort((x, y) => x - y)[Math.floor(a.length / 2)];
const geometricMean = (a: number[]) => Math.exp(a.reduce((s, x) => s + Math.log(x), 0) / a.length);

function time(run: () => void, rounds: number): number {
  const seconds: number[] = [];
  for (let i = 0; i < rounds; i++) {
    const start = performance.now();
    run();
    seconds.push((performance.now() - start) / 1000);
  }
  return median(seconds);
}

async function benchSolver(rounds: number): Promise<Row[]> {
  const truth = await quayTruth();
  const edges = truth.edges.map((e) => ({
    ...e,
    points: e.points.map(([u, v]) => [Math.round(u), Math.round(v)] as [number, number]),
  }));
  const request = { plate: quay.frame, edges, origin: truth.origin };
  for (let i = 0; i < 50; i++) solve(request);
  return [{ what: `solve, ${edges.length} edges`, value: 1000 * time(() => solve(request), rounds), unit: "ms" }];
}

interface Tracer {
  kernel: Kernel;
  memory: SceneMemory;
}

async function freshTracer(): Promise<Tracer> {
  const memory = newKernelMemory();
  return {
    kernel: await openKernel(await compileKernel(), memory, scratchAddress(0)),
    memory: new SceneMemory(memory),
  };
}

function putSoup({ memory }: Tracer, { positions, indices }: Soup) {
  const triangles = new Uint32Array((indices.length / 3) * 4);
  for (let i = 0, t = 0; i < indices.length; i += 3, t += 4)
    triangles.set([indices[i], indices[i + 1], indices[i + 2], 0], t);
  const p = memory.putF32(positions);
  const t = memory.reserve(triangles.byteLength);
  memory.u32(t, triangles.length).set(triangles);
  return { positions: p, triangles: t, parts: memory.putF32(new Float32Array(L.PART_BYTES / 4)) };
}

/** Six kinds of rays against the two references, on about 200 000 triangles. */
async function benchRays(rounds: number, count: number): Promise<Row[]> {
  const soup = benchSoup(197_500);
  const n = soup.indices.length / 3;
  const tracer = await freshTracer();
  const { kernel, memory } = tracer;
  const at = putSoup(tracer, soup);
  const tree = buildTriangleBvh(kernel, memory, at, 0, n);
  const rows: Row[] = [{ what: "triangles", value: n, unit: "" }];
  rows.push({
    what: "children a node (a greedy collapse has 4.0)",
    value: (tree.nodes - 1 + tree.blocks) / tree.nodes,
    unit: "",
  });
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(soup.positions, 3));
  geometry.setIndex(new BufferAttribute(soup.indices, 1));
  const other = new MeshBVH(geometry, { strategy: SAH });
  const reference = buildReference(soup.positions, soup.indices);
  const address = memory.reserve(count * 24);
  const distances = memory.reserve(count * 4);
  const ids = memory.reserve(count * 4);
  const put = (rays: Rays) => memory.f32(address, count * 6).set(rays);
  const first = primaryRays(count);
  put(first);
  kernel.closestBatch(tree.root, address, count * 4, count, 0, 1e30, distances, ids);
  const met = memory.f32(distances, count).slice();
  const few = Math.max(1000, Math.floor(count / 10));
  const ray = new Ray(new Vector3(), new Vector3());
  const ratios: { three: number; ours: number }[] = [];
  for (const kind of ["primary", "shadow", "diffuse"] as const) {
    const rays = kind === "primary" ? first : secondaryRays(first, met, kind);
    put(rays);
    for (const any of [false, true]) {
      const own = () =>
        any
          ? kernel.occludedBatch(tree.root, address, count * 4, count, 1e-4, 1e30, ids)
          : kernel.closestBatch(tree.root, address, count * 4, count, 1e-4, 1e30, distances, ids);
      const each = (run: (i: number) => void) => () => {
        for (let i = 0; i < few; i++) run(i);
      };
      const three = each((i) => {
        ray.origin.set(rays[i], rays[i + count], rays[i + 2 * count]);
        ray.direction.set(rays[i + 3 * count], rays[i + 4 * count], rays[i + 5 * count]);
        other.raycastFirst(ray, DoubleSide);
      });
      const trace = any ? referenceOccluded : referenceClosest;
      const plain = each((i) =>
        trace(
          reference,
          rays[i],
          rays[i + count],
          rays[i + 2 * count],
          rays[i + 3 * count],
          rays[i + 4 * count],
          rays[i + 5 * count],
        ),
      );
      own();
      plain();
      const speed = count / time(own, rounds);
      const r = {
        three: speed / (few / time(three, Math.min(rounds, 3))),
        ours: speed / (few / time(plain, Math.min(rounds, 3))),
      };
      ratios.push(r);
      const name = `${kind} rays, ${any ? "any hit" : "closest"}`;
      rows.push({ what: name, value: speed / 1e6, unit: "Mrays/s" });
      rows.push({ what: `${name}, over three-mesh-bvh`, value: r.three, unit: "×" });
      rows.push({ what: `${name}, over the TypeScript reference`, value: r.ours, unit: "×" });
    }
  }
  rows.push({
    what: "six kinds over three-mesh-bvh, geometric mean",
    value: geometricMean(ratios.map((r) => r.three)),
    unit: "×",
  });
  rows.push({
    what: "six kinds over the TypeScript reference",
    value: geometricMean(ratios.map((r) => r.ours)),
    unit: "×",
  });
  return rows;
}

async function benchBuild(quick: boolean): Promise<Row[]> {
  const rows: Row[] = [];
  for (const target of quick ? [200_000] : [200_000, 1_000_000]) {
    const tracer = await freshTracer();
    const soup = benchSoup(target);
    const at = putSoup(tracer, soup);
    const mark = tracer.memory.mark();
    const build = time(() => {
      tracer.memory.release(mark);
      buildTriangleBvh(tracer.kernel, tracer.memory, at, 0, soup.indices.length / 3);
    }, 3);
    rows.push({ what: `BVH of ${soup.indices.length / 3} triangles`, value: build * 1000, unit: "ms" });
    rows.push({ what: "  shared memory of that scene", value: tracer.memory.buffer.byteLength / 1e6, unit: "MB" });
  }
  return rows;
}

/** What the second level and cut-out textures cost: the same field flat, as one instance, as many, and with a texture to ask. */
async function benchInstances(rounds: number, count: number): Promise<Row[]> {
  const soup = benchSoup(197_500);
  const normals = new Float32Array(soup.positions.length).fill(0.577);
  const uvs = new Float32Array((soup.positions.length / 3) * 2).fill(0.5);
  const texture = { width: 64, height: 64, texels: new Uint8Array(64 * 64 * 4).fill(255) };
  const model = (alpha: "opaque" | "mask"): Model => ({
    meshes: [{ positions: soup.positions, normals, uvs, indices: soup.indices, material: 0 }],
    materials: [plainMaterial({ alpha, baseTexture: 0 })],
    textures: [texture],
  });
  const rays = primaryRays(count);
  const speedOf = async (props: TraceScene["props"]) => {
    const { kernel, memory } = await freshTracer();
    const scene: TraceScene = {
      camera: quay.camera,
      frame: quay.frame,
      set: [],
      props,
      sun: null,
      sky: [1, 1, 1],
      floor: null,
      plate: null,
      mask: null,
      backdrop: null,
      picture: true,
    };
    const loaded = uploadScene(kernel, memory, scene, { width: 8, height: 8, seed: 1, maxDepth: 2 });
    const address = memory.putF32(rays);
    const [distances, ids] = [memory.reserve(count * 4), memory.reserve(count * 4)];
    const { params, propRoot } = loaded;
    const run = () => kernel.closestInstanceBatch(params, propRoot, address, count * 4, count, 0, 1e30, distances, ids);
    run();
    return count / time(run, rounds);
  };
  const plain = model("opaque");
  const one = await speedOf([{ model: plain, placement: standing() }]);
  const post: Model = {
    meshes: [
      {
        positions: new Float32Array([-0.03, 0, 0, 0.03, 0, 0, 0, 0.03, 1, 0, -0.03, 1]),
        normals: new Float32Array(12).fill(0.577),
        uvs: null,
        indices: new Uint32Array([0, 1, 2, 0, 1, 3, 0, 2, 3, 1, 2, 3]),
        material: 0,
      },
    ],
    materials: [plainMaterial()],
    textures: [],
  };
  const posts = Array.from({ length: 10_000 }, (_, i) => ({
    model: post,
    placement: standing([((i % 100) - 50) * 0.16, (Math.floor(i / 100) - 50) * 0.16, 0]),
  }));
  return [
    { what: "one instance of the field, closest", value: one / 1e6, unit: "Mrays/s" },
    {
      what: "the same with a cut-out texture to ask",
      value: (await speedOf([{ model: model("mask"), placement: standing() }])) / one,
      unit: "×",
    },
    { what: "10 000 posts as instances, closest", value: (await speedOf(posts)) / 1e6, unit: "Mrays/s" },
  ];
}

/** Samples a second of the demo shots, and what a second thread brings. */
async function benchSamples(places: string[], samples: number): Promise<Row[]> {
  const rows: Row[] = [];
  for (const place of places) {
    const { scene, region } = await sceneOf(place);
    const [width, height] = [scene.frame.width, scene.frame.height];
    const settings = { width, height, seed: 1, maxDepth: 8, filter: SOFT, limit: 20 };
    const pixels = (region.x1 - region.x0) * (region.y1 - region.y0);
    // As many as the proof takes at a time.
    const batch = Math.min(8, samples);
    const rate = async (threads: number, count = samples) => {
      let [from, done] = [0, 0];
      await renderScene(scene, settings, {
        samples: count + batch,
        threads,
        batch,
        region,
        // The first batch warms up.
        onProgress: (p) => {
          if (p.samples === batch) from = performance.now();
          done = performance.now();
        },
      });
      return (pixels * count) / (done - from) / 1000;
    };
    // One thread before and after what is held against it, since machines change their speed.
    const before = await rate(1, samples / 2);
    const two = await rate(2);
    // Two renders that share nothing: what the machine's cores give at best.
    const apart = await Promise.all([rate(1, samples / 2), rate(1, samples / 2)]);
    const one = (before + (await rate(1, samples / 2))) / 2;
    rows.push({ what: `${place}, one thread`, value: one, unit: "Msamples/s" });
    if (availableParallelism() > 1) {
      rows.push({ what: `${place}, two threads over one`, value: two / one, unit: "×" });
      rows.push({ what: `${place}, two renders apart over one`, value: (apart[0] + apart[1]) / one, unit: "×" });
    }
  }
  return rows;
}

/** Denoising of the quay's proof, natively and by the TypeScript reference. */
async function benchDenoise(rounds: number): Promise<Row[]> {
  const { scene } = await sceneOf("quay");
  const settings = { width: 420, height: 280, seed: 1, maxDepth: 8, filter: SOFT, sums: PROOF_SUMS };
  const { pixels, layout } = await renderScene(scene, settings, { samples: 8, fillSamples: 4 });
  const { kernel, memory } = await freshTracer();
  const secondsOf = (filter?: PartFilter) =>
    time(() => denoiseFilm(pixels, 420, 280, layout, unitWeights(), filter), rounds);
  const native = secondsOf(kernelFilter(kernel, memory));
  return [
    { what: "denoise, whole picture of 420 x 280", value: native * 1000, unit: "ms" },
    { what: "the same over the TypeScript reference", value: secondsOf() / native, unit: "×" },
  ];
}

/** From a moved prop to the first picture of the proof: upload, two samples at 420 pixels, development. */
async function benchProof(): Promise<Row[]> {
  const { scene } = await sceneOf("quay");
  const pool = await TracePool.open(Math.min(2, availableParallelism()));
  try {
    const loader = new SceneLoader(pool.kernel, pool.scene);
    const settings = { width: 420, height: 280, seed: 1, maxDepth: 8, filter: SOFT, sums: PROOF_SUMS, limit: 20 };
    const first = loader.load(scene, settings);
    const fill = await measureFill(pool.scene, first, scene.frame, 4, async (job) => (await pool.run(job)) > 0);
    const plate = { width: 420, height: 280, linear: new Float32Array(420 * 280 * 3).fill(0.3) };
    const times: number[] = [];
    for (let i = 0; i < 7; i++) {
      const [prop, ...rest] = scene.props;
      const position = prop.placement.position.map((v, k) => v + (k < 2 ? 0.02 * i : 0)) as [number, number, number];
      const moved = { ...scene, props: [{ ...prop, placement: { ...prop.placement, position } }, ...rest] };
      const start = performance.now();
      const loaded = loader.load(moved, settings);
      reuseFill(pool.scene, loaded, fill!);
      await pool.run({
        params: loaded.params,
        width: 420,
        height: 280,
        tileSize: TILE_SIZE,
        firstSample: 0,
        lastSample: 2,
      });
      compositeLinear(
        plate,
        developFilm(pool.scene.f32(loaded.film, 420 * 280 * loaded.layout.stride), 420, 280, loaded.layout),
      );
      times.push(performance.now() - start);
    }
    return [{ what: "first proof picture of the quay after a prop is moved", value: median(times), unit: "ms" }];
  } finally {
    await pool.close();
  }
}

export async function runBench(args: string[]): Promise<void> {
  const { options } = parseOptions(args, ["out"], ["help", "quick"]);
  if (options.has("help")) {
    process.stdout.write(HELP);
    return;
  }
  const quick = options.has("quick");
  const rows: Row[] = [];
  const add = async (part: Promise<Row[]>) => {
    const made = await part;
    rows.push(...made);
    for (const r of made)
      process.stdout.write(`${r.what.padEnd(62)}  ${r.value.toPrecision(4).padStart(8)} ${r.unit}\n`);
  };
  const [rounds, count] = quick ? [1, 50_000] : [5, 1_000_000];
  await add(benchSolver(quick ? 20 : 200));
  await add(benchRays(rounds, count));
  await add(benchBuild(quick));
  await add(benchInstances(rounds, count));
  await add(benchSamples(quick ? ["quay"] : ["quay", "netloft", "slipway"], quick ? 1 : 32));
  await add(benchDenoise(quick ? 1 : 3));
  await add(benchProof());
  const out = options.get("out");
  if (out)
    await writeFile(out, JSON.stringify({ date: new Date().toISOString(), node: process.version, rows }, null, 1));
}
