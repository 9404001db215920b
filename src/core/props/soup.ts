/**
 * Triangles as simple formats have them, brought in order: corners welded, what has no area left out, fronts turned
 * outwards, normals made where there are none.
 */
export interface Soup {
  name: string;
  /** Three numbers a corner. */
  positions: Float32Array;
  /** The same, or null to be made. */
  normals: Float32Array | null;
  /** Two a corner, V pointing up as in OBJ and PLY. */
  uvs: Float32Array | null;
  /** RGBA bytes of a corner, as on a screen. */
  colours: Uint8Array | null;
  indices: Uint32Array;
}

/** What was mended; sums over all meshes of a file. */
export interface Repairs {
  flat: number;
  turned: number;
  normalsMade: number;
  /** Faces of more than four corners, and of four that are not convex, cut into triangles. */
  polygons: number;
  broken: number;
}

export const noRepairs = (): Repairs => ({ flat: 0, turned: 0, normalsMade: 0, polygons: 0, broken: 0 });

/** Faces that meet at less than this are smooth: cosine of 40° (common practice, no published source). */
const CREASE = Math.cos((40 * Math.PI) / 180);

/** Numbers of the places that corners stand at, the same number for the same place, and a corner at each of them. */
export function placesOf({ positions }: Pick<Soup, "positions">): {
  place: Uint32Array;
  count: number;
  firsts: number[];
} {
  const n = positions.length / 3;
  const place = new Uint32Array(n);
  const bits = new Uint32Array(positions.buffer, positions.byteOffset, positions.length);
  const size = 2 ** Math.ceil(Math.log2(Math.max(16, n * 2)));
  const table = new Int32Array(size).fill(-1);
  const firsts: number[] = [];
  for (let i = 0; i < n; i++) {
    const at = i * 3;
    // Zeros of either sign are one place.
    const x = positions[at] === 0 ? 0 : bits[at];
    const y = positions[at + 1] === 0 ? 0 : bits[at + 1];
    const z = positions[at + 2] === 0 ? 0 : bits[at + 2];
    let h = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) >>> 0;
    h = (Math.imul(h ^ (h >>> 15), 0x2c1b3c6d) >>> 0) & (size - 1);
    for (;;) {
      const known = table[h];
      if (known < 0) {
        table[h] = firsts.length;
        place[i] = firsts.length;
        firsts.push(i);
        break;
      }
      const j = firsts[known] * 3;
      if (
        positions[j] === positions[at] &&
        positions[j + 1] === positions[at + 1] &&
        positions[j + 2] === positions[at + 2]
      ) {
        place[i] = known;
        break;
      }
      h = (h + 1) & (size - 1);
    }
  }
  return { place, count: firsts.length, firsts };
}

