import { luminance } from "../../colour/srgb.ts";
import { dropped, rested } from "../../contact/rest.ts";
import type { Solid } from "../../contact/solid.ts";
import { solidOf, solidOfModel } from "../../contact/solid.ts";
import { soupNear, wayOf } from "../../contact/supports.ts";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { dot, scale, toDegrees } from "../../math/vec3.ts";
import { projectPoint } from "../../optics/camera.ts";
import { modelOf, placementOf, singleModelOf } from "../../props/placed.ts";
import type { Prop } from "../../props/schema.ts";
import { placementRotation } from "../../props/transform.ts";
import { facePlane } from "../../set/face.ts";
import { facesOf } from "../../set/faces.ts";
import { pickAlong } from "../../set/pick.ts";
import { floorHeight, meshOf } from "../../set/pieces.ts";
import { formatLength } from "../../units/length.ts";
import type { SitCheck, SitScene, Spot } from "../scene.ts";
import { quantile } from "../scene.ts";

/** Metres that a prop may float or sink, and pixels that this may come to: what nobody sees. */
const METRES = 0.004;
const PIXELS = 0.75;
/** Metres above everything from which a prop that was never set down hangs. */
const HANGS = 0.25;
/** Half the side of the ground that lies below everything, metres. */
const GROUND = 60;

function supportsOf({ shot, models }: SitScene, prop: Prop): Solid[] {
  const bare = (own: Prop): Prop => ({ ...own, looks: {} });
  const model = singleModelOf(bare(prop), models);
  if (!model) return [];
  const way = wayOf(model, placementOf(prop), [0, 0, -1]);
  const solids = Object.values(shot.set).flatMap((part) => {
    const mesh = meshOf(facesOf(shot.set, part.id));
    return mesh.indices.length > 0 ? [solidOf(mesh.positions, mesh.indices)] : [];
  });
  for (const other of Object.values(shot.props)) {
    if (other.id === prop.id || other.hidden) continue;
    const own = modelOf(bare(other), models);
    const soup = own && soupNear(own, placementOf(other), way);
    if (soup && soup.indices.length > 0) solids.push(solidOf(soup.positions, soup.indices));
  }
  const [x, y] = prop.placement.position;
  const z = floorHeight(shot);
  const corners = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].flatMap(([a, b]) => [x + a * GROUND, y + b * GROUND, z]);
  solids.push(solidOf(Float32Array.from(corners), Uint32Array.of(0, 1, 2, 0, 2, 3)));
  return solids;
}

/** Half the side of what is shown around a place, pixels. */
const AROUND_FOOT = 60;
const spotAt = ([x, y]: Vec2, scale: number): Spot => ({
  x: Math.max(0, Math.round(x * scale - AROUND_FOOT)),
  y: Math.max(0, Math.round(y * scale - AROUND_FOOT)),
  width: 2 * AROUND_FOOT,
  height: 2 * AROUND_FOOT,
});

/** How far each prop floats over, or sinks into, what is below it. */
export const contact: SitCheck = {
  label: "Contact",
  look: (scene) => {
    const { shot, models, scale } = scene;
    const camera = shot.solved?.camera;
    if (!camera) return null;
    let worst: { prop: Prop; gap: number; score: number; pixels: number } | null = null;
    let count = 0;
    for (const prop of Object.values(shot.props)) {
      if (prop.hidden || prop.role !== "cg") continue;
      const model = singleModelOf({ ...prop, looks: {} }, models);
      const rest = model && dropped(solidOfModel(model), placementOf(prop), supportsOf(scene, prop));
      // What was put far above everything hangs there.
      if (!rest || (prop.stands === null && rest.gap > HANGS)) continue;
      count++;
      const [x, y, z] = prop.placement.position;
      const [here, there] = [projectPoint(camera, [x, y, z]), projectPoint(camera, [x, y, z - rest.gap])];
      const pixels = here && there ? scale * Math.hypot(here[0] - there[0], here[1] - there[1]) : 0;
      const score = Math.min(Math.abs(rest.gap) / METRES, pixels / PIXELS);
      if (!worst || score > worst.score) worst = { prop, gap: rest.gap, score, pixels };
    }
    if (!worst) return null;
    const { prop, gap, score, pixels } = worst;
    const at = projectPoint(camera, prop.placement.position);
    const value = `${gap >= 0 ? "" : "−"}${formatLength(Math.abs(gap), shot.unit)}`;
    return {
      score,
      value: `${value}, ${pixels.toFixed(1)} px`,
      tolerance: `${formatLength(METRES, shot.unit)} or ${PIXELS} px`,
      words:
        score <= 1
          ? count === 1
            ? `“${prop.name}” stands on what is below it.`
            : `All ${count} props stand on what is below them.`
          : gap > 0
            ? `“${prop.name}” floats ${formatLength(gap, shot.unit)} over what is below it: let it rest.`
            : `“${prop.name}” sinks ${formatLength(-gap, shot.unit)} into what is below it: let it rest, or say in the props step that it may.`,
      step: "props",
      spot: at && spotAt(at, scale),
    };
  },
};

/** Degrees that a prop's uprights may lean from how it rests; what clearly lies may be off by a share of how far it leans. */
const LEANS = { degrees: 1.5, share: 0.35 };

