import type { Vec3 } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import type { Model } from "../props/model.ts";
import type { Placement } from "../props/transform.ts";

/** Triangles of one set surface, in the world. */
export interface SetPiece {
  positions: Float32Array;
  indices: Uint32Array;
  /** Shows the plate and takes shadow, bounce and reflection; otherwise it only blocks. */
  catcher: boolean;
  /** Colour where the plate does not show the surface: linear reflectance. */
  albedo: Vec3;
  /** Weight of a dielectric reflection (1: index 1.5; 0: none) and its roughness. */
  specular: number;
  roughness: number;
}

export interface PropPiece {
  model: Model;
  placement: Placement;
}

/** A float RGB picture, linear, rows from the top. */
export interface Picture {
  width: number;
  height: number;
  pixels: Float32Array;
}

export interface Sun {
  /** Unit vector towards the sun. */
  direction: Vec3;
  /** On a surface that faces it, in plate units. */
  irradiance: Vec3;
  /** Radians. */
  angularRadius: number;
}

/** Everything the tracer needs, as plain data in plate units. */
export interface TraceScene {
  camera: Camera;
  frame: Frame;
  set: SetPiece[];
  props: PropPiece[];
  sun: Sun | null;
  /** Radiance of the sky. */
  sky: Vec3;
  /** Endless floor: bounces, is never seen by the camera. */
  floor: { height: number; albedo: Vec3 } | null;
  plate: Picture | null;
  /** Share of the sun that the plate's own marked shadows leave, over the frame. */
  mask: { width: number; height: number; values: Float32Array } | null;
  /** Latitude-longitude picture that camera rays see behind everything. */
  backdrop: Picture | null;
  /** True: render all as seen, sky included. False: props and catchers over a plate. */
  picture: boolean;
}

/** The sun's mean angular radius as seen from the earth: half of 0.533 degrees (common practice, no published source). */
export const SUN_ANGULAR_RADIUS = (0.533 / 2) * (Math.PI / 180);
