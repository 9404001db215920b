import { luminance } from "../../colour/srgb.ts";
import { sunFromSightings } from "../../light/sightings/solve.ts";
import { sunDirection } from "../../light/rig.ts";
import type { Vec2 } from "../../math/vec3.ts";
import { dot, toDegrees } from "../../math/vec3.ts";
import { pickFace } from "../../set/pick.ts";
import { boxOf, placeIn, quantile } from "../scene.ts";
import type { SitCheck, SitScene } from "../scene.ts";

/** Degrees that the sun may be off its sightings, beside three of their own deviations. */
const DEGREES = 2;

/** The sun's direction against the sightings of real shadows. */
export const direction: SitCheck = {
  label: "Direction of the shadow",
  look: ({ shot }) => {
    const camera = shot.solved?.camera;
    if (!camera || !shot.light.sun.on) return null;
    const sighted = sunFromSightings(camera, Object.values(shot.light.sightings), shot.set);
    if (!sighted || typeof sighted === "string") return null;
    const off = toDegrees(Math.acos(Math.min(1, Math.max(-1, dot(sighted.direction, sunDirection(shot))))));
    const allowed = Math.max(DEGREES, 3 * toDegrees(Math.hypot(sighted.sigma.azimuth, sighted.sigma.elevation)));
    const score = off / allowed;
    return {
      score,
      value: `${off.toFixed(1)}° off ${sighted.each.length} sightings`,
      tolerance: `${allowed.toFixed(1)}°`,
      words:
        score <= 1
          ? "Shadows fall as the real ones do."
          : "The sun does not stand where the real shadows say: put it by its sightings.",
      step: "light",
      spot: null,
    };
  },
};

const ratioAt = (ratio: Float32Array, pixel: number) =>
  luminance(ratio[pixel * 3], ratio[pixel * 3 + 1], ratio[pixel * 3 + 2]);
/** Shadow that counts as one, and the share of the deepest that its tone is read from. */
const SHADED = 0.85;
const DEEP = 0.35;
/** Stops that a shadow may be off. */
const STOPS = 0.22;

/**
 * Tone of the props' shadow in the finished picture against what the light gives there: the rendered shadow is that of a rig
 * that probes found, or of real shades that were probed; what the comp made of it must be as dark.
 */
export const tone: SitCheck = {
  label: "Tone of the shadow",
  look: (scene) => {
    const { rendered, layers, width, height } = scene;
    const before: number[] = [];
    const after: number[] = [];
    for (let i = 0; i < width * height; i++) {
      if (rendered.prop[i * 4 + 3] > 0.01) continue;
      const was = ratioAt(rendered.ratio, i);
      if (was > SHADED) continue;
      before.push(was);
      after.push(ratioAt(layers.ratio, i));
    }
    if (before.length < 40) return null;
    const real = realShade(scene);
    const own = quantile(before, DEEP);
    const made = quantile(after, DEEP);
    // Density that weighs the sun again is in the render already: undone, it is the rig's own shadow.
    const wanted = real ?? own;
    const stops = Math.log2(Math.max(0.004, made) / Math.max(0.004, wanted));
    const { density, tint } = scene.shot.light;
    const weighed = density !== 1 || tint.some((t) => t !== 1);
    const score = Math.max(
      Math.abs(stops) / STOPS,
      real === null && weighed ? Math.abs(Math.log2(density)) / STOPS : 0,
    );
    return {
      score,
      value: `${(100 * made).toFixed(0)} % of the light is left`,
      tolerance: `${(100 * wanted).toFixed(0)} %, ± ${STOPS} stops`,
      words:
        score <= 1
          ? real === null
            ? "The shadow is as dark as the rig makes it."
            : "The shadow is as dark as the real ones."
          : `The shadow is too ${stops < 0 || (real === null && density > 1) ? "dark" : "bright"}: ${real === null ? "take its density back" : "bring it to the real ones"}.`,
      step: "comp",
      spot: boxOf(scene, (i) => rendered.prop[i * 4 + 3] < 0.01 && ratioAt(layers.ratio, i) < SHADED),
    };
  },
};

