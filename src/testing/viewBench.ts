import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium } from "@playwright/test";
import sharp from "sharp";
import { srgbToLinear } from "#core/colour/srgb";
import { readAsset } from "#core/exchange/asset";
import type { Vec3 } from "#core/math/vec3";
import { normalize } from "#core/math/vec3";
import { pixelToTangent } from "#core/optics/camera";
import type { Model } from "#core/props/model";
import { modelOf, placementOf } from "#core/props/placed";
import { placeMesh } from "#core/props/transform";
import { copyCount, placedCopy } from "#core/props/model";
import type { OpenShot, ShotListing } from "#core/shot/api";
import { modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { buildQuick } from "#core/trace/quickBvh";
import { referenceClosest } from "#core/trace/referenceBvh";
import { decodeTexture } from "#node/images";
import { chromiumArgs, chromiumPath } from "../../scripts/chromium.mjs";

/**
 * npm run bench:view -- [SAMPLES]: tone of the props in the real-time view against the proof of so many samples, on the
 * demo shots, from what the page shows. For each prop the mean of its linear luminance in the view over that in the proof,
 * over the pixels that it covers, its edge left out. JSON.
 */

/** The view has settled when it stays the same for so long. */
const CALM_MS = 6000;
/** Pixels of the plate between samples, and how far from another thing they must be. */
const STEP = 4;
const EDGE = 6;
const LUMINANCE: Vec3 = [0.2126, 0.7152, 0.0722];

interface Tone {
  shot: string;
  prop: string;
  /** Pixels that were compared. */
  samples: number;
  /** Mean linear luminance, view over proof. */
  ratio: number;
}

type Tree = ReturnType<typeof buildQuick>;

/** Which prop is seen at a pixel of the plate; null where it is none. */
function seenIn(shot: Shot, models: Map<string, Model>): (u: number, v: number) => string | null {
  const trees: { id: string; tree: Tree }[] = [];
  for (const prop of Object.values(shot.props)) {
    const model = prop.hidden ? null : modelOf(prop, models);
    for (const mesh of model?.meshes ?? [])
      for (let copy = 0; copy < copyCount(mesh); copy++) {
        const own = { ...mesh, positions: Float32Array.from(placedCopy(mesh, copy)), copies: undefined };
        const placed = placeMesh(placementOf(prop), own);
        trees.push({ id: prop.id, tree: buildQuick(placed.positions, placed.indices) });
      }
  }
  const { camera } = shot.solved!;
  const [r, d, f] = camera.rotation;
  const [ox, oy, oz] = camera.position;
  return (u, v) => {
    const [x, y] = pixelToTangent(camera, [u, v]);
    const [dx, dy, dz] = normalize([0, 1, 2].map((k) => r[k] * x + d[k] * y + f[k]) as Vec3);
    let nearest: { id: string; distance: number } | null = null;
    for (const { id, tree } of trees) {
      const hit = referenceClosest(tree, ox, oy, oz, dx, dy, dz);
      if (hit && (!nearest || hit.distance < nearest.distance)) nearest = { id, distance: hit.distance };
    }
    return nearest?.id ?? null;
  };
}

/** A part of the page as linear luminance. */
async function luminanceOf(png: Buffer): Promise<{ width: number; height: number; at: Float64Array }> {
  const { data, info } = await sharp(png).removeAlpha().raw().toBuffer({ resolveWithObject: true });
  const at = new Float64Array(info.width * info.height);
  for (let i = 0; i < at.length; i++)
    at[i] = LUMINANCE.reduce((sum, weight, k) => sum + weight * srgbToLinear(data[i * 3 + k] / 255), 0);
  return { width: info.width, height: info.height, at };
}

const samples = Number(process.argv[2] ?? 48);
const port = 4694;
const base = `http://127.0.0.1:${port}`;
const data = mkdtempSync(path.join(tmpdir(), "harbor-bench-"));
const server = spawn(process.execPath, ["--import", "tsx", "src/server/main.ts"], {
  env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: data },
  stdio: ["ignore", "pipe", "inherit"],
});
await new Promise<void>((resolve) =>
  server.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && resolve()),
);
const browser = await chromium.launch({ executablePath: chromiumPath, args: [...chromiumArgs] });
const page = await browser.newPage({ viewport: { width: 1920, height: 1080 } });
const read = async <T>(route: string): Promise<T> => (await (await fetch(`${base}/api${route}`)).json()) as T;
const tones: Tone[] = [];
try {
  for (const { id, name } of await read<ShotListing[]>("/shots")) {
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    const models = new Map<string, Model>();
    for (const hash of modelsOf(shot)) {
      const bytes = new Uint8Array(await (await fetch(`${base}/api/assets/${hash}`)).arrayBuffer());
      models.set(hash, await readAsset(bytes, decodeTexture));
    }
    const seen = seenIn(shot, models);
    await page.goto(`${base}/shots/${id}/props`);
    const plate = page.locator(".desk canvas.layer").first();
    await plate.waitFor();
    const clip = (await plate.boundingBox())!;
    for (let last: Uint8Array = new Uint8Array(0), calm = 0; calm < 2;) {
      await page.waitForTimeout(CALM_MS);
      const shown = await page.screenshot({ clip });
      calm = shown.equals(last) ? calm + 1 : 0;
      last = shown;
    }
    const pictured = async () => {
      // What is laid over plate and view for the hand is neither.
      await page.addStyleTag({ content: ".desk svg, .desk .tag, .desk .hint { visibility: hidden !important }" });
      return luminanceOf(await page.screenshot({ clip }));
    };
    const view = await pictured();
    await page.locator('[data-test="step-render"]').click();
    await page.locator('[data-test="proof"]').click();
    await page.waitForFunction(
      (most) => Number(document.querySelector('[data-test="proof-samples"]')?.textContent ?? 0) >= most,
      samples,
      { timeout: 600_000 },
    );
    const proof = await pictured();
    const sums = new Map<string, { view: number; proof: number; count: number }>();
    const { width, height } = shot.plates.main;
    for (let v = STEP; v < height; v += STEP)
      for (let u = STEP; u < width; u += STEP) {
        const prop = seen(u, v);
        const inside =
          prop !== null && [-EDGE, EDGE].every((far) => seen(u + far, v) === prop && seen(u, v + far) === prop);
        if (!inside) continue;
        const at = Math.floor((v / height) * view.height) * view.width + Math.floor((u / width) * view.width);
        const sum = sums.get(prop) ?? { view: 0, proof: 0, count: 0 };
        sums.set(prop, { view: sum.view + view.at[at], proof: sum.proof + proof.at[at], count: sum.count + 1 });
      }
    for (const [prop, sum] of sums)
      tones.push({
        shot: name,
        prop: shot.props[prop].name,
        samples: sum.count,
        ratio: Math.round((1000 * sum.view) / sum.proof) / 1000,
      });
  }
  console.log(JSON.stringify(tones, null, 2));
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}
