import type { Draft } from "immer";
import { evidenceKey } from "../match/requestOfShot.ts";
import { isFloat } from "../image/profile.ts";
import type { PlateInfo } from "../plate/schema.ts";
import type { Frame } from "../optics/camera.ts";
import type { PixelScale } from "../schema/perPixel.ts";
import { perPixel } from "../schema/perPixel.ts";
import type { Shot } from "./schema.ts";
import { ShotSchema } from "./schema.ts";

/** Another version of the plate: the same photograph at another size, developed or graded anew. */

/** Pixels of the smaller version by which the frames may differ where both were rounded to whole ones. */
const ROUNDED = 1;

const shapeOf = ({ width, height }: Pick<PlateInfo, "width" | "height">): string =>
  `${width} × ${height} px, ${(width / height).toFixed(3)} : 1`;

/** How many times more pixels another frame of the same shape has; null where its shape is another. */
export function timesThePixels(from: Frame, to: Frame): PixelScale | null {
  const across = to.width / from.width;
  if (Math.abs(from.height * across - to.height) > ROUNDED * Math.max(1, across)) return null;
  return { across, down: to.height / from.height, any: across };
}

/** Why a picture is no version of the shot's plate; null where it can be one: its frame must have the same shape. */
export function noVersion({ plates: { main } }: Pick<Shot, "plates">, info: PlateInfo): string | null {
  if (timesThePixels(main, info)) return null;
  return `“${info.fileName}” has another shape (${shapeOf(info)}) than the plate (${shapeOf(main)}): everything would be stretched.`;
}

/** A document whose pixels count as those of a frame with so many times more of them; itself where they are as many. */
export const inPixelsOf = (shot: Shot, scale: PixelScale): Shot =>
  scale.across === 1 && scale.down === 1 ? shot : (perPixel(ShotSchema, shot, scale) as Shot);

/** What a version leaves to be done. */
export interface VersionTaken {
  /** Pixels across over those before. */
  scale: number;
  /** Grain or softness had been measured on the version before. */
  measured: boolean;
}

/**
 * Puts another version of the plate into the shot. Marks, camera, set, light and mattes stay where they are in the picture:
 * what counts pixels counts as many more, so that every one of them means what it meant. Grain and softness are the
 * version's own and are forgotten. What the file does not say of the photograph itself is as it was. Throws where the frame
 * has another shape.
 */
export function takeVersion(draft: Draft<Shot> | Shot, info: PlateInfo): VersionTaken {
  const shot = draft as Shot;
  const refused = noVersion(shot, info);
  if (refused) throw new Error(refused);
  const { main } = shot.plates;
  const scale = timesThePixels(main, info)!;
  const stands = shot.solved !== null && shot.solved.evidence === evidenceKey(shot);
  const { sharpness, grain } = shot.comp;
  const measured = sharpness.sigmaPx !== null || grain.model !== null;
  const known = Object.fromEntries(Object.entries(info.exif).filter(([, value]) => value !== null));
  const { response, ...encoding } = main.encoding;
  const next: PlateInfo = {
    ...info,
    exif: { ...main.exif, ...known, orientation: info.exif.orientation },
    owner: main.owner,
    licence: main.licence,
    drawing: main.drawing,
    // Floats are straight; a picture of codes is bent as the camera, or the look, has bent it.
    encoding:
      response === undefined || isFloat(info.encoding) || isFloat(encoding)
        ? info.encoding
        : { ...info.encoding, response },
  };
  const counted = inPixelsOf(shot, scale);
  if (counted !== shot) Object.assign(shot, counted);
  shot.plates.main = next;
  shot.comp.sharpness.sigmaPx = null;
  shot.comp.grain.model = null;
  if (stands) shot.solved!.evidence = evidenceKey(shot);
  return { scale: scale.across, measured };
}

/** A document as it is on a plate that its own is another version of; itself where it has that plate, or cannot be a version. */
export function onPlate(shot: Shot, plate: PlateInfo): Shot {
  const { main } = shot.plates;
  if ((main.width === plate.width && main.height === plate.height) || noVersion(shot, plate)) return shot;
  const copy = JSON.parse(JSON.stringify(shot)) as Shot;
  takeVersion(copy, plate);
  return copy;
}
