import type { Vec3 } from "../math/vec3.ts";
import { toRadians } from "../math/vec3.ts";
import { directionFromAngles } from "../light/sun.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import type { Model } from "../props/model.ts";
import { primitiveModel } from "../props/primitives.ts";
import type { Placement } from "../props/transform.ts";
import { surfaceMesh } from "../set/surfaces.ts";
import type { LightWeights } from "../trace/film.ts";
import type { Picture, SetPiece, TraceScene } from "../trace/scene.ts";
import type { SolveRequest } from "../match/request.ts";
import { maskPicture } from "../light/mask.ts";
import type { Prop, Shot } from "./schema.ts";

/** What a shot asks of solver and tracer. */

export const shotFrame = (shot: Shot): Frame => ({ width: shot.plate.width, height: shot.plate.height });

/** Standard deviation of marks set by hand under the loupe, pixels (common practice, no published source). */
export const MARK_SIGMA = 0.7;

export function solveRequestOf(shot: Shot): SolveRequest {
  return {
    plate: shotFrame(shot),
    lens: {
      focalPx: shot.lens.focalPx,
      solve: [...(shot.lens.focalPx === null ? ["focal" as const] : []), ...(shot.lens.solveK1 ? ["k1" as const] : [])],
    },
    edges: Object.values(shot.edges).map((e) => ({ ...e, sigmaPx: MARK_SIGMA })),
    lengths: Object.values(shot.lengths).map((d) => ({ ...d, sigmaPx: MARK_SIGMA })),
    origin: shot.origin,
  };
}

/** Text that changes whenever the solver would be asked something else. */
export const evidenceKey = (shot: Shot): string => JSON.stringify(solveRequestOf(shot));

export const cameraOf = (shot: Shot): Camera | null => shot.solved?.camera ?? null;

export function placementOf(prop: Prop): Placement {
  const { position, turnDeg, leanDeg, scale: size } = prop.placement;
  return { position, turn: toRadians(turnDeg), lean: [toRadians(leanDeg[0]), toRadians(leanDeg[1])], scale: size };
}

/** The prop's model: its file's, or its primitive. Null while the file is not loaded. */
export function modelOf(prop: Prop, models: Map<string, Model>): Model | null {
  const { source } = prop;
  if (source.kind === "model") return models.get(source.asset) ?? null;
  return primitiveModel(source.kind, source.colour, source.roughness, source.metallic);
}

export const sunDirection = (shot: Shot): Vec3 =>
  directionFromAngles(toRadians(shot.light.sun.azimuthDeg), toRadians(shot.light.sun.elevationDeg));

/** The ground's mean height: of its polygons' vertices, 0 without any. */
const floorHeight = (shot: Shot): number => {
  const heights = Object.values(shot.set).flatMap((s) =>
    s.kind === "ground" ? s.vertices.map((v) => v.world[2]) : [],
  );
  return heights.length > 0 ? heights.reduce((a, b) => a + b, 0) / heights.length : 0;
};

export function setPieces(shot: Shot): SetPiece[] {
  const { albedo, gloss, glossRoughness } = shot.light;
  return Object.values(shot.set).flatMap((surface) => {
    const mesh = surfaceMesh(shot.set, surface);
    if (!mesh) return [];
    return [
      {
        ...mesh,
        catcher: surface.role === "catcher",
        albedo: albedo.colour,
        specular: gloss,
        roughness: glossRoughness,
      },
    ];
  });
}

/**
 * The shot as the tracer sees it. Throws if it has no camera yet. Props whose files are not loaded are left out;
 * `withProps` false leaves out all.
 */
export function traceSceneOf(shot: Shot, plate: Picture, models: Map<string, Model>, withProps = true): TraceScene {
  const camera = cameraOf(shot);
  if (!camera) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
  const { light } = shot;
  const props = withProps
    ? Object.values(shot.props).flatMap((prop) => {
        const model = prop.hidden ? null : modelOf(prop, models);
        return model ? [{ model, placement: placementOf(prop) }] : [];
      })
    : [];
  return {
    camera,
    frame: shotFrame(shot),
    set: setPieces(shot),
    props,
    sun: light.sun.on
      ? {
          direction: sunDirection(shot),
          irradiance: light.sunIrradiance,
          angularRadius: toRadians(light.sun.radiusDeg),
        }
      : null,
    sky: light.skyRadiance,
    floor: { height: floorHeight(shot) - 0.002, albedo: light.albedo.colour },
    plate,
    mask: maskPicture(shot),
    backdrop: null,
    picture: false,
  };
}

/** Density and tint of the shadow, as weights of the catcher's lights. */
export function lightWeights(shot: Shot): LightWeights {
  const { density, tint } = shot.light;
  return { sun: [density, density, density], sky: tint, bounce: tint };
}

/** Level of the props, applied to the developed prop pass. */
export const scaleProp = (prop: Float32Array, level: number): void => {
  if (level === 1) return;
  for (let i = 0; i < prop.length; i += 4) for (let k = 0; k < 3; k++) prop[i + k] *= level;
};
