import type { Vec3 } from "../math/vec3.ts";
import { cross, distance, length, normalize, sub } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { projectPoint } from "../optics/camera.ts";
import { triangulate } from "./face.ts";
import { facesOf } from "./faces.ts";
import type { SetRecord } from "./parts/index.ts";
import { pickAlong } from "./pick.ts";
import { faceKey, isSeen } from "./surface.ts";

/** How much of a surface the camera sees. Shares of its area; they sum to 1. */
export interface Coverage {
  seen: number;
  /** Behind another face, or behind itself. */
  hidden: number;
  /** Beside the plate's frame, or behind the camera. */
  outside: number;
}

/** Points that are looked at. */
const SAMPLES = 512;
/** Steps of the R2 sequence (Roberts 2018, "The unreasonable effectiveness of quasirandom sequences"). */
const R2 = [0.7548776662466927, 0.5698402909980532];
/** A point counts as seen where the nearest face is not nearer than this share of its distance. */
const SAME = 1e-4;

/** Shares of a part, or of the faces of it that have one surface; null without area. */
export function coverageOf(
  set: SetRecord,
  at: { part: string; key?: string | null },
  camera: Camera,
  frame: Frame,
): Coverage | null {
  const part = set[at.part];
  const corners: Vec3[] = [];
  const areas: number[] = [];
  let area = 0;
  for (const face of part ? facesOf(set, at.part) : []) {
    if (at.key && faceKey(part, face.id) !== at.key) continue;
    const points = face.rings.flat();
    const numbers = triangulate(face);
    for (let i = 0; i < numbers.length; i += 3) {
      const [a, b, c] = [points[numbers[i]], points[numbers[i + 1]], points[numbers[i + 2]]];
      area += length(cross(sub(b, a), sub(c, a))) / 2;
      corners.push(a, b, c);
      areas.push(area);
    }
  }
  if (area === 0) return null;
  const counts = { seen: 0, hidden: 0, outside: 0 };
  let triangle = 0;
  for (let i = 0; i < SAMPLES; i++) {
    const target = ((i + 0.5) / SAMPLES) * area;
    while (areas[triangle] < target) triangle++;
    const [a, b, c] = [corners[triangle * 3], corners[triangle * 3 + 1], corners[triangle * 3 + 2]];
    let [s, t] = [(i * R2[0]) % 1, (i * R2[1]) % 1];
    if (s + t > 1) [s, t] = [1 - s, 1 - t];
    const point = a.map((x, k) => x + s * (b[k] - x) + t * (c[k] - x)) as Vec3;
    counts[stateOf(set, at.part, point, camera, frame)]++;
  }
  return { seen: counts.seen / SAMPLES, hidden: counts.hidden / SAMPLES, outside: counts.outside / SAMPLES };
}

function stateOf(set: SetRecord, part: string, point: Vec3, camera: Camera, frame: Frame): keyof Coverage {
  const pixel = projectPoint(camera, point);
  if (!pixel || pixel[0] < 0 || pixel[1] < 0 || pixel[0] > frame.width || pixel[1] > frame.height) return "outside";
  const far = distance(camera.position, point);
  const met = pickAlong(
    set,
    camera.position,
    normalize(sub(point, camera.position)),
    (other, face) => isSeen(other, face) || other.id === part,
  );
  return met && met.distance < far * (1 - SAME) ? "hidden" : "seen";
}
