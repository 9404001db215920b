import type { Page } from "@playwright/test";
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
import type { OpenShot } from "#core/shot/api";
import { modelsOf } from "#core/shot/assets";
import type { Shot } from "#core/shot/schema";
import { buildQuick } from "#core/trace/quickBvh";
import { referenceClosest } from "#core/trace/referenceBvh";
import { decodeTexture } from "#node/images";

/**
 * Tone of the props in the real-time view against the proof, from what the page shows: for each prop the mean of its linear
 * luminance in the view over that in the proof, over the pixels that it covers, its edge left out.
 */

/** The view has settled when it stays the same for so long. */
const CALM_MS = 6000;
/** Pixels of the plate between samples, and how far from another thing they must be. */
const STEP = 4;
const EDGE = 6;
const LUMINANCE: Vec3 = [0.2126, 0.7152, 0.0722];

export interface Tone {
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

/** Compares the view of a shot's props on a page with a proof. */
export interface ToneMeter {
  /** Waits until the view stays as it is. */
  settled: () => Promise<void>;
  tones: () => Promise<Tone[]>;
}

/** Takes a proof of so many samples, then goes to the view; `base` is the server's address. */
export async function toneMeter(page: Page, base: string, id: string, samples: number): Promise<ToneMeter> {
  const { shot } = (await (await fetch(`${base}/api/shots/${id}`)).json()) as OpenShot;
  const models = new Map<string, Model>();
  for (const hash of modelsOf(shot)) {
    const bytes = new Uint8Array(await (await fetch(`${base}/api/assets/${hash}`)).arrayBuffer());
    models.set(hash, await readAsset(bytes, decodeTexture));
  }
  const seen = seenIn(shot, models);
  const plate = page.locator(".desk canvas.layer").first();
  const screenshot = async () => page.screenshot({ clip: (await plate.boundingBox())! });
  const pictured = async () => {
    // What is laid over plate and view for the hand is neither.
    const hidden = await page.addStyleTag({
      content: ".desk svg, .desk .tag, .desk .hint { visibility: hidden !important }",
    });
    const shown = await luminanceOf(await screenshot());
    await hidden.evaluate((style) => (style as unknown as { remove(): void }).remove());
    return shown;
  };
  await page.goto(`${base}/shots/${id}/render`);
  await plate.waitFor();
  await page.locator('[data-test="proof"]').click();
  await page.waitForFunction(
    (most) => Number(document.querySelector('[data-test="proof-samples"]')?.textContent ?? 0) >= most,
    samples,
    { timeout: 600_000 },
  );
  const proof = await pictured();
  await page.locator('[data-test="step-props"]').click();
  return {
    async settled() {
      for (let last: Uint8Array = new Uint8Array(0), calm = 0; calm < 2;) {
        await page.waitForTimeout(CALM_MS);
        const shown = await screenshot();
        calm = shown.equals(last) ? calm + 1 : 0;
        last = shown;
      }
    },
    async tones() {
      const view = await pictured();
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
      return [...sums].map(([prop, sum]) => ({
        prop: shot.props[prop].name,
        samples: sum.count,
        ratio: Math.round((1000 * sum.view) / sum.proof) / 1000,
      }));
    },
  };
}
