import type { Vec2, Vec3 } from "#core/math/vec3";
import { toRadians } from "#core/math/vec3";
import {
  approach,
  focalWithDistance,
  metresPerPixel,
  moveHorizon,
  orbit,
  ownAxis,
  roll,
  rollAbout,
  slidePicture,
  straighten,
  walk,
  zoomLens,
} from "#core/match/handMoves";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";

/** Moves of a camera matched by hand, each told what it changes so that locks can hold it back. */
export type HandMove =
  | "left"
  | "right"
  | "up"
  | "down"
  | "roll-left"
  | "roll-right"
  | "nearer"
  | "farther"
  | "tighter"
  | "wider"
  | "zoom-in"
  | "zoom-out"
  | "walk-forward"
  | "walk-back"
  | "walk-left"
  | "walk-right"
  | "raise"
  | "lower"
  | "around-left"
  | "around-right"
  | "around-up"
  | "around-down"
  | "horizon-up"
  | "horizon-down"
  | "upright"
  | "level";

type Part = "rotation" | "lens" | "position";

const CHANGES: Record<HandMove, Part[]> = {
  left: ["rotation"],
  right: ["rotation"],
  up: ["rotation"],
  down: ["rotation"],
  "roll-left": ["rotation"],
  "roll-right": ["rotation"],
  nearer: ["position"],
  farther: ["position"],
  tighter: ["lens", "position"],
  wider: ["lens", "position"],
  "zoom-in": ["lens"],
  "zoom-out": ["lens"],
  "walk-forward": ["position"],
  "walk-back": ["position"],
  "walk-left": ["position"],
  "walk-right": ["position"],
  raise: ["position"],
  lower: ["position"],
  "around-left": ["rotation", "position"],
  "around-right": ["rotation", "position"],
  "around-up": ["rotation", "position"],
  "around-down": ["rotation", "position"],
  "horizon-up": ["rotation"],
  "horizon-down": ["rotation"],
  upright: ["rotation"],
  level: ["rotation"],
};

/** A locked part that a move would change, or null. */
export const heldBack = (move: HandMove, locks: Shot["match"]["locks"]): Part | null =>
  CHANGES[move].find((part) => locks[part]) ?? null;

export type TurnAxis = "x" | "y" | "z" | "view";

const AXES: Record<"x" | "y" | "z", Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/**
 * The camera after a move. Steps are in what is seen: ten pixels of the plate (fine: one), two per cent of distance or
 * focal length (fine: a fifth), half a degree (fine: a twentieth). `axis` locks turns about the held point.
 */
export function movedByHand(shot: Shot, camera: Camera, move: HandMove, fine: boolean, axis: TurnAxis): Camera {
  const px = fine ? 1 : 10;
  const share = fine ? 1.002 : 1.02;
  const angle = toRadians(fine ? 0.05 : 0.5);
  const frame = shotFrame(shot);
  const middle: Vec2 = [frame.width / 2, frame.height / 2];
  const { held } = shot.match;
  // Without a held point what stands before the camera at ground level, or ten metres off, is meant.
  const ahead = held?.world ?? before(camera);
  const hold = held ? { point: held.world, pixel: projectPoint(camera, held.world) ?? held.pixel } : null;
  const metres = Math.max(0.002, metresPerPixel(camera, ahead) * px);
  const turns = !shot.match.locks.rotation;
  const slide = (dx: number, dy: number) => slidePicture(camera, middle, [middle[0] + dx, middle[1] + dy]);
  const around = (s: number, upDown: boolean) => {
    const about = axis === "view" ? (upDown ? ownAxis(camera, 0) : ([0, 0, 1] as Vec3)) : AXES[axis];
    return orbit(camera, ahead, about, s * angle);
  };
  switch (move) {
    case "left":
      return slide(-px, 0);
    case "right":
      return slide(px, 0);
    case "up":
      return slide(0, -px);
    case "down":
      return slide(0, px);
    case "roll-left":
    case "roll-right": {
      const s = move === "roll-left" ? -angle : angle;
      return held ? rollAbout(camera, held.world, s) : roll(camera, s);
    }
    case "nearer":
      return approach(camera, ahead, 1 / share);
    case "farther":
      return approach(camera, ahead, share);
    case "tighter":
      return focalWithDistance(camera, ahead, share);
    case "wider":
      return focalWithDistance(camera, ahead, 1 / share);
    case "zoom-in":
      return zoomLens(camera, share, turns ? hold : null);
    case "zoom-out":
      return zoomLens(camera, 1 / share, turns ? hold : null);
    case "walk-forward":
      return walk(camera, { forward: metres * 4 }, hold, turns);
    case "walk-back":
      return walk(camera, { forward: -metres * 4 }, hold, turns);
    case "walk-left":
      return walk(camera, { right: -metres }, hold, turns);
    case "walk-right":
      return walk(camera, { right: metres }, hold, turns);
    case "raise":
      return walk(camera, { up: metres }, hold, turns);
    case "lower":
      return walk(camera, { up: -metres }, hold, turns);
    case "around-left":
      return around(1, false);
    case "around-right":
      return around(-1, false);
    case "around-up":
      return around(1, true);
    case "around-down":
      return around(-1, true);
    case "horizon-up":
      return moveHorizon(camera, -px);
    case "horizon-down":
      return moveHorizon(camera, px);
    case "upright":
      return straighten(camera, false);
    case "level":
      return straighten(camera, true);
  }
}

/** Where the camera looks at the ground, or ten metres ahead. */
function before(camera: Camera): Vec3 {
  const f = camera.rotation[2];
  const t = f[2] < -0.02 ? Math.min(60, camera.position[2] / -f[2]) : 10;
  return [0, 1, 2].map((k) => camera.position[k] + f[k] * Math.max(0.5, t)) as Vec3;
}

/** Keys of the hand moves, as they are pressed on the plate. */
export function handMoveOf(e: KeyboardEvent): HandMove | null {
  const arrows: Record<string, [HandMove, HandMove, HandMove]> = {
    ArrowLeft: ["left", "walk-left", "around-left"],
    ArrowRight: ["right", "walk-right", "around-right"],
    ArrowUp: ["up", "walk-forward", "around-up"],
    ArrowDown: ["down", "walk-back", "around-down"],
    PageUp: ["nearer", "raise", "horizon-up"],
    PageDown: ["farther", "lower", "horizon-down"],
  };
  const found = arrows[e.key];
  if (found) return found[e.altKey ? 1 : e.ctrlKey || e.metaKey ? 2 : 0];
  const keys: Record<string, HandMove> = {
    "+": "tighter",
    "=": "tighter",
    "-": "wider",
    "]": "zoom-in",
    "[": "zoom-out",
    ",": "roll-left",
    ".": "roll-right",
  };
  return keys[e.key] ?? null;
}
