import { mergeLayers } from "#core/comp/finish";
import type { Known, SitScene } from "#core/sit/scene";
import { unkept } from "#core/sit/scene";
import type { FinishedPicture } from "./handover/finished.ts";

/** What the sit report looks at, of a finished picture. */
export function sitScene(
  { shot, models, plate }: Pick<SitScene, "shot" | "models" | "plate">,
  picture: FinishedPicture,
  notices: readonly string[] = [],
  known: Known = unkept,
): SitScene {
  const { width, height, grained, layers, rendered, renderedSigma } = picture;
  return {
    shot,
    models,
    plate,
    width,
    height,
    scale: width / plate.width,
    behind: picture.plate.linear,
    rendered,
    layers,
    grained,
    merged: mergeLayers(layers),
    renderedSigma,
    notices,
    known,
  };
}
