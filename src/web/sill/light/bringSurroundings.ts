import { newSlope } from "#core/light/level";
import type { PictureSpread } from "#core/light/surroundings/known";
import { luminance } from "#core/colour/srgb";
import type { Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { api } from "../../api.ts";
import { useDesk } from "../../stores/desk.ts";
import { useIncoming } from "../../stores/incoming.ts";
import { useMeasuring } from "../../stores/measuring.ts";
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
  const incoming = useIncoming();

  async function bring(file: File): Promise<void> {
    const check = store.stays();
    try {
      const asset = await incoming.send(file, (follow) => api.sendSurroundings(file, follow));
      if (!asset) return;
      const { hash, name, clippedAt, ball, notices: told } = asset;
      for (const text of told) notices.say("warn", text);
      const spread: PictureSpread = {
        kind: "picture",
        asset: hash,
        name,
        // A ball was photographed from where the plate was, so that its middle is what the camera looked at.
        turnDeg: ball ? heading(store.shot?.solved?.camera) : 0,
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
      const facts = await models.lookAround(spread, store.shot?.light.slope ?? newSlope());
      if (!facts) throw new Error("The picture cannot be had from the server. Drop it again.");
      check();
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
  /** Makes surroundings up from the plate alone. */
  async function fromPlate(): Promise<void> {
    const camera = store.shot?.solved?.camera;
    if (!camera) {
      notices.say("warn", "There is no camera yet.", "Solve it first: it tells where what the plate shows lies.");
      return;
    }
    try {
      const exr = await useMeasuring().aroundPlate(camera);
      if (exr) await bring(new File([exr], "around the plate.exr", { type: "image/x-exr" }));
    } catch (error) {
      notices.fail(error);
    }
  }
  return { bring, fromPlate };
}

/** Where a camera looks, degrees clockwise from +Y; 0 without one. */
function heading(camera: Camera | undefined): number {
  if (!camera) return 0;
  const [x, y] = camera.rotation[2];
  return Number(((toDegrees(Math.atan2(x, y)) + 360) % 360).toFixed(2));
}

/** A colour brought to a luminance. */
function asBright(colour: Vec3, level: number): Vec3 {
  const own = luminance(...colour);
  return own > 0 ? (colour.map((c) => Number(((c * level) / own).toPrecision(6))) as Vec3) : [level, level, level];
}
