import { castersOf } from "../light/casters.ts";
import { maskPicture } from "../light/mask.ts";
import { lampsOf, skyOf, sunDirection, sunOf, unlitBy } from "../light/rig.ts";
import type { LightPart } from "../light/schema.ts";
import type { MatchPart } from "../match/schema.ts";
import { toRadians } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import type { PlatePart } from "../plate/schema.ts";
import { shotFrame } from "../plate/schema.ts";
import type { Model } from "../props/model.ts";
import { copyCount, placedCopy } from "../props/model.ts";
import { endOf, modelOf, placementOf } from "../props/placed.ts";
import type { Prop, PropsPart } from "../props/schema.ts";
import { placeMesh } from "../props/transform.ts";
import { roomOpenings } from "../set/portals.ts";
import { flagsOf } from "../set/roles.ts";
import { floorHeight, groundAlbedo, groundHeight, setPieces } from "../set/pieces.ts";
import type { SetPart } from "../set/schema.ts";
import type { Picture, SetPiece, TraceScene } from "../trace/scene.ts";
import { provideFiles } from "./files.ts";
import type { RenderPart } from "./schema.ts";

/** What a shot asks of the tracer. */

/** What of a shot is seen in its picture. */
export type Seen = PlatePart & Pick<MatchPart, "solved"> & SetPart & PropsPart & LightPart & Pick<RenderPart, "focus">;

export const cameraOf = (shot: Pick<MatchPart, "solved">): Camera | null => shot.solved?.camera ?? null;

const hasOwnFloor = ({ sky: { on, spread } }: LightPart["light"]): boolean =>
  on && spread.kind === "picture" && spread.extent?.kind === "dome";

/** A prop that is a catcher or a blocker, as pieces of the set: a face where each of its meshes stands. */
function propPieces(prop: Prop, models: Map<string, Model>): SetPiece[] {
  if (prop.role === "cg") return [];
  const model = modelOf(prop, models);
  const placement = placementOf(prop);
  const flags = flagsOf(prop.role);
  return (model?.meshes ?? []).flatMap((mesh) =>
    Array.from({ length: copyCount(mesh) }, (_, copy): SetPiece => {
      const own = { ...mesh, positions: Float32Array.from(placedCopy(mesh, copy)), copies: undefined };
      const { positions, indices } = placeMesh(placement, own);
      const { baseColor, roughness } = model!.materials[mesh.material];
      return { positions, indices, flags, albedo: [baseColor[0], baseColor[1], baseColor[2]], specular: 0, roughness };
    }),
  );
}

/**
 * The shot as the tracer sees it. Throws if it has no camera yet. What has its faces from a file that is not among the
 * models is left out;
 * `withProps` false leaves out all.
 */
export function traceSceneOf(shot: Seen, plate: Picture, models: Map<string, Model>, withProps = true): TraceScene {
  const camera = cameraOf(shot);
  if (!camera) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
  const { light } = shot;
  provideFiles(shot, models);
  const shown = Object.values(shot.props).filter((prop) => !prop.hidden);
  const props = withProps
    ? shown.flatMap((prop) => {
        const model = prop.role === "cg" ? modelOf(prop, models) : null;
        const { visibility, name } = prop;
        const unlit = unlitBy(shot, prop.id) ?? undefined;
        return model ? [{ model, placement: placementOf(prop), end: endOf(prop), visibility, name, unlit }] : [];
      })
    : [];
  return {
    camera,
    frame: shotFrame(shot),
    // What stands for a thing of the plate is set, also where no prop is rendered.
    set: [...setPieces(shot), ...shown.flatMap((prop) => propPieces(prop, models))],
    props,
    sun: sunOf(shot),
    ...skyOf(shot),
    lamps: lampsOf(shot),
    portals: light.sky.on ? roomOpenings(shot.set) : [],
    aperture: shot.focus.on
      ? {
          radius: shot.focus.openingMm / 2000,
          focus: shot.focus.distance,
          blades: shot.focus.blades,
          turn: toRadians(shot.focus.turnDeg),
        }
      : null,
    // Surroundings with a floor of their own are seen there, instead of an endless ground.
    floor: hasOwnFloor(light) ? null : { height: floorHeight(shot) - 0.002, albedo: groundAlbedo(shot) },
    plate,
    mask: maskPicture(shot),
    casters: light.sun.on
      ? castersOf(Object.values(light.shadows), camera, shotFrame(shot), sunDirection(shot), groundHeight(shot), plate)
      : [],
    backdrop: null,
    picture: false,
  };
}
