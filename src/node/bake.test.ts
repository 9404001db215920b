import { describe, expect, test } from "@jest/globals";
import { NodeIO } from "@gltf-transform/core";
import sharp from "sharp";
import { linearToSrgb } from "#core/colour/srgb";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { pixelDirection } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import { cross, dot, sub } from "#core/math/vec3";
import type { Unwrapped } from "#core/set/bake";
import { TEXEL, bakePlate } from "#core/set/bake";
import { facesOf } from "#core/set/faces";
import { pickAlong } from "#core/set/pick";
import { meshOf, partMesh } from "#core/set/pieces";
import type { SetRecord } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { testShot } from "../testing/shots.ts";
import { bakeFile, unwrap } from "./bakeFile.ts";

const frame = { width: 240, height: 160 };
const camera: Camera = {
  focalPx: 200,
  principal: [120, 80],
  distortion: { ...noDistortion(), k1: -0.03 },
  rotation: rotationFromAngles({ heading: 0.2, tilt: -0.35, roll: 0.02 }),
  position: [-0.6, -3, 1.9],
};
const at = (...list: [number, number, number?][]) => list.map(([x, y, z = 0]) => typedVertex([x, y, z]));
/** A block, and a smaller one before it that hides a part of its face. */
const SET: SetRecord = {
  far: makePart(
    "far",
    "Far",
    { kind: "block", base: at([-1, 0.5], [1, 0.5], [1, 2], [-1, 2]), height: 1.1, closed: true },
    "m",
  ),
  near: makePart(
    "near",
    "Near",
    { kind: "block", base: at([-0.4, -0.6], [0, -0.6], [0, -0.2], [-0.4, -0.2]), height: 0.7, closed: true },
    "m",
  ),
};
/** A smooth picture with detail of some ten pixels: what a texture of the plate's own density can hold. */
const plate = {
  ...frame,
  pixels: Float32Array.from({ length: 240 * 160 * 3 }, (_, i) => {
    const [x, y] = [Math.floor(i / 3) % 240, Math.floor(i / 720)];
    return 0.3 + 0.2 * Math.sin(x / 6 + (i % 3)) * Math.cos(y / 7);
  }),
};
const size = 768;
const before = meshOf(Object.keys(SET).flatMap((id) => facesOf(SET, id)));

/** Where a ray meets the unwrapped mesh: the nearest triangle's texture coordinates. */
function textureAt(mesh: Unwrapped, from: Vec3, direction: Vec3): { uv: [number, number]; distance: number } | null {
  let best: { uv: [number, number]; distance: number } | null = null;
  for (let t = 0; t < mesh.indices.length; t += 3) {
    const corner = (k: number): Vec3 => [0, 1, 2].map((j) => mesh.positions[mesh.indices[t + k] * 3 + j]) as Vec3;
    const [p, q, r] = [corner(0), corner(1), corner(2)];
    const [e, f] = [sub(q, p), sub(r, p)];
    const h = cross(direction, f);
    const a = dot(e, h);
    if (Math.abs(a) < 1e-12) continue;
    const s = sub(from, p);
    const u = dot(s, h) / a;
    const g = cross(s, e);
    const w = dot(direction, g) / a;
    const distance = dot(f, g) / a;
    if (u < 0 || w < 0 || u + w > 1 || distance < 1e-6 || (best && distance >= best.distance)) continue;
    const uv = (k: number, j: number) => mesh.uvs[mesh.indices[t + k] * 2 + j];
    const mixed = (j: number) => uv(0, j) * (1 - u - w) + uv(1, j) * u + uv(2, j) * w;
    best = { uv: [mixed(0), mixed(1)], distance };
  }
  return best;
}

