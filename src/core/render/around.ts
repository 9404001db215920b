import { lampsLit } from "../light/rig.ts";
import type { LightPart, Source } from "../light/schema.ts";
import type { Vec3 } from "../math/vec3.ts";
import { unlitBits } from "../trace/instances.ts";
import { measureFill } from "../trace/fill.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { Picture, PropPiece, TraceScene } from "../trace/scene.ts";
import type { LoadedScene } from "../trace/upload.ts";
import { SceneLoader } from "../trace/upload.ts";

/** What is around a place of a shot, as the tracer sees it from there: for what a view lights and mirrors its props by. */

/** Size of the picture all around, pixels; a pixel is 1.4 degrees. */
export const AROUND = { width: 256, height: 128 };
/** Size of the picture of irradiance, pixels. */
export const IRRADIANCE = { width: 48, height: 24 };
const MAX_DEPTH = 5;
/** Samples of the set's own gloss and light at a place of the plate, at first and for a finer picture. */
const FIRST_FILL = 2;
const FINE_FILL = 48;

/** The sources as they weigh on props, in place of their own level: what is shown needs no weighing afterwards. */
export function weighedShot<T extends LightPart>(shot: T): T {
  const scaled = (colour: Vec3, { strength, tint }: Source): Vec3 =>
    colour.map((x, k) => x * strength * tint[k]) as Vec3;
  const { sun, sky, lamps } = shot.light;
  return {
    ...shot,
    light: {
      ...shot.light,
      sun: { ...sun, irradiance: scaled(sun.irradiance, sun) },
      sky: { ...sky, radiance: scaled(sky.radiance, sky) },
      lamps: Object.fromEntries(
        Object.entries(lamps).map(([id, lamp]) => [id, { ...lamp, colour: scaled(lamp.colour, lamp) }]),
      ),
    },
  };
}

/** Lights that a place is looked around without: those that spare its prop, and those that light the set alone. */
export function unlitAround({ light }: LightPart, spared: PropPiece["unlit"]): NonNullable<PropPiece["unlit"]> {
  const setAlone = ({ lights }: Pick<Source, "lights">) => lights === "set";
  const lamps = lampsLit({ light }).flatMap((lamp, i) => (setAlone(lamp) || spared?.lamps.includes(i) ? [i] : []));
  return {
    sun: setAlone(light.sun) || (spared?.sun ?? false),
    sky: setAlone(light.sky) || (spared?.sky ?? false),
    lamps,
  };
}

/** Unit directions of the picture's pixels, three floats each: rows from the zenith down, columns from −y by way of −x; `at` is the place within the pixel. */
export function directionsAround(
  { width, height }: { width: number; height: number },
  at: [number, number],
): Float32Array {
  const ways = new Float32Array(width * height * 3);
  for (let j = 0; j < height; j++) {
    const polar = (Math.PI * (j + at[1])) / height;
    for (let i = 0; i < width; i++) {
      const turn = 2 * Math.PI * ((i + at[0]) / width - 0.5);
      const flat = Math.sin(polar);
      ways.set([flat * Math.sin(turn), flat * Math.cos(turn), Math.cos(polar)], (j * width + i) * 3);
    }
  }
  return ways;
}

/** Means of blocks of two by two pixels, each row by the solid angle that it has. Sides must be even. */
function halved({ width, height, pixels }: Picture): Picture {
  const small = { width: width / 2, height: height / 2 };
  const out = new Float32Array(small.width * small.height * 3);
  for (let j = 0; j < small.height; j++) {
    const rows = [2 * j, 2 * j + 1].map((row) => Math.sin((Math.PI * (row + 0.5)) / height));
    for (let i = 0; i < small.width; i++)
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (const [r, weight] of rows.entries()) {
          const from = ((2 * j + r) * width + 2 * i) * 3 + k;
          sum += weight * (pixels[from] + pixels[from + 3]);
        }
        out[(j * small.width + i) * 3 + k] = sum / (2 * (rows[0] + rows[1]));
      }
  }
  return { ...small, pixels: out };
}

/**
 * Irradiance of faces that look along the pixels of a picture of that size, from one all around (its sides even): radiance
 * times cosine over the half of it that a face sees (Lambert).
 */