/** Share of the light that real shades have, from probes in sun and shade of one face; null without such. */
function realShade({ shot, plate }: SitScene): number | null {
  const camera = shot.solved?.camera;
  if (!camera) return null;
  const faceAt = (pixel: Vec2) => {
    const picked = pickFace(shot.set, camera, pixel);
    return picked ? `${picked.part.id} ${picked.face.id}` : "ground";
  };
  const probes = Object.values(shot.light.probes).filter(({ muted }) => !muted);
  const means = (sun: "lit" | "shaded") =>
    probes
      .filter((p) => p.sun === sun)
      .map(({ pixel: [u, v], radius }) => {
        let [sum, n] = [0, 0];
        for (let y = Math.floor(v - radius / 2); y <= v + radius / 2; y++)
          for (let x = Math.floor(u - radius / 2); x <= u + radius / 2; x++) {
            if (x < 0 || y < 0 || x >= plate.width || y >= plate.height) continue;
            const i = (y * plate.width + x) * 3;
            sum += luminance(plate.linear[i], plate.linear[i + 1], plate.linear[i + 2]);
            n++;
          }
        return { face: faceAt([u, v]), light: sum / Math.max(1, n) };
      });
  const [lit, shaded] = [means("lit"), means("shaded")];
  const ratios = shaded.flatMap((s) =>
    lit.flatMap((l) => (l.face === s.face && l.light > 0 ? [s.light / l.light] : [])),
  );
  return ratios.length >= 3 ? quantile(ratios, 0.5) : null;
}

/** Share by which the light may differ from the plate's where the set ends. */
const EDGE = 0.03;
/** Pixels of an open edge that nobody sees. */
const FEW = 12;
/** Pixels across the edge that are compared. */
const ACROSS = 3;
const AROUND = 2;

/** Where what catches the shadow ends although the shadow goes on. */
export const catcher: SitCheck = {
  label: "Edge of the catcher",
  look: (scene) => {
    const { width, height, rendered, layers } = scene;
    const place = placeIn(scene);
    if (!place) return null;
    const open: number[] = [];
    // Noise does not count: the mean of what belongs to the set around is judged.
    const off = (i: number) => {
      let [sum, n] = [0, 0];
      for (let v = -AROUND; v <= AROUND; v++)
        for (let u = -AROUND; u <= AROUND; u++) {
          const j = i + v * width + u;
          if (j < 0 || j >= place.part.length || place.part[j] !== place.part[i] || rendered.prop[j * 4 + 3] > 0)
            continue;
          sum += ratioAt(layers.ratio, j);
          n++;
        }
      return n > 0 ? Math.abs(1 - sum / n) : 0;
    };
    const bare = (i: number) => place.part[i] === 0 && rendered.prop[i * 4 + 3] === 0 && onGround(scene, i);
    for (let y = ACROSS; y < height - ACROSS; y++)
      for (let x = ACROSS; x < width - ACROSS; x++) {
        const i = y * width + x;
        if (place.part[i] === 0 || rendered.prop[i * 4 + 3] > 0) continue;
        const beside = [i + ACROSS, i - ACROSS, i + ACROSS * width, i - ACROSS * width];
        if (beside.some(bare) && off(i) > EDGE) open.push(i);
      }
    const noticed = scene.notices.find((n) => n.startsWith("A catcher ends"));
    const score = Math.max(open.length / FEW, noticed ? 1.2 : 0);
    const seen = new Set(open);
    return {
      score,
      value: noticed && open.length <= FEW ? noticed.split(":")[0] : `${open.length} pixels of an open edge`,
      tolerance: `${FEW} pixels`,
      words:
        score <= 1
          ? "The surface that takes the shadow goes on beyond it."
          : "The surface that takes the shadow ends within it: draw it farther out.",
      step: "set",
      spot: boxOf(scene, (i) => seen.has(i)),
    };
  },
};

/** True where the plate shows the ground or more of what was built, not sky. */
function onGround({ shot, width, scale }: SitScene, pixel: number): boolean {
  const camera = shot.solved?.camera;
  if (!camera) return false;
  const [x, y] = [(pixel % width) / scale, Math.floor(pixel / width) / scale];
  const forward = camera.rotation[2];
  const down = camera.rotation[1];
  const right = camera.rotation[0];
  const [u, v] = [(x - camera.principal[0]) / camera.focalPx, (y - camera.principal[1]) / camera.focalPx];
  return right[2] * u + down[2] * v + forward[2] < -0.02;
}