const crossOf = (p: Float32Array, a: number, b: number, c: number): [number, number, number] => {
  const [ux, uy, uz] = [p[b * 3] - p[a * 3], p[b * 3 + 1] - p[a * 3 + 1], p[b * 3 + 2] - p[a * 3 + 2]];
  const [vx, vy, vz] = [p[c * 3] - p[a * 3], p[c * 3 + 1] - p[a * 3 + 1], p[c * 3 + 2] - p[a * 3 + 2]];
  return [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
};

/** Triangles that have an area and corners that are numbers. */
function keptTriangles(soup: Soup, place: Uint32Array, repairs: Repairs): Uint32Array {
  const { indices, positions } = soup;
  const kept = new Uint32Array(indices.length);
  let n = 0;
  for (let i = 0; i + 2 < indices.length; i += 3) {
    const a = indices[i];
    const b = indices[i + 1];
    const c = indices[i + 2];
    const cross = crossOf(positions, a, b, c);
    const area = cross[0] * cross[0] + cross[1] * cross[1] + cross[2] * cross[2];
    if (!Number.isFinite(area)) repairs.broken++;
    else if (area === 0 || place[a] === place[b] || place[b] === place[c] || place[a] === place[c]) repairs.flat++;
    else {
      kept[n] = a;
      kept[n + 1] = b;
      kept[n + 2] = c;
      n += 3;
    }
  }
  return kept.subarray(0, n);
}

/** Where a key of whole numbers is looked for first in a table of a power of two. */
function slotOf(a: number, b: number, c: number, d: number, mask: number): number {
  let h = Math.imul(a, 0x9e3779b1) ^ Math.imul(b, 0x85ebca6b) ^ Math.imul(c, 0xc2b2ae35) ^ Math.imul(d, 0x27d4eb2f);
  h = Math.imul(h ^ (h >>> 15), 0x2c1b3c6d);
  return ((h ^ (h >>> 13)) >>> 0) & mask;
}

const tableFor = (entries: number): Int32Array =>
  new Int32Array(2 ** Math.ceil(Math.log2(Math.max(16, entries * 1.6)))).fill(-1);

/** The half-edge across each one's side; -1 where a side has not exactly two triangles. */
function twinsOf(triangles: Uint32Array, place: Uint32Array): Int32Array {
  const n = triangles.length;
  const twin = new Int32Array(n).fill(-1);
  const uses = new Uint8Array(n);
  // The first half-edge of each side.
  const table = tableFor(n);
  const mask = table.length - 1;
  const end = (h: number) => place[triangles[h % 3 === 2 ? h - 2 : h + 1]];
  for (let h = 0; h < n; h++) {
    const from = place[triangles[h]];
    const to = end(h);
    const low = from < to ? from : to;
    const high = from < to ? to : from;
    for (let slot = slotOf(low, high, 0, 0, mask); ; slot = (slot + 1) & mask) {
      const first = table[slot];
      if (first < 0) {
        table[slot] = h;
        uses[h] = 1;
        break;
      }
      const a = place[triangles[first]];
      const b = end(first);
      if ((a !== low || b !== high) && (a !== high || b !== low)) continue;
      if (uses[first] === 1) {
        twin[h] = first;
        twin[first] = h;
      } else if (twin[first] >= 0) {
        twin[twin[first]] = -1;
        twin[first] = -1;
      }
      if (uses[first] < 3) uses[first]++;
      break;
    }
  }
  return twin;
}

/**
 * Turns triangles so that neighbours agree, and closed bodies show their outside. Returns how many were turned.
 * Sides of more than two triangles join nothing: what hangs there keeps its own sense.
 */
function turnOutwards(positions: Float32Array, triangles: Uint32Array, place: Uint32Array): number {
  const count = triangles.length / 3;
  const twin = twinsOf(triangles, place);
  const from = (h: number) => place[triangles[h]];
  const flip = new Int8Array(count).fill(-1);
  let turned = 0;
  for (let seed = 0; seed < count; seed++) {
    if (flip[seed] >= 0) continue;
    flip[seed] = 0;
    const body = [seed];
    let closed = true;
    for (let k = 0; k < body.length; k++) {
      for (let e = 0; e < 3; e++) {
        const h = body[k] * 3 + e;
        const t = twin[h];
        if (t < 0) {
          closed = false;
          continue;
        }
        const next = (t - (t % 3)) / 3;
        if (flip[next] >= 0) continue;
        // Neighbours that agree go along their side in opposite ways.
        const same = from(h) === from(t);
        flip[next] = same ? 1 - flip[body[k]] : flip[body[k]];
        body.push(next);
      }
    }
    let volume = 0;
    const o = triangles[seed * 3] * 3;
    const at = (i: number, k: number) => positions[i + k] - positions[o + k];
    for (const t of body) {
      const a = triangles[t * 3] * 3;
      const b = triangles[t * 3 + 1] * 3;
      const c = triangles[t * 3 + 2] * 3;
      const triple =
        at(a, 0) * (at(b, 1) * at(c, 2) - at(b, 2) * at(c, 1)) +
        at(a, 1) * (at(b, 2) * at(c, 0) - at(b, 0) * at(c, 2)) +
        at(a, 2) * (at(b, 0) * at(c, 1) - at(b, 1) * at(c, 0));
      volume += flip[t] ? -triple : triple;
    }
    const flips = body.reduce((sum, t) => sum + flip[t], 0);
    // An open sheet has no outside: most of it is right.
    const inwards = closed ? volume < 0 : flips * 2 > body.length;
    for (const t of body) {
      if ((flip[t] === 1) === inwards) continue;
      turned++;
      const second = triangles[t * 3 + 1];
      triangles[t * 3 + 1] = triangles[t * 3 + 2];
      triangles[t * 3 + 2] = second;
    }
  }
  return turned;
}

/** Normals of corners from the faces around that meet smoothly, by area; three for each corner of each triangle. */
function madeNormals(
  positions: Float32Array,
  triangles: Uint32Array,
  place: Uint32Array,
  places: number,
): Float32Array {
  const count = triangles.length / 3;
  const face = new Float32Array(count * 3);
  for (let t = 0; t < count; t++) {
    const cross = crossOf(positions, triangles[t * 3], triangles[t * 3 + 1], triangles[t * 3 + 2]);
    for (let k = 0; k < 3; k++) face[t * 3 + k] = cross[k];
  }
  const starts = new Uint32Array(places + 1);
  for (const corner of triangles) starts[place[corner] + 1]++;
  for (let i = 0; i < places; i++) starts[i + 1] += starts[i];
  const around = new Uint32Array(triangles.length);
  const fill = starts.slice();
  triangles.forEach((corner, h) => (around[fill[place[corner]]++] = (h - (h % 3)) / 3));
  const lengthOf = new Float32Array(count);
  for (let t = 0; t < count; t++) lengthOf[t] = Math.hypot(face[t * 3], face[t * 3 + 1], face[t * 3 + 2]);
  const normals = new Float32Array(triangles.length * 3);
  for (let h = 0; h < triangles.length; h++) {
    const t = (h - (h % 3)) / 3;
    const nx = face[t * 3];
    const ny = face[t * 3 + 1];
    const nz = face[t * 3 + 2];
    let x = 0;
    let y = 0;
    let z = 0;
    const p = place[triangles[h]];
    for (let k = starts[p]; k < starts[p + 1]; k++) {
      const o = around[k];
      const ox = face[o * 3];
      const oy = face[o * 3 + 1];
      const oz = face[o * 3 + 2];
      if (nx * ox + ny * oy + nz * oz < CREASE * lengthOf[t] * lengthOf[o]) continue;
      x += ox;
      y += oy;
      z += oz;
    }
    const l = Math.hypot(x, y, z) || 1;
    normals[h * 3] = x / l;
    normals[h * 3 + 1] = y / l;
    normals[h * 3 + 2] = z / l;
  }
  return normals;
}

/** Normals are the same where they agree to this share. */
const NORMAL_STEPS = 2048;

/** A soup in order, each corner once; its normals are there. Null if nothing is left of it. */
export function tidied(soup: Soup, repairs: Repairs): (Soup & { normals: Float32Array }) | null {
  const { positions, uvs, colours } = soup;
  const { place, count } = placesOf(soup);
  const triangles = keptTriangles(soup, place, repairs);
  if (triangles.length === 0) return null;
  repairs.turned += turnOutwards(positions, triangles, place);
  const given = soup.normals;
  if (!given) repairs.normalsMade++;
  const made = given ? null : madeNormals(positions, triangles, place, count);
  // Corners as they are kept: the first half-edge that has each, and its normal in whole steps.
  const table = tableFor(triangles.length);
  const mask = table.length - 1;
  const firsts = new Uint32Array(triangles.length);
  const indices = new Uint32Array(triangles.length);
  const byPlace = made !== null && !uvs && !colours;
  const ownOf = (h: number) => (byPlace ? place[triangles[h]] : triangles[h]);
  const step = (h: number, k: number) => (made ? Math.round(made[h * 3 + k] * NORMAL_STEPS) : 0);
  let kept = 0;
  for (let h = 0; h < triangles.length; h++) {
    const own = ownOf(h);
    const x = step(h, 0);
    const y = step(h, 1);
    const z = step(h, 2);
    for (let slot = slotOf(own, x, y, z, mask); ; slot = (slot + 1) & mask) {
      const known = table[slot];
      if (known < 0) {
        table[slot] = kept;
        firsts[kept] = h;
        indices[h] = kept++;
        break;
      }
      const f = firsts[known];
      if (ownOf(f) === own && step(f, 0) === x && step(f, 1) === y && step(f, 2) === z) {
        indices[h] = known;
        break;
      }
    }
  }
  /** What is kept of a list, `each` numbers a corner, told by corner or by half-edge. */
  const picked = <T extends Float32Array | Uint8Array>(list: T, each: number, byHalfEdge = false): T => {
    const out = new (list.constructor as new (length: number) => T)(kept * each);
    for (let i = 0; i < kept; i++) {
      const from = (byHalfEdge ? firsts[i] : triangles[firsts[i]]) * each;
      for (let k = 0; k < each; k++) out[i * each + k] = list[from + k];
    }
    return out;
  };
  return {
    name: soup.name,
    positions: picked(positions, 3),
    normals: made ? picked(made, 3, true) : picked(given!, 3),
    uvs: uvs && picked(uvs, 2),
    colours: colours && picked(colours, 4),
    indices,
  };
}
