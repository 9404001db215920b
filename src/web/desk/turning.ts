import type { Draft } from "immer";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { sub } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { turnAlong, turnedAbout } from "#core/props/align";
import { faceNormal } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import { pickFace } from "#core/set/pick";
import { movesWith } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";
import { distanceToLine } from "./drawing.ts";
import { plateSight } from "./sight.ts";

/** An edge is meant within so many pixels of the screen. */
const REACH = 12;

/** Turning the chosen prop, and what moves with it: about a point that was picked, and along what the set has. */
export function useTurning() {
  const desk = useDesk();
  const store = useShot();
  const notices = useNotices();

  /** Turns a prop, with what moves with it, by degrees about the picked point, or else about its foot. */
  function turnBy(draft: Draft<Shot>, id: string, deg: number): void {
    const about = (desk.pivot?.prop === id ? desk.pivot.at : [...draft.props[id].placement.position]) as Vec3;
    for (const other of movesWith(draft as Shot, id, desk.beside(id))) {
      const { placement } = draft.props[other];
      Object.assign(placement, turnedAbout({ ...placement, position: placement.position as Vec3 }, about, deg));
    }
  }

  /** Direction of the set's edge that is nearest to a pixel, or along the wall that is there; null where neither is. */
  function directionAt(shot: Shot, camera: Camera, pixel: Vec2): Vec3 | null {
    const sight = plateSight(camera);
    let best: { off: number; direction: Vec3 } | null = null;
    for (const part of Object.values(shot.set)) {
      if (part.muted) continue;
      for (const face of facesOf(shot.set, part.id))
        for (const ring of face.rings)
          ring.forEach((a, i) => {
            const b = ring[(i + 1) % ring.length];
            const off = distanceToLine(sight.line(a, b), pixel) * desk.scale;
            if (off < REACH && off < (best?.off ?? Infinity)) best = { off, direction: sub(b, a) };
          });
    }
    if (best) return (best as { direction: Vec3 }).direction;
    const met = pickFace(shot.set, camera, pixel);
    const normal = met && faceNormal(met.face);
    // A wall runs at right angles to where it faces; a floor has no direction of its own.
    return normal && Math.abs(normal[2]) < 0.9 ? [-normal[1], normal[0], 0] : null;
  }

  /** A click with the tool that aligns; the tool is laid down once the prop is turned. */
  async function align(shot: Shot, camera: Camera | null, pixel: Vec2): Promise<void> {
    const prop = desk.selected ? shot.props[desk.selected] : undefined;
    if (!prop || !camera) {
      notices.say("warn", "No prop is chosen.", "Click a prop first, then an edge of the set or a wall.");
      return;
    }
    const direction = directionAt(shot, camera, pixel);
    const by = direction && turnAlong(prop.placement.turnDeg, direction);
    if (by === null) {
      notices.say("warn", "No edge with a direction over the ground is there.", "Click an edge of the set, or a wall.");
      return;
    }
    desk.choose("pick");
    await store.commit(`Align ${prop.name}`, (d) => turnBy(d, prop.id, by));
  }

  /** The point that the chosen prop is turned about from now on. */
  function pivotAt(shot: Shot, at: Vec3 | null): void {
    const prop = desk.selected ? shot.props[desk.selected] : undefined;
    if (!prop || !at) {
      notices.say(
        "warn",
        prop ? "Nothing is there to turn about." : "No prop is chosen.",
        "Click a prop first, then a point of a prop, the set or the ground.",
      );
      return;
    }
    desk.choose("pick");
    desk.pivot = { prop: prop.id, at };
    desk.propDrawer = "place";
  }

  return { turnBy, align, pivotAt };
}
