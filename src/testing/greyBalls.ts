import { readFileSync } from "node:fs";
import { traceSceneOf } from "#core/render/scene";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, distance, scale } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { faceNormal } from "#core/set/face";
import { pickFace } from "#core/set/pick";
import type { Shot } from "#core/shot/schema";
import { SOFT } from "#core/trace/filter";
import type { PropPiece, TraceScene } from "#core/trace/scene";
import { developBand } from "#node/bands";
import { renderScene } from "#node/renderScene";
import type { DemoPlace } from "../demo/documents.ts";
import { documentOf } from "../demo/documents.ts";
import { netloft } from "../demo/netloft.ts";
import type { Place } from "../demo/photograph.ts";
import { quay } from "../demo/quay.ts";
import { slipway } from "../demo/slipway.ts";

/**
 * npm run bench:light [-- SAMPLES [PLACE [FILE]]]: grey balls of 18 % laid about the demo places, in the light that each
 * document recovered from its plate with the interface's tools, against the same balls in the true light. Where and how far
 * the light itself is off, without plate, material or grain. FILE is a document of that place that somebody lit by hand, as
 * the server gives it (`/api/shots/ID`); the interface tests leave theirs in `test-results`.
 */
const PLACES: Record<DemoPlace, () => Place> = { quay, netloft, slipway };
/** Radius of a ball over its distance from the camera. */
const SEEN = 0.02;
const SAMPLES = Number(process.argv[2] ?? 16);
const ONLY = process.argv[3];
const LIT = process.argv[4];

interface Ball {
  pixel: Vec2;
  centre: Vec3;
  radius: number;
}

/** Balls on what the plate shows of the set, over the whole picture. */
function ballsOn(shot: Shot): Ball[] {
  const camera = shot.solved!.camera;
  const { width, height } = shot.plates.main;
  const balls: Ball[] = [];
  for (let v = 0.52; v < 1; v += 0.12)
    for (let u = 0.06; u < 1; u += 0.11) {
      const pixel: Vec2 = [u * width, v * height];
      const met = pickFace(shot.set, camera, pixel);
      if (!met?.part.flags.catches) continue;
      const radius = SEEN * distance(met.world, camera.position);
      balls.push({ pixel, radius, centre: add(met.world, scale(faceNormal(met.face), radius)) });
    }
  return balls;
}

function piecesOf(balls: readonly Ball[]): PropPiece[] {
  const model = primitiveModel("sphere", [0.18, 0.18, 0.18], 1, 0);
  model.materials[0].specular = 0;
  return balls.map(({ centre, radius: r }) => ({
    model,
    placement: { ...standing([centre[0], centre[1], centre[2] - r]), scale: [2 * r, 2 * r, 2 * r] as Vec3 },
  }));
}

/** Mean colour inside every ball's disc. */
async function coloursOf(scene: TraceScene, shot: Shot | null, balls: readonly Ball[], size: Place["frame"]) {
  const film = await renderScene(
    scene,
    { ...size, seed: 3, maxDepth: 10, filter: SOFT, limit: 20 },
    { samples: SAMPLES },
  );
  const { layout, pixels } = film;
  const prop = shot ? developBand(shot, film).prop : null;
  return balls.map(({ centre, radius }) => {
    const [u, v] = projectPoint(scene.camera, centre)!;
    const px = (0.7 * radius * scene.camera.focalPx) / distance(centre, scene.camera.position);
    const sum: Vec3 = [0, 0, 0];
    let n = 0;
    for (let y = Math.ceil(v - px); y < v + px; y++)
      for (let x = Math.ceil(u - px); x < u + px; x++) {
        if (Math.hypot(x + 0.5 - u, y + 0.5 - v) > px || x < 0 || y < 0 || x >= size.width || y >= size.height)
          continue;
        const i = y * size.width + x;
        if (prop && prop[i * 4 + 3] < 0.99) continue;
        n++;
        for (let k = 0; k < 3; k++) sum[k] += prop ? prop[i * 4 + k] : pixels[i * layout.stride + k] / SAMPLES;
      }
    return n > 20 ? (sum.map((x) => x / n) as Vec3) : null;
  });
}

for (const place of Object.keys(PLACES) as DemoPlace[]) {
  if (ONLY && place !== ONLY) continue;
  const document = await documentOf(place);
  const { plate, models } = document;
  const shot = LIT ? (JSON.parse(readFileSync(LIT, "utf8")) as { shot: Shot }).shot : document.shot;
  const truth = PLACES[place]();
  const balls = ballsOn(shot);
  const props = piecesOf(balls);
  const picture = { width: plate.width, height: plate.height, pixels: plate.linear };
  const own = await coloursOf({ ...traceSceneOf(shot, picture, models), props }, shot, balls, truth.frame);
  const real = await coloursOf(
    {
      camera: truth.camera,
      frame: truth.frame,
      set: [],
      props: [...truth.pieces, ...props],
      floor: null,
      plate: null,
      mask: null,
      picture: true,
      ...truth.light,
    },
    null,
    balls,
    truth.frame,
  );
  const lum = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
  const off: number[] = [];
  balls.forEach(({ pixel }, i) => {
    const [a, b] = [own[i], real[i]];
    if (!a || !b) return;
    const share = lum(a) / lum(b) - 1;
    off.push(Math.abs(share));
    const hue = [0, 2].map((k) => `${(100 * (a[k] / a[1] / (b[k] / b[1]) - 1)).toFixed(1)}`).join(" ");
    process.stdout.write(
      `${place} at ${pixel.map((x) => x.toFixed(0)).join(", ")}: ${lum(b).toFixed(4)} true, ${(100 * share).toFixed(1)} %; red, blue over green ${hue} %\n`,
    );
  });
  off.sort((a, b) => a - b);
  const at = (share: number) => (100 * off[Math.min(off.length - 1, Math.floor(share * off.length))]).toFixed(1);
  process.stdout.write(`${place}: ${off.length} balls, off by ${at(0.5)} % (median), ${at(0.9)} % (nine in ten)\n`);
}