describe("the plate baked into a texture", () => {
  test("seen from the matched camera it is the plate again, to less than a code value in the mean", async () => {
    const mesh = await unwrap(partMesh(SET, "far"), size);
    const baked = bakePlate({ mesh, size, camera, frame, plate, before, fill: "stretch", colour: [0, 0, 0] });
    let [sum, n] = [0, 0];
    for (let y = 2; y < 158; y += 4) {
      for (let x = 2; x < 238; x += 4) {
        const direction = pixelDirection(camera, [x + 0.5, y + 0.5]);
        const seen = pickAlong(SET, camera.position, direction);
        if (seen?.part.id !== "far") continue;
        const hit = textureAt(mesh, camera.position, direction)!;
        const [u, v] = [hit.uv[0] * size - 0.5, hit.uv[1] * size - 0.5];
        const [x0, y0] = [Math.floor(u), Math.floor(v)];
        for (let k = 0; k < 3; k++) {
          const texel = (dx: number, dy: number) => baked.pixels[((y0 + dy) * size + x0 + dx) * 3 + k];
          const [fx, fy] = [u - x0, v - y0];
          const value =
            (texel(0, 0) * (1 - fx) + texel(1, 0) * fx) * (1 - fy) + (texel(0, 1) * (1 - fx) + texel(1, 1) * fx) * fy;
          sum += Math.abs(linearToSrgb(value) - linearToSrgb(plate.pixels[(y * 240 + x) * 3 + k]));
          n++;
        }
      }
    }
    expect(n).toBeGreaterThan(500);
    console.log(`mean difference ${((255 * sum) / n).toFixed(3)} of 255 over ${n} values`);
    expect(sum / n).toBeLessThan(1 / 255);
  });

  test("no texel that the camera does not see has the plate's colour; what is hidden is filled, edges bleed out", async () => {
    const mesh = await unwrap(partMesh(SET, "far"), 256);
    const colour: Vec3 = [5, 6, 7];
    const baked = bakePlate({ mesh, size: 256, camera, frame, plate, before, fill: "colour", colour });
    const counts = { seen: 0, hidden: 0, empty: 0, wrong: 0 };
    for (let t = 0; t < mesh.indices.length; t += 3) {
      const corner = (k: number): Vec3 => [0, 1, 2].map((j) => mesh.positions[mesh.indices[t + k] * 3 + j]) as Vec3;
      const uv = (k: number, j: number) => mesh.uvs[mesh.indices[t + k] * 2 + j] * 256;
      for (let i = 0; i < 200; i++) {
        // A spread of points over the triangle, away from its border.
        const [a, b] = [0.1 + 0.8 * ((i * 0.618034) % 1), 0.1 + 0.8 * ((i * 0.754878) % 1)];
        const [u, w] = a + b > 1 ? [1 - a, 1 - b] : [a, b];
        if (u < 0.05 || w < 0.05 || u + w > 0.95) continue;
        const [p, q, r] = [corner(0), corner(1), corner(2)];
        const place = (du: number, dw: number): Vec3 =>
          [0, 1, 2].map((k) => p[k] * (1 - u - du - w - dw) + q[k] * (u + du) + r[k] * (w + dw)) as Vec3;
        const texel = [0, 1].map((j) => Math.floor(uv(0, j) * (1 - u - w) + uv(1, j) * u + uv(2, j) * w));
        const state = baked.state[texel[1] * 256 + texel[0]];
        const isHidden = (point: Vec3) => {
          const met = pickAlong(SET, camera.position, sub(point, camera.position));
          return met !== null && met.distance < 0.97;
        };
        // Hidden by a margin: all around, two texels away, it is so as well.
        const [du, dw] = [1, 2].map((k) => 2 / Math.hypot(uv(k, 0) - uv(0, 0), uv(k, 1) - uv(0, 1)));
        const hidden = [place(0, 0), place(du, 0), place(-du, 0), place(0, dw), place(0, -dw)].every(isHidden);
        if (hidden && state === TEXEL.seen) counts.wrong++;
      }
    }
    for (let i = 0; i < baked.state.length; i++) {
      if (baked.state[i] === TEXEL.seen) counts.seen++;
      else if (baked.state[i] === TEXEL.hidden) {
        counts.hidden++;
        expect([...baked.pixels.subarray(i * 3, i * 3 + 3)]).toEqual(colour);
      } else counts.empty++;
    }
    expect(counts.wrong).toBe(0);
    expect(Math.min(counts.seen, counts.hidden, counts.empty)).toBeGreaterThan(100);
    // Nothing is left black beside a chart.
    expect(baked.pixels.every((x) => x > 0)).toBe(true);
  });

  test("as files: PNG and GLB are read by other libraries, and what cannot be is said", async () => {
    const shot = testShot(240, 160);
    shot.solved = { camera, evidence: "", rmsPx: null, sigma: null };
    shot.set = { far: { ...SET.far, material: "material-1" } };
    const codes = Uint8Array.from(plate.pixels, (x) => Math.round(255 * linearToSrgb(x)));
    const choice = { of: "far", size: 512 as const, fill: "stretch" as const };
    const png = await bakeFile(shot, codes, new Map(), { ...choice, format: "png" });
    expect(await sharp(png).metadata()).toMatchObject({ width: 512, height: 512, channels: 3 });
    const document = await new NodeIO().readBinary(
      await bakeFile(shot, codes, new Map(), { ...choice, format: "glb" }),
    );
    const [mesh] = document.getRoot().listMeshes();
    expect(mesh.listPrimitives()[0].getIndices()!.getCount() / 3).toBe(12);
    expect(document.getRoot().listTextures()[0].getSize()).toEqual([512, 512]);
    const exr = await bakeFile(shot, codes, new Map(), { ...choice, format: "exr" });
    // The magic number of OpenEXR files.
    expect([...exr.subarray(0, 4)]).toEqual([0x76, 0x2f, 0x31, 0x01]);
    await expect(bakeFile(shot, codes, new Map(), { ...choice, of: "gone", format: "png" })).rejects.toThrow(
      /not in the shot/,
    );
  });
});
