import sharp from "sharp";
import { compositeCodes } from "#core/comp/composite";
import type { Vec3 } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import type { LookPresetName } from "#core/props/presets";
import { LOOK_PRESETS, LOOK_PRESET_NAMES, lookOfPreset } from "#core/props/presets";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { renderShot } from "#node/renderShot";
import type { DemoPlace } from "../demo/documents.ts";
import { documentOf } from "../demo/documents.ts";

/** `npm run sheet:presets`: every preset as a ball and a bevelled block in the light of two demo shots, on one sheet in docs. */

const CELL = { width: 236, height: 190, label: 22 };
const ACROSS = LOOK_PRESET_NAMES.length;
const OUT = "docs/presets.jpg";
interface Place {
  place: DemoPlace;
  at: Vec3;
  ball: number;
  samples: number;
}

/** Where they stand: on the quay's paving, and on the loft's bench; metres, with the size of the ball. */
const PLACES: Place[] = [
  { place: "quay", at: [-3.1, -3.2, 0], ball: 0.5, samples: 40 },
  { place: "netloft", at: [2.35, 3.35, 0.78], ball: 0.2, samples: 14 },
];

function dressed({ at, ball, samples }: Place, shot: Shot, preset: LookPresetName): Shot {
  const prop = (id: string, source: Prop["source"], x: number, turnDeg: number): Prop => ({
    id,
    name: id,
    source,
    placement: { position: [at[0] + x, at[1], at[2]], turnDeg, leanDeg: [0, 0], scale: [1, 1, 1] },
    keeps: "metres",
    ...plainProp(),
    looks: { sphere: lookOfPreset(preset), box: lookOfPreset(preset) },
  });
  const surface = { colour: [0.5, 0.5, 0.5] as Vec3, roughness: 0.5, metallic: 0 };
  const low = 0.62 * ball;
  return {
    ...shot,
    props: {
      ball: prop("ball", { kind: "shape", shape: { kind: "sphere", size: [ball, ball, ball] }, ...surface }, 0, 0),
      block: prop(
        "block",
        { kind: "shape", shape: { kind: "box", size: [low, low, low], bevel: 0.06 * ball }, ...surface },
        1.0 * ball,
        28,
      ),
    },
    render: { ...shot.render, samples, denoise: true, passes: [] },
  };
}

const rows: { left: number; top: number; input: Buffer }[] = [];
for (const [row, { place, at, ball }] of PLACES.entries()) {
  const { shot, plate, models } = await documentOf(place);
  const camera = shot.solved!.camera;
  const middle = projectPoint(camera, [at[0] + 0.45 * ball, at[1], at[2] + 0.45 * ball])!;
  const pixelsPerMetre = camera.focalPx / Math.hypot(...at.map((x, k) => x - camera.position[k]));
  const width = Math.round(2.5 * ball * pixelsPerMetre);
  const height = Math.round((width * CELL.height) / CELL.width);
  for (const [column, preset] of LOOK_PRESET_NAMES.entries()) {
    const own = dressed(PLACES[row], shot, preset);
    const top = Math.round(middle[1] - height / 2);
    const passes = await renderShot(own, plate, models, own.render, {
      done: (band) => band.y1 < top || band.y0 > top + height,
    });
    const codes = compositeCodes(plate, passes) as Uint8Array;
    const picture = await sharp(codes, { raw: { width: plate.width, height: plate.height, channels: 3 } })
      .extract({ left: Math.round(middle[0] - width / 2), top, width, height })
      .resize(CELL.width, CELL.height, { kernel: "lanczos3" })
      .png()
      .toBuffer();
    const words = `${LOOK_PRESETS[preset].title}`;
    const label = Buffer.from(
      `<svg xmlns="http://www.w3.org/2000/svg" width="${CELL.width}" height="${CELL.label}"><rect width="100%" height="100%" fill="#292827"/><text x="8" y="15" font-size="13" fill="#e9e7e4" font-family="sans-serif">${words}</text></svg>`,
    );
    const per = Math.ceil(ACROSS / 2);
    const [x, y] = [column % per, Math.floor(column / per) + row * 2];
    rows.push({ left: x * CELL.width, top: y * (CELL.height + CELL.label), input: picture });
    rows.push({ left: x * CELL.width, top: y * (CELL.height + CELL.label) + CELL.height, input: label });
    console.log(`${place}: ${words}`);
  }
}
const per = Math.ceil(ACROSS / 2);
await sharp({
  create: { width: per * CELL.width, height: 4 * (CELL.height + CELL.label), channels: 3, background: "#292827" },
})
  .composite(rows)
  .jpeg({ quality: 88 })
  .toFile(OUT);
console.log(OUT);
