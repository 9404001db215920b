import { writeFile } from "node:fs/promises";
import { availableParallelism } from "node:os";
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from "three";
import { MeshBVH, SAH } from "three-mesh-bvh";
import { solve } from "#core/match/solve";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { buildBvhAt } from "#core/trace/upload";
import { compileKernel, newKernelMemory, openKernel } from "#node/kernelFile";
import { renderScene } from "#node/renderScene";
import { standing } from "#core/props/transform";
import { primitiveModel } from "#core/props/primitives";
import { quayTruth } from "../demo/shot.ts";
import * as quay from "../demo/quay.ts";
import { parseOptions } from "./options.ts";
import { torusField } from "./benchScene.ts";

const HELP = `harbor bench [--quick] [--out FILE]

Times solver and tracer against references in one run; ratios carry over to other machines, seconds do not.
`;

interface Row {
  what: string;
  value: number;
  unit: string;
}

const median = (a: number[]) => [...a].sort((x, y) => x - y)[Math.floor(a.length / 2)];

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

async function benchRays(rounds: number, count: number): Promise<Row[]> {
  const { positions, indices } = torusField(100_000);
  const memory = newKernelMemory();
  const scene = new SceneMemory(memory);
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  const triangles = new Uint32Array((indices.length / 3) * 4);
  for (let i = 0, t = 0; i < indices.length; i += 3, t += 4)
    triangles.set([indices[i], indices[i + 1], indices[i + 2], 0], t);
  const p = scene.putF32(positions);
  const t = scene.reserve(triangles.byteLength);
  scene.u32(t, triangles.length).set(triangles);
  let root = 0;
  const build = time(() => (root = buildBvhAt(kernel, scene, p, t, 0, indices.length / 3)), 3);
  const geometry = new BufferGeometry();
  geometry.setAttribute("position", new BufferAttribute(positions, 3));
  geometry.setIndex(new BufferAttribute(indices, 1));
  let reference: MeshBVH | null = null;
  const referenceBuild = time(() => (reference = new MeshBVH(geometry, { strategy: SAH })), 1);
  const rays = new Float32Array(count * 6);
  for (let i = 0; i < count; i++) {
    const u = ((i * 0.754877666) % 1) * 2 - 1;
    const v = ((i * 0.569840291) % 1) * 2 - 1;
    const l = Math.hypot(u, v, 1.6);
    rays.set([0, 0, 9, u / l, v / l, -1.6 / l], i * 6);
  }
  const address = scene.putF32(rays);
  const distances = scene.reserve(count * 4);
  const ids = scene.reserve(count * 4);
  const own = time(() => kernel.closestBatch(root, address, 24, count, 0, 1e30, distances, ids), rounds);
  const few = Math.floor(count / 10);
  const ray = new Ray(new Vector3(), new Vector3());
  const other = time(() => {
    for (let i = 0; i < few; i++) {
      ray.origin.fromArray(rays, i * 6);
      ray.direction.fromArray(rays, i * 6 + 3);
      reference!.raycastFirst(ray, DoubleSide);
    }
  }, rounds);
  return [
    { what: "BVH build, own kernel", value: build * 1000, unit: "ms" },
    { what: "BVH build, three-mesh-bvh over own", value: referenceBuild / build, unit: "×" },
    { what: "closest hits, own kernel", value: count / own / 1e6, unit: "Mrays/s" },
    { what: "closest hits, own over three-mesh-bvh", value: count / own / (few / other), unit: "×" },
  ];
}

async function benchSamples(samples: number): Promise<Row[]> {
  const scene = {
    camera: quay.camera,
    frame: quay.frame,
    set: [],
    props: [{ model: primitiveModel("sphere", [0.5, 0.4, 0.3], 0.4, 0), placement: standing(quay.buoyPlace.position) }],
    sun: quay.sun,
    sky: quay.sky,
    floor: { height: 0, albedo: [0.2, 0.2, 0.2] as [number, number, number] },
    plate: null,
    mask: null,
    backdrop: null,
    picture: true,
  };
  const settings = { width: 810, height: 540, seed: 1, maxDepth: 6, filterWidth: 1 };
  const rate = async (threads: number) => {
    const start = performance.now();
    await renderScene(scene, settings, { samples, threads, batch: samples });
    return (810 * 540 * samples) / (performance.now() - start) / 1000;
  };
  await rate(1);
  const one = await rate(1);
  const rows: Row[] = [{ what: "sphere on a floor, one thread", value: one, unit: "Msamples/s" }];
  if (availableParallelism() > 1) rows.push({ what: "two threads over one", value: (await rate(2)) / one, unit: "×" });
  return rows;
}

export async function runBench(args: string[]): Promise<void> {
  const { options } = parseOptions(args, ["out"], ["help", "quick"]);
  if (options.has("help")) {
    process.stdout.write(HELP);
    return;
  }
  const quick = options.has("quick");
  const rows = [
    ...(await benchSolver(quick ? 20 : 200)),
    ...(await benchRays(quick ? 3 : 7, quick ? 100_000 : 1_000_000)),
    ...(await benchSamples(quick ? 8 : 64)),
  ];
  const width = Math.max(...rows.map((r) => r.what.length));
  for (const r of rows)
    process.stdout.write(`${r.what.padEnd(width)}  ${r.value.toPrecision(4).padStart(8)} ${r.unit}\n`);
  const out = options.get("out");
  if (out)
    await writeFile(out, JSON.stringify({ date: new Date().toISOString(), node: process.version, rows }, null, 1));
}
