import type { Vec3 } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import type { Model } from "../props/model.ts";
import type { Placement } from "../props/transform.ts";

/** Triangles of one set surface, in the world. */
export interface SetPiece {
  positions: Float32Array;
  indices: Uint32Array;
  /** What it is to the camera, to the props' shadow, and to each kind of light; see core/set/roles. */
  flags: SetFlags;
  /** Colour where the plate does not show the surface: linear reflectance. */
  albedo: Vec3;
  /** Reflectance at normal incidence as a share of that of index 1.5, and the reflection's roughness. */
  specular: number;
  roughness: number;
  /** Has its colour also where the plate shows it. */
  ownColour?: boolean;
  /** Sends out so many times what the plate has there, or times `glowColour` where it does not show it; 0 or missing for what only reflects. */
  glow?: number;
  glowColour?: Vec3;
}

/** Ways in which a set surface is met. */
export interface SetFlags {
  /** Seen by the camera, which then sees the plate there. */
  seen: boolean;
  /** Takes shadow, bounce and reflection of the props. */
  catches: boolean;
  /** Stops sun and lamps. */
  shadow: boolean;
  /** Met by mirrored rays. */
  reflection: boolean;
  /** Met by scattered rays, to which it returns light. */
  bounce: boolean;
  /** Stops sky and environment. */
  blocks: boolean;
}

/** Which rays meet a prop. A caster without bounce darkens but returns no light. */
export interface Visibility {
  camera: boolean;
  shadow: boolean;
  reflection: boolean;
  bounce: boolean;
}

export const seenByAll = (): Visibility => ({ camera: true, shadow: true, reflection: true, bounce: true });

export interface PropPiece {
  model: Model;
  placement: Placement;
  /** Where the prop is when the shutter closes, for motion blur; missing for one that stands still. */
  end?: Placement;
  visibility?: Visibility;
  /** Name of its mattes. */
  name?: string;
  /** Lights that do not light it, lamps by their number; of the lamps only the first 29 can be left out. */
  unlit?: { sun: boolean; sky: boolean; lamps: number[] };
}

/** A rectangular opening of a closed room. */
export interface Portal {
  corner: Vec3;
  /** Its sides from that corner, at a right angle. */
  sides: [Vec3, Vec3];
  /** Unit vector into the room. */
  inwards: Vec3;
  /** Box of the room. */
  low: Vec3;
  high: Vec3;
}

/** An area that sends out light evenly, on one side: the one that it faces. */
export interface Lamp {
  name: string;
  kind: "rectangle" | "disc" | "sphere" | "spot";
  position: Vec3;
  /** Unit vector in which it shines; of no matter to a sphere. */
  facing: Vec3;
  /** Unit vector along its width. */
  across: Vec3;
  /** Metres: sides of a rectangle; diameters of a disc, sphere or spot, whose second is not used. */
  size: [number, number];
  /** Radiance in plate units; of a spot on its axis. */
  radiance: Vec3;
  /** Spot: radians from the axis up to which it is full, and beyond which it is dark. */
  cone?: { inner: number; outer: number };
  /**
   * Of a sphere: its radiance by direction over the mean of all; by column around `facing` from `across` on, at every
   * degree from `facing`.
   */
  profile?: { columns: number; values: readonly number[] } | null;
}

/** A thin lens. Lengths in metres. */
export interface Aperture {
  radius: number;
  /** Distance of the plane in focus along the view axis. */
  focus: number;
  /** Blades of the iris, below 3 for a round opening, and their turn in radians. */
  blades: number;
  turn: number;
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

/**
 * What casts a shade that the plate has, as an upright silhouette: it hides sky, and sends back
 * a tone of its own. The sun itself is the mask's.
 */
export interface Caster {
  /** Horizontal unit vector to the sun. */
  toSun: [number, number];
  /** Metres from the world's origin towards the sun, and how many more a metre along (-y, x) of the vector to it. */
  foot: number;
  slant: number;
  /** Metres along (-y, x) where it begins, and its width. */
  left: number;
  span: number;
  /** Height of the ground, and its own above that. */
  ground: number;
  tall: number;
  /** Radiance of its shaded face, in plate units. */
  radiance: Vec3;
  /** Share of what is behind that a cell hides; rows upwards. */
  width: number;
  height: number;
  hides: Float32Array;
}

/** How an environment's picture stands around the place. */
export interface Surround {
  /** 3 × 3, row-major: from the world's directions to those of the picture. May mirror. */
  turn: number[];
  /** Factor on its values. */
  gain: Vec3;
  /** Where the place is near: a sphere or box in world axes, by the half of its sides. Null for endless. */
  extent: { kind: "sphere" | "box" | "dome"; centre: Vec3; half: Vec3 } | null;
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
  /** Latitude-longitude picture of the light all around, instead of an even sky: +Y in its middle, up at the top. */
  environment?: Picture | null;
  /** How that picture stands around the place; missing or null for as it is. */
  surround?: Surround | null;
  lamps?: Lamp[];
  /** Openings of closed rooms: points within draw the sky through them, with the same light and less noise. */
  portals?: Portal[];
  /** Missing or null for a pinhole. */
  aperture?: Aperture | null;
  /** Endless floor: bounces, is never seen by the camera. */
  floor: { height: number; albedo: Vec3 } | null;
  plate: Picture | null;
  /** Share of the sun that the plate's own marked shadows leave, over the frame. */
  mask: { width: number; height: number; values: Float32Array } | null;
  /** What casts those shadows, as far as they tell of it. */
  casters?: Caster[];
  /** Latitude-longitude picture that camera rays see behind everything. */
  backdrop: Picture | null;
  /** True: render all as seen, sky included. False: props and catchers over a plate. */
  picture: boolean;
}

/** The sun's mean angular radius as seen from the earth: half of 0.533 degrees (common practice, no published source). */
export const SUN_ANGULAR_RADIUS = (0.533 / 2) * (Math.PI / 180);