export function irradianceAround(picture: Picture, size = IRRADIANCE): Picture {
  const { width, height, pixels } = halved(picture);
  const ways = directionsAround({ width, height }, [0.5, 0.5]);
  const normals = directionsAround(size, [0.5, 0.5]);
  const lit = new Float32Array(width * height * 3);
  for (let j = 0, i = 0; j < height; j++) {
    const top = Math.cos((Math.PI * j) / height);
    const solid = ((2 * Math.PI) / width) * (top - Math.cos((Math.PI * (j + 1)) / height));
    for (const end = (j + 1) * width * 3; i < end; i++) lit[i] = pixels[i] * solid;
  }
  const out = new Float32Array(normals.length);
  for (let n = 0; n < normals.length; n += 3) {
    const x = normals[n];
    const y = normals[n + 1];
    const z = normals[n + 2];
    let r = 0;
    let g = 0;
    let b = 0;
    for (let i = 0; i < ways.length; i += 3) {
      const cosine = x * ways[i] + y * ways[i + 1] + z * ways[i + 2];
      if (cosine <= 0) continue;
      r += cosine * lit[i];
      g += cosine * lit[i + 1];
      b += cosine * lit[i + 2];
    }
    out[n] = r;
    out[n + 1] = g;
    out[n + 2] = b;
  }
  return { ...size, pixels: out };
}

/** Looks around places of one scene, a sample of all pixels at a time. */
export class LookAround {
  private readonly loader: SceneLoader;
  private loaded: LoadedScene | null = null;
  private scene: TraceScene | null = null;
  private sums = 0;
  private ways = 0;
  private samples = 0;
  private place: { at: Vec3; unlit: number } | null = null;

  constructor(
    private readonly kernel: Kernel,
    private readonly memory: SceneMemory,
    private readonly size = AROUND,
  ) {
    this.loader = new SceneLoader(kernel, memory);
  }

  /** Takes in a scene; false if `goOn`, which is asked every few milliseconds, said no. */
  async load(scene: TraceScene, goOn: () => Promise<boolean>): Promise<boolean> {
    this.loaded = this.loader.load(scene, { width: 8, height: 8, seed: 1, maxDepth: MAX_DEPTH });
    this.scene = scene;
    const floats = this.size.width * this.size.height * 3;
    this.ways = this.memory.reserve(floats * 4);
    this.sums = this.memory.reserve(floats * 4);
    return this.measureGloss(FIRST_FILL, goOn);
  }

  /** Measures the set's own gloss and light better: what is matt needs it not, but in a mirror its noise is seen. As `load`. */
  async refine(goOn: () => Promise<boolean>): Promise<boolean> {
    return this.measureGloss(FINE_FILL, goOn);
  }

  /** The plate shows the gloss that the camera saw, from elsewhere there is another. */
  private async measureGloss(samples: number, goOn: () => Promise<boolean>): Promise<boolean> {
    if (!this.loaded || !this.scene?.set.some(({ specular }) => specular > 0)) return true;
    const { frame } = this.scene;
    const measured = await measureFill(this.memory, this.loaded, frame, samples, async (job) => {
      const { params, cells, width, height } = job;
      for (let y = 0; y < height; y++) {
        this.kernel.renderFill(params, y, y + 1, width, height, samples, cells);
        if ((samples > FIRST_FILL || y % 4 === 3) && !(await goOn())) return false;
      }
      return true;
    });
    return measured !== null;
  }

  /** Begins at a place, where some lights may be left out. */
  begin(at: Vec3, unlit: PropPiece["unlit"]): void {
    this.place = { at, unlit: unlitBits(unlit) };
    this.samples = 0;
    this.memory.f32(this.sums, this.size.width * this.size.height * 3).fill(0);
  }

  /** Takes one more sample of every pixel. Throws before `load` and `begin`. */
  look(): void {
    if (!this.loaded || !this.place) throw new Error("There is no place to look around from.");
    const { width, height } = this.size;
    // Steps of the golden ratio and of its like in two dimensions fill the pixel evenly.
    const at: [number, number] = [(0.5 + this.samples * 0.7548776662) % 1, (0.5 + this.samples * 0.5698402911) % 1];
    this.memory.f32(this.ways, width * height * 3).set(directionsAround(this.size, at));
    const { at: from, unlit } = this.place;
    this.kernel.lookFrom(this.loaded.params, ...from, this.ways, width * height, this.samples, unlit, this.sums);
    this.samples++;
  }

  /** Mean of the samples so far: radiance in plate units. */
  picture(): Picture {
    const { width, height } = this.size;
    const pixels = Float32Array.from(
      this.memory.f32(this.sums, width * height * 3),
      (x) => x / Math.max(1, this.samples),
    );
    return { width, height, pixels };
  }
}
