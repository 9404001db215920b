import type { PictureSpread } from "#core/light/surroundings/known";
import { luminance } from "#core/colour/srgb";
import type { Vec3 } from "#core/math/vec3";
import { api } from "../../api.ts";
import { useDesk } from "../../stores/desk.ts";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** Files that may be surroundings, for pickers. */
export const SURROUNDINGS_FILES = ".exr,.hdr,image/jpeg,image/png,image/webp,image/tiff";

/** Brings a picture of the surroundings in as the shot's sky, as bright on level ground as the sky was before. */
export function useSurroundings() {
  const store = useShot();
  const models = useModels();
  const notices = useNotices();
  const desk = useDesk();

  async function bring(file: File): Promise<void> {
    try {
      const { hash, name, clippedAt, notices: told } = await api.addSurroundings(file);
      for (const text of told) notices.say("warn", text);
      const spread: PictureSpread = {
        kind: "picture",
        asset: hash,
        name,
        turnDeg: 0,
        tiltDeg: 0,
        rollDeg: 0,
        flip: false,
        contrast: 1,
        blurDeg: 0,
        clippedAt,
        expandStops: 0,
        sunOut: false,
        extent: null,
      };
      const facts = await models.lookAround(spread);
      if (!facts) throw new Error("The picture cannot be had from the server. Drop it again.");
      await store.commit("Take surroundings", (d) => {
        const { sky } = d.light;
        sky.radiance = asBright(facts.mean, sky.on ? luminance(...(sky.radiance as Vec3)) : 0.25);
        sky.on = true;
        sky.spread = spread;
      });
      desk.lightDrawer = "sky";
    } catch (error) {
      notices.fail(error);
    }
  }
  return { bring };
}

/** A colour brought to a luminance. */
function asBright(colour: Vec3, level: number): Vec3 {
  const own = luminance(...colour);
  return own > 0 ? (colour.map((c) => Number(((c * level) / own).toPrecision(6))) as Vec3) : [level, level, level];
}
