import { castersOf } from "../light/casters.ts";
import { maskPicture } from "../light/mask.ts";
import { lampsOf, sunDirection, sunOf } from "../light/rig.ts";
import type { LightPart } from "../light/schema.ts";
import type { MatchPart } from "../match/schema.ts";
import { toRadians } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import type { PlatePart } from "../plate/schema.ts";
import { shotFrame } from "../plate/schema.ts";
import type { Model } from "../props/model.ts";
import { endOf, modelOf, placementOf } from "../props/placed.ts";
import type { PropsPart } from "../props/schema.ts";
import { provideSetModels } from "../set/models.ts";
import { floorHeight, groundAlbedo, groundHeight, setPieces } from "../set/pieces.ts";
import type { SetPart } from "../set/schema.ts";
import type { Picture, TraceScene } from "../trace/scene.ts";
import type { RenderPart } from "./schema.ts";

/** What a shot asks of the tracer. */

/** What of a shot is seen in its picture. */
export type Seen = PlatePart & Pick<MatchPart, "solved"> & SetPart & PropsPart & LightPart & Pick<RenderPart, "focus">;

export const cameraOf = (shot: Pick<MatchPart, "solved">): Camera | null => shot.solved?.camera ?? null;

/**
 * The shot as the tracer sees it. Throws if it has no camera yet. What has its faces from a file that is not among the
 * models is left out;
 * `withProps` false leaves out all.
 */
export function traceSceneOf(shot: Seen, plate: Picture, models: Map<string, Model>, withProps = true): TraceScene {
  const camera = cameraOf(shot);
  if (!camera) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
  const { light } = shot;
  provideSetModels(shot, models);
  const props = withProps
    ? Object.values(shot.props).flatMap((prop) => {
        const model = prop.hidden ? null : modelOf(prop, models);
        const { visibility, name } = prop;
        return model ? [{ model, placement: placementOf(prop), end: endOf(prop), visibility, name }] : [];
      })
    : [];
  return {
    camera,
    frame: shotFrame(shot),
    set: setPieces(shot),
    props,
    sun: sunOf(shot),
    sky: light.skyRadiance,
    lamps: lampsOf(shot),
    aperture: shot.focus.on
      ? {
          radius: shot.focus.openingMm / 2000,
          focus: shot.focus.distance,
          blades: shot.focus.blades,
          turn: toRadians(shot.focus.turnDeg),
        }
      : null,
    floor: { height: floorHeight(shot) - 0.002, albedo: groundAlbedo(shot) },
    plate,
    mask: maskPicture(shot),
    casters: light.sun.on
      ? castersOf(Object.values(light.shadows), camera, shotFrame(shot), sunDirection(shot), groundHeight(shot), plate)
      : [],
    backdrop: null,
    picture: false,
  };
}
