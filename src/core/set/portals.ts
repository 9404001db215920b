import type { Vec3 } from "../math/vec3.ts";
import { sub } from "../math/vec3.ts";
import { bareFacesOf } from "./bare.ts";
import { faceNormal } from "./face.ts";
import type { SetRecord } from "./parts/index.ts";
import { openingRing } from "./parts/opening.ts";

/** A rectangular opening of a closed room, through which alone the sky is seen from within. */
export interface RoomOpening {
  id: string;
  corner: Vec3;
  /** Its sides from that corner, at a right angle, metres. */
  sides: [Vec3, Vec3];
  /** Unit vector into the room. */
  inwards: Vec3;
  /** Box of the room. */
  low: Vec3;
  high: Vec3;
}

/** Openings without a pane of the set's rooms that keep outside light out. */
export function roomOpenings(set: SetRecord): RoomOpening[] {
  return Object.values(set).flatMap((opening): RoomOpening[] => {
    if (opening.kind !== "opening" || opening.muted || opening.pane) return [];
    const room = set[opening.on.part];
    // A room whose roof was raised is a shell; one that looks outwards has nobody within its box before its windows.
    if ((room?.kind !== "room" && room?.kind !== "shell") || room.muted || !room.flags.blocks) return [];
    const faces = bareFacesOf(set, room.id);
    const host = faces.find(({ id }) => id === opening.on.face);
    const ring = host && openingRing(opening, host);
    if (!host || !ring) return [];
    const corners = faces.flatMap(({ rings }) => rings[0]);
    const bound = (of: (...values: number[]) => number) =>
      [0, 1, 2].map((k) => of(...corners.map((p) => p[k]))) as Vec3;
    return [
      {
        id: opening.id,
        corner: ring[0],
        sides: [sub(ring[1], ring[0]), sub(ring[3], ring[0])],
        inwards: faceNormal(host),
        low: bound(Math.min),
        high: bound(Math.max),
      },
    ];
  });
}
