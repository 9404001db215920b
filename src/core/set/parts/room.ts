import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, scale, sub } from "../../math/vec3.ts";
import { Positive, pointsFrom } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { ringArea } from "../face.ts";
import { VertexSchema, typedVertex } from "../vertex.ts";
import { alongLine, cornerHandles, fromDrawn, placedOnRing, sideHandles, worlds } from "./common.ts";
import type { PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A room: floor, walls and ceiling that look inwards, closed all around. */
export const RoomSchema = v.object({
  ...partBase,
  kind: v.literal("room"),
  floor: pointsFrom(VertexSchema, 3),
  height: Positive,
});
export type Room = v.InferOutput<typeof RoomSchema>;

function roomFaces(part: Room): Face[] {
  const given = worlds(part.floor);
  const ring = ringArea(given)[2] < 0 ? [...given].reverse() : given;
  const top = ring.map((p): Vec3 => [p[0], p[1], p[2] + part.height]);
  return [
    { id: "floor", rings: [ring] },
    ...ring.map((a, i): Face => {
      const j = (i + 1) % ring.length;
      return { id: `wall-${i + 1}`, rings: [[ring[j], a, top[i], top[j]]] };
    }),
    { id: "ceiling", rings: [[...top].reverse()] },
  ];
}

/** How far behind the camera a new room is closed, metres. */
const BEHIND = 1;

/**
 * Floor of a room from two or three of its corners, seen from inside: the fourth side is where it must be for the room
 * to hold the camera. With two corners the wall between them is the far one.
 */
function floorAround(corners: Vec3[], eye: Vec3): Vec3[] {
  const z = corners[0][2];
  const level = corners.map((p): Vec3 => [p[0], p[1], z]);
  const past = (from: Vec3, direction: Vec3): Vec3 => {
    const reach = Math.max(0, dot(sub([eye[0], eye[1], z], from), direction)) + BEHIND;
    return add(from, scale(direction, reach));
  };
  if (level.length === 2) {
    const [a, b] = level;
    const along = sub(b, a);
    const length = Math.hypot(along[0], along[1]) || 1;
    let inwards: Vec3 = [-along[1] / length, along[0] / length, 0];
    if (dot(inwards, sub(eye, a)) < 0) inwards = scale(inwards, -1);
    return [a, b, past(b, inwards), past(a, inwards)];
  }
  const [a, b, c] = level;
  const [toA, toC] = [sub(a, b), sub(c, b)];
  const unit = (d: Vec3): Vec3 => scale(d, 1 / (Math.hypot(d[0], d[1]) || 1));
  // The walls from the middle corner go on until the room holds the camera.
  const farther = (end: Vec3, direction: Vec3): Vec3 => {
    const needed = dot(sub([eye[0], eye[1], z], b), direction) + BEHIND;
    const has = dot(sub(end, b), direction);
    return needed > has ? add(b, scale(direction, needed)) : end;
  };
  const [p, q] = [farther(a, unit(toA)), farther(c, unit(toC))];
  return [p, b, q, add(p, sub(q, b))];
}

export const room: PartKind<Room> = {
  title: "Room",
  schema: RoomSchema,
  faces: roomFaces,
  vertices: (part) => placedOnRing(part.floor),
  stretch: (part, share) => (part.height *= share),
  handles: (part) => {
    const foot = part.floor[0].world;
    return [
      ...cornerHandles<Room>(part.floor, (p) => p.floor),
      ...sideHandles<Room>(part.floor, (p) => p.floor, "Move wall"),
      ...part.floor.map((corner, i) => ({
        key: `ceiling-${i}`,
        at: add(corner.world, [0, 0, part.height]),
        edit: "Raise ceiling",
        along: { direction: LEVEL },
        put: (p: Room, to: Vec3) => {
          const height = alongLine(foot, LEVEL, to);
          if (height > 0.05) p.height = height;
        },
      })),
    ];
  },
  camera: "inside",
  frontOnly: true,
  floors: (face) => face !== "ceiling",
  fields: (part) => [
    {
      key: "height",
      label: "ceiling",
      unit: "length",
      value: part.height,
      least: 0.05,
      put: (p, value) => (p.height = value),
    },
  ],
  draw: {
    label: "room",
    icon: "pi-home",
    key: "r",
    hints: [
      "Room: click a floor corner, going along the walls",
      "now the next floor corner",
      "now the third floor corner; what lies behind the camera is closed by itself",
      "now a point of the ceiling line above the first corner",
    ],
    takes: ["surface", "plane", "plane", "upright"],
    build: (points, { eye }) => {
      const [a, b, c, top] = points;
      const height = top.world[2] - a.world[2];
      if (height < 0.05) return "The ceiling must be above the floor. Click higher.";
      const area = ringArea([a.world, b.world, c.world]);
      if (Math.hypot(...area) < 1e-4) return "The three corners lie on one line. Click a corner to the side.";
      const clicked = [a, b, c];
      const floor = floorAround(
        clicked.map((p) => p.world),
        eye,
      ).map((world) => {
        const own = clicked.find((p) => Math.hypot(...sub(p.world, world)) < 1e-9);
        return own ? fromDrawn(own) : typedVertex(world);
      });
      return { kind: "room", floor, height };
    },
  },
};