/** Angle between a prop's own upright and the world's, or what it stands on squarely, degrees: the smaller one. */
function leanOf({ shot }: SitScene, prop: Prop): number {
  const own = placementRotation(placementOf(prop)).map((row) => row[2]) as Vec3;
  const to = (up: Vec3) => toDegrees(Math.acos(Math.min(1, dot(own, up))));
  const [x, y, z] = prop.placement.position;
  const below = pickAlong(shot.set, [x, y, z + 0.05], [0, 0, -1]);
  const normal = below ? facePlane(below.face).normal : null;
  const squarely = normal ? to(normal[2] < 0 ? scale(normal, -1) : normal) : Infinity;
  return Math.min(to([0, 0, 1]), squarely);
}

/** Whether props stand up as they would rest: their uprights against the plate's. */
export const uprights: SitCheck = {
  label: "Uprights",
  look: (scene) => {
    const { shot, models, scale } = scene;
    const camera = shot.solved?.camera;
    if (!camera) return null;
    let worst: { prop: Prop; degrees: number; allowed: number; score: number } | null = null;
    for (const prop of Object.values(shot.props)) {
      if (prop.hidden || prop.role !== "cg") continue;
      const model = singleModelOf({ ...prop, looks: {} }, models);
      const rest = model && rested(solidOfModel(model), placementOf(prop), supportsOf(scene, prop));
      // What hangs has no stand, and what rolls none of its own.
      if (!rest?.stable || (prop.stands === null && rest.gap > HANGS)) continue;
      const lean = leanOf(scene, prop);
      const degrees = Math.min(toDegrees(rest.tipped), lean);
      const allowed = Math.max(LEANS.degrees, LEANS.share * lean);
      if (!worst || degrees / allowed > worst.score) worst = { prop, degrees, allowed, score: degrees / allowed };
    }
    if (!worst) return null;
    const { prop, degrees, allowed, score } = worst;
    const at = projectPoint(camera, prop.placement.position);
    return {
      score,
      value: `${degrees.toFixed(1)}° off how it rests`,
      tolerance: `${allowed.toFixed(1)}°`,
      words:
        score <= 1
          ? "Props stand up as they rest."
          : `“${prop.name}” leans ${degrees.toFixed(1)}° from how it would rest: its uprights and levels do not go with the plate's. Let it rest, or set its lean to 0.`,
      step: "props",
      spot: at && spotAt(at, scale),
    };
  },
};

/** Light that may be left where something touches, as a share of what there was without it. */
const LEFT = 0.9;
/** Pixels around a touch that are looked at, of a picture of the plate's size. */
const AROUND = 7;
/** Fewest touches' pixels that tell. */
const FEW = 6;

/** Whether the light is taken away where props touch what they stand on. */
export const grounding: SitCheck = {
  label: "Darkening at the contact",
  look: (scene) => {
    const { shot, models, scale, width, height, layers } = scene;
    const camera = shot.solved?.camera;
    if (!camera) return null;
    let worst: { prop: Prop; left: number; at: readonly [number, number] } | null = null;
    for (const prop of Object.values(shot.props)) {
      if (prop.hidden || prop.role !== "cg" || !prop.visibility.camera) continue;
      const model = singleModelOf({ ...prop, looks: {} }, models);
      const rest = model && dropped(solidOfModel(model), placementOf(prop), supportsOf(scene, prop));
      if (!rest || Math.abs(rest.gap) > METRES) continue;
      const reach = Math.max(3, Math.round(AROUND * scale));
      const feet: { left: number; at: readonly [number, number] }[] = [];
      for (const { at } of rest.touches.slice(0, 12)) {
        const pixel = projectPoint(camera, at);
        if (!pixel) continue;
        const [u, v] = [Math.round(pixel[0] * scale), Math.round(pixel[1] * scale)];
        const left: number[] = [];
        for (let y = Math.max(0, v - reach); y <= Math.min(height - 1, v + reach); y++)
          for (let x = Math.max(0, u - reach); x <= Math.min(width - 1, u + reach); x++) {
            const i = y * width + x;
            if (layers.prop[i * 4 + 3] > 0.05) continue;
            left.push(luminance(layers.ratio[i * 3], layers.ratio[i * 3 + 1], layers.ratio[i * 3 + 2]));
          }
        if (left.length < FEW) continue;
        // The darkest tenth: one side of a foot may well be lit.
        feet.push({ left: quantile(left, 0.1), at: [u, v] });
      }
      feet.sort((a, b) => a.left - b.left);
      const usual = feet[Math.floor(feet.length / 2)];
      if (usual && (!worst || usual.left > worst.left)) worst = { prop, ...usual };
    }
    if (!worst) return null;
    const score = Math.max(0, (worst.left - 0.5) / (LEFT - 0.5));
    const size = 40;
    return {
      score,
      value: `${(100 * worst.left).toFixed(0)} % of the light is left`,
      tolerance: `${100 * LEFT} %`,
      words:
        score <= 1
          ? "Where props touch what they stand on, light is taken away."
          : `Under “${worst.prop.name}” hardly any light is taken away: see that it casts shadow, and that what it stands on catches it.`,
      step: "props",
      spot: {
        x: Math.max(0, worst.at[0] - size),
        y: Math.max(0, worst.at[1] - size),
        width: 2 * size,
        height: 2 * size,
      },
    };
  },
};
