import type { Draft } from "immer";
import type { Vec2 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";

/** Something on the plate that can be grabbed: a point, or a whole segment. */
export interface Handle {
  key: string;
  /** The thing it belongs to, for selection. */
  owner: string;
  at: Vec2;
  /** Second end of a segment. */
  to?: Vec2;
  /** Name of the edit that a drag makes. */
  edit: string;
  drag: (draft: Draft<Shot>, pixel: Vec2, delta: Vec2) => void;
  /** Prop that is brought into contact with what it was dragged over. */
  settles?: string;
  /** For what goes in metres: the ways it goes, how far a pixel takes it, and putting it there. */
  typed?: {
    names: string[];
    read: (pixel: Vec2) => number[] | null;
    put: (draft: Draft<Shot>, metres: readonly number[]) => void;
  };
}

export const moved = (p: Vec2, d: Vec2): Vec2 => [p[0] + d[0], p[1] + d[1]];

/** The handle under a plate pixel within `reach` plate pixels; points win over segments. */
export function handleAt(handles: Handle[], pixel: Vec2, reach: number): Handle | null {
  let best: Handle | null = null;
  let nearest = reach;
  for (const h of handles) {
    if (h.to) continue;
    const d = Math.hypot(h.at[0] - pixel[0], h.at[1] - pixel[1]);
    if (d < nearest) {
      nearest = d;
      best = h;
    }
  }
  if (best) return best;
  nearest = reach * 0.7;
  for (const h of handles) {
    if (!h.to) continue;
    const [dx, dy] = [h.to[0] - h.at[0], h.to[1] - h.at[1]];
    const t = Math.min(
      1,
      Math.max(0, ((pixel[0] - h.at[0]) * dx + (pixel[1] - h.at[1]) * dy) / (dx * dx + dy * dy || 1)),
    );
    const d = Math.hypot(pixel[0] - h.at[0] - t * dx, pixel[1] - h.at[1] - t * dy);
    if (d < nearest) {
      nearest = d;
      best = h;
    }
  }
  return best;
}
