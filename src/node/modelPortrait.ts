import sharp from "sharp";
import { linearToCode } from "#core/colour/srgb";
import type { Vec3 } from "#core/math/vec3";
import { add, cross, normalize, scale } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { Model } from "#core/props/model";
import { modelBounds, plainMaterial } from "#core/props/model";
import { standing } from "#core/props/transform";
import { shapeMesh } from "#core/props/shapes/index";
import { SOFT } from "#core/trace/filter";
import type { Picture } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { renderScene } from "./renderScene.ts";

/** A model's picture for the library: traced on neutral ground, in the light of a room with one large window. */

const SIZE = { width: 192, height: 144 };
const SAMPLES = 40;
/** From where it is looked at: from its front, from the right, from above. */
const FROM: Vec3 = normalize([0.55, -1, 0.5]);
const GROUND = 0.36;
/** Pixels of focal length for the height of the picture: a lens of medium length. */
const FOCAL = 2.4;

/** Light all around: even, brighter above, with a window at the left of the camera and a weaker one behind. */
function room(): Picture {
  const [width, height] = [64, 32];
  const pixels = new Float32Array(width * height * 3);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const up = Math.cos(((y + 0.5) / height) * Math.PI);
      // +Y is in the middle, so that what is behind the camera is at both ends.
      const [turn, rise] = [(x + 0.5) / width, 1 - (y + 0.5) / height];
      const key = turn > 0.1 && turn < 0.26 && rise > 0.56 && rise < 0.82 ? 7 : 0;
      const back = turn > 0.56 && turn < 0.66 && rise > 0.52 && rise < 0.74 ? 3 : 0;
      pixels.fill(0.28 + 0.3 * Math.max(0, up) + key + back, (y * width + x) * 3, (y * width + x + 1) * 3);
    }
  return { width, height, pixels };
}

/** A camera that sees the whole of a ball. */
function cameraFor(middle: Vec3, radius: number): Camera {
  const forward = scale(FROM, -1);
  const right = normalize(cross(forward, [0, 0, 1]));
  const down = cross(forward, right);
  const focalPx = FOCAL * SIZE.height;
  const away = (0.92 * radius) / Math.sin(Math.atan(0.5 / FOCAL));
  return {
    focalPx,
    principal: [SIZE.width / 2, SIZE.height / 2],
    distortion: noDistortion(),
    rotation: [right, down, forward],
    position: add(middle, scale(FROM, away)),
  };
}

/** A WebP of the model as it stands. Resolves with its bytes. */
export async function modelPortrait(model: Model): Promise<Buffer> {
  const { low, high } = modelBounds(model);
  const middle = low.map((x, k) => (x + high[k]) / 2) as Vec3;
  const radius = Math.hypot(...high.map((x, k) => x - low[k])) / 2 || 1;
  // What is of any size is looked at in metres of the same order, so that no offset of the tracer shows.
  const unit = 1 / radius;
  const side = 60;
  const ground: Model = {
    meshes: [shapeMesh({ kind: "plane", width: side, depth: side })],
    materials: [plainMaterial({ baseColor: [GROUND, GROUND, GROUND, 1], roughness: 0.9 })],
    textures: [],
  };
  const placement = { ...standing(scale([middle[0], middle[1], low[2]], -unit)), scale: [unit, unit, unit] as Vec3 };
  const film = await renderScene(
    {
      camera: cameraFor([0, 0, (unit * (high[2] - low[2])) / 2], 1),
      frame: SIZE,
      set: [],
      props: [
        { model, placement },
        { model: ground, placement: standing() },
      ],
      sun: null,
      sky: [0, 0, 0],
      environment: room(),
      floor: null,
      plate: null,
      mask: null,
      backdrop: null,
      picture: true,
    },
    { ...SIZE, seed: 1, maxDepth: 6, filter: SOFT, limit: 4 },
    { samples: SAMPLES, batch: SAMPLES },
  );
  const codes = new Uint8Array(SIZE.width * SIZE.height * 3);
  for (let i = 0, f = 0; f < film.pixels.length; i += 3, f += film.layout.stride)
    for (let k = 0; k < 3; k++)
      codes[i + k] = linearToCode(film.pixels[f + k] / Math.max(1, film.pixels[f + L.FILM_SAMPLES]), 8);
  return sharp(codes, { raw: { ...SIZE, channels: 3 } })
    .webp({ quality: 86 })
    .toBuffer();
}
