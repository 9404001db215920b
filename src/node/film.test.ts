import { mkdir, mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { readExr } from "#core/image/exrRead";
import { flagsOf } from "#core/set/roles";
import { borderNotice, catcherBorder } from "#core/trace/border";
import { denoiseFilm } from "#core/trace/denoise";
import type { FilmLayout, Passes } from "#core/trace/film";
import {
  ALL_SUMS,
  PROOF_SUMS,
  developFilm,
  filmCounts,
  filmLayers,
  filmLayout,
  packing,
  unitWeights,
} from "#core/trace/film";
import { SOFT } from "#core/trace/filter";
import { meanNoise } from "#core/trace/noise";
import type { SetPiece, TraceScene } from "#core/trace/scene";
import type { Vec3 } from "#core/math/vec3";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import * as L from "#kernel/layout";
import { gaussian, seeded } from "../testing/random.ts";
import { testShot } from "../testing/shots.ts";
import { SIZE, emptyScene, lookAt, ownFilter, packedFilm } from "../testing/render.ts";
import { BandFolder } from "./bandFolder.ts";
import type { Film } from "./bands.ts";
import { bandsOf } from "./bands.ts";
import { writeFinal } from "./finalFiles.ts";
import { plateOf } from "./plateRows.ts";
import { renderBands, renderScene } from "./renderScene.ts";

/** A ground of `half` metres to each side seen from above at a slant, with a box and a ball on it. */
function still(half = 4): TraceScene {
  const ground: SetPiece = {
    positions: new Float32Array([-half, -half, 0, half, -half, 0, half, half, 0, -half, half, 0]),
    indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
    flags: flagsOf("catcher"),
    albedo: [0.3, 0.3, 0.3],
    specular: 0,
    roughness: 0.5,
  };
  return {
    ...emptyScene(lookAt([0, -9, 6], [0, 0, 0], 22)),
    picture: false,
    plate: { width: SIZE, height: SIZE, pixels: new Float32Array(SIZE * SIZE * 3).fill(0.25) },
    set: [ground],
    sun: { direction: [0.6, -0.3, Math.sqrt(1 - 0.45)], irradiance: [2, 2, 2], angularRadius: 0.02 },
    sky: [0.2, 0.22, 0.26],
    floor: { height: -0.01, albedo: [0.3, 0.3, 0.3] },
    props: [
      { model: primitiveModel("box", [0.7, 0.3, 0.2], 0.6, 0), placement: standing([-0.7, 0, 0]), name: "box" },
      { model: primitiveModel("sphere", [0.4, 0.4, 0.45], 0.3, 0), placement: standing([0.9, 0.3, 0]), name: "ball" },
    ],
  };
}
const settings = { width: 96, height: 96, seed: 3, maxDepth: 6, filter: SOFT };

describe("denoising", () => {
  /** Squared error of the composite over a plate of 0.25. */
  const errorOf = (a: Passes, b: Passes) => {
    const out = (p: Passes, i: number, k: number) =>
      p.prop[i * 4 + k] + (1 - p.prop[i * 4 + 3]) * 0.25 * p.ratio[i * 3 + k];
    let sum = 0;
    for (let i = 0; i < 96 * 96; i++) for (let k = 0; k < 3; k++) sum += (out(a, i, k) - out(b, i, k)) ** 2;
    return sum;
  };

  test("takes most of the noise away, and leaves the plate, coverage and depth as they were", async () => {
    const film = await renderScene(still(), { ...settings, sums: PROOF_SUMS }, { samples: 16 });
    const good = await renderScene(still(), { ...settings, seed: 90, sums: PROOF_SUMS }, { samples: 1024 });
    const develop = (f: Film) => developFilm(f.pixels, 96, 96, f.layout);
    const [noisy, truth] = [develop(film), develop(good)];
    const clean = denoiseFilm(film.pixels, 96, 96, film.layout);
    expect(errorOf(clean, truth)).toBeLessThan(0.6 * errorOf(noisy, truth));
    expect(clean.depth).toEqual(noisy.depth);
    for (let i = 3; i < clean.prop.length; i += 4) expect(clean.prop[i]).toBe(noisy.prop[i]);
    // The upper corners show no set.
    for (let i = 0; i < 20 * 3; i++) expect(clean.ratio[i]).toBe(1);
  });

  test("gives the same by the kernel as by plain TypeScript, whatever the picture's size", async () => {
    const film = await renderScene(still(), { ...settings, sums: PROOF_SUMS }, { samples: 4 });
    const { layout } = film;
    const filter = await ownFilter();
    for (const [width, height] of [
      [96, 96],
      [42, 70],
      [6, 5],
      [2, 60],
    ]) {
      const part = new Float32Array(width * height * layout.stride);
      const row = width * layout.stride;
      for (let y = 0; y < height; y++) {
        // Across the box's edge and its shadow.
        const from = ((y + 96 - height) * 96 + (96 - width) / 2) * layout.stride;
        part.set(film.pixels.subarray(from, from + row), y * row);
      }
      const plain = denoiseFilm(part, width, height, layout);
      const fast = denoiseFilm(part, width, height, layout, unitWeights(), filter);
      for (const key of ["prop", "ratio", "added"] as const) {
        const apart = plain[key].reduce(
          (most, v, i) => Math.max(most, Math.abs(fast[key][i] - v) / (1 + Math.abs(v))),
          0,
        );
        expect(apart).toBeLessThan(1e-4);
      }
    }
  });

  describe("of a final", () => {
    // A grey streak with noise of its own in every pixel, over bands of unequal height.
    const [width, height] = [1100, 90];
    const layout = filmLayout({ ...PROOF_SUMS, extras: true }, [], [], []);
    const choice = { ...testShot().render, threads: 2, denoise: true };
    const film = noisyStreak(width, height, layout);
    let folder: string;
    beforeEach(async () => {
      folder = await mkdtemp(path.join(tmpdir(), "harbor-test-"));
      await mkdir(path.join(folder, "files"));
    });
    afterEach(() => rm(folder, { recursive: true, force: true }));

    async function written(leaveOut: number | null, shot = testShot(width, height)) {
      const bands = new BandFolder(path.join(folder, "bands"), "streak");
      for (const band of bandsOf(width, height))
        if (band.y0 !== leaveOut)
          await bands.keep(band, width, layout.stride, [
            await packedFilm(
              film.slice(band.y0 * width * layout.stride, band.y1 * width * layout.stride),
              packing(layout),
            ),
          ]);
      const plate = plateOf(shot, new Uint8Array(width * height * 3).fill(90));
      return writeFinal(path.join(folder, "files"), shot, plate, null, choice, layout, bands);
    }

    const read = async (file: string, stride: 3 | 4) =>
      readExr(new Uint8Array(await readFile(path.join(folder, "files", file))), stride).pixels;

    test("has the values of all at once, some bands at a time", async () => {
      const { files } = await written(null);
      const whole = denoiseFilm(film, width, height, layout, unitWeights(), await ownFilter());
      const found = {
        prop: await read(files.premultiplied, 4),
        ratio: await read(files.ratio, 3),
        added: await read(files.added, 3),
      };
      for (const [key, pixels] of Object.entries(found)) {
        const apart = pixels.reduce((most, v, i) => Math.max(most, Math.abs(whole[key as "prop"][i] - v)), 0);
        expect(apart).toBeLessThan(1e-6);
      }
    });

    test("shows props lit by half the sun half as bright", async () => {
      const { files } = await written(null);
      const full = await read(files.premultiplied, 4);
      const shot = testShot(width, height);
      shot.light.sun.strength = 0.5;
      const half = await read((await written(null, shot)).files.premultiplied, 4);
      let [apart, lit] = [0, 0];
      full.forEach((v, i) => {
        if (i % 4 === 3) return;
        apart = Math.max(apart, Math.abs(half[i] - v / 2));
        if (v > 0.2) lit++;
      });
      expect(lit).toBeGreaterThan(1000);
      expect(apart).toBeLessThan(1e-4);
    });

    test("says which band is missing, and ends", async () => {
      await expect(written(64)).rejects.toThrow("A band of the render is missing");
    });
  });
});

/** Sums of four samples a pixel: a catcher half of which is shaded, with a streak of a prop across, in the sun alone. */
function noisyStreak(width: number, height: number, layout: FilmLayout): Float32Array {
  const film = new Float32Array(width * height * layout.stride);
  const random = seeded(7);
  for (let i = 0, f = 0; i < width * height; i++, f += layout.stride) {
    const [x, y] = [i % width, Math.floor(i / width)];
    const prop = Math.abs(y - 45) < 6 && Math.abs(x - width / 2) < 40;
    const shade = x < width / 2 + 10 && Math.abs(x - width / 2) < 60 ? 0.5 : 1;
    const [a, b] = [random(), random()];
    film[f + L.FILM_SAMPLES] = 4;
    film[f + L.FILM_CATCHER] = prop ? 0 : 4;
    const half = f + layout.half;
    film[half + L.HALF_CATCHER] = prop ? 0 : 2;
    for (let k = 0; k < 3; k++) {
      if (prop) {
        film[f + L.FILM_PROP + k] = 1 + a + b;
        film[f + layout.propLights + k] = 1 + a + b;
        film[half + L.HALF_PROP + k] = 0.5 + a;
        continue;
      }
      const light = f + layout.lights + k;
      film[light] = 4 * shade * (0.9 + 0.1 * (a + b));
      film[light + 3] = 4;
      film[half + L.HALF_W + k] = 2 * shade * (0.9 + 0.2 * a);
      film[half + L.HALF_W0 + k] = 2;
    }
    film[f + L.FILM_ALPHA] = prop ? 4 : 0;
    film[half + L.HALF_ALPHA] = prop ? 2 : 0;
    film[f + L.FILM_DEPTH] = prop ? 20 : 0;
  }
  return film;
}

describe("noise", () => {
  test("the estimate agrees with the spread over seeds", async () => {
    const bare = { ...settings, width: 48, height: 48, sums: PROOF_SUMS };
    const region = { x0: 0, y0: 0, x1: 48, y1: 48 };
    const scene = still();
    const noisy = (f: Film) => ({ film: f.pixels, layout: f.layout, width: 48, y0: 0, height: 48, plate: scene.plate });
    let [estimate, n] = [0, 0];
    const pictures: Float32Array[] = [];
    for (const seed of [1, 2, 3, 4, 5, 6]) {
      const film = await renderScene(scene, { ...bare, seed }, { samples: 16 });
      estimate += meanNoise(noisy(film), region) ** 2;
      n++;
      pictures.push(composite(film));
    }
    // Standard deviation over the seeds, of the pixels that are touched.
    let [sum, count] = [0, 0];
    for (let i = 0; i < pictures[0].length; i++) {
      const mean = pictures.reduce((s, p) => s + p[i], 0) / n;
      const variance = pictures.reduce((s, p) => s + (p[i] - mean) ** 2, 0) / (n - 1);
      if (Number.isNaN(variance)) continue;
      sum += variance;
      count++;
    }
    const ratio = Math.sqrt(estimate / n) / Math.sqrt(sum / count);
    // Half against half overstates what stratified samples leave in the whole.
    expect(ratio).toBeGreaterThan(0.7);
    expect(ratio).toBeLessThan(2.5);
  });

  /** Codes of the composite over a plate of 0.25, NaN where nothing was rendered. */
  function composite(film: Film): Float32Array {
    const p = developFilm(film.pixels, film.width, film.height, film.layout);
    const out = new Float32Array(film.width * film.height);
    for (let i = 0; i < out.length; i++) {
      const f = i * film.layout.stride;
      if (film.pixels[f + L.FILM_ALPHA] === 0 && film.pixels[f + L.FILM_CATCHER] === 0) out[i] = NaN;
      else {
        const v = p.prop[i * 4 + 1] + (1 - p.prop[i * 4 + 3]) * (0.25 * p.ratio[i * 3 + 1] + p.added[i * 3 + 1]);
        out[i] = 255 * (1.055 * Math.max(0.0031308, v) ** (1 / 2.4) - 0.055);
      }
    }
    return out;
  }

  test("a target stops calm tiles early and goes on with the others; its bits do not hang on the threads", async () => {
    const films: Float32Array[] = [];
    for (const threads of [1, 3]) {
      await renderBands(
        still(),
        { ...settings, width: 224, height: 224, sums: PROOF_SUMS },
        {
          samples: 256,
          noise: 2,
          threads,
          onBand: (film) => {
            films.push(film.pixels.slice());
            return Promise.resolve();
          },
        },
      );
    }
    expect(Buffer.from(films[0].buffer).equals(Buffer.from(films[1].buffer))).toBe(true);
    const { layout } = await renderScene(
      still(),
      { ...settings, width: 4, height: 4, sums: PROOF_SUMS },
      { samples: 1 },
    );
    const counts = new Set<number>();
    for (let f = 0; f < films[0].length; f += layout.stride) counts.add(films[0][f + L.FILM_SAMPLES]);
    expect(counts.size).toBeGreaterThan(1);
    expect(Math.min(...counts)).toBeLessThan(256);
    expect([...counts].every((c) => c % 32 === 0)).toBe(true);
  });
});

/** Layers of a film of 96 x 96 pixels, each value of its sum and count. */
function layersOf96(film: Float32Array, layout: FilmLayout) {
  const counts = filmCounts(film, 96 * 96, layout);
  return new Map(
    filmLayers(layout).map(({ name, channels, offset, count, empty }) => {
      const n = channels.length;
      const pixels = Float32Array.from({ length: 96 * 96 * n }, (_, i) => {
        const pixel = Math.floor(i / n);
        const of = counts[count][pixel];
        return of > 0 ? film[pixel * layout.stride + offset + (i % n)] / of : empty;
      });
      return [name, { pixels }];
    }),
  );
}

describe("layers", () => {
  test("mattes make up the coverage, position lies on the ground's side, occlusion is dark in the corner", async () => {
    const film = await renderScene(still(), { ...settings, sums: ALL_SUMS, occlusion: 1 }, { samples: 64 });
    const layers = layersOf96(film.pixels, film.layout);
    const { prop } = developFilm(film.pixels, 96, 96, film.layout);
    const [box, ball] = [layers.get("matte prop box")!.pixels, layers.get("matte prop ball")!.pixels];
    const materials = ["box", "sphere"].map((n) => layers.get(`matte material ${n}`)!.pixels);
    let covered = 0;
    for (let i = 0; i < 96 * 96; i++) {
      expect(Math.abs(box[i] + ball[i] - prop[i * 4 + 3])).toBeLessThan(1e-5);
      expect(Math.abs(materials[0][i] - box[i])).toBeLessThan(1e-5);
      covered += prop[i * 4 + 3];
    }
    expect(covered).toBeGreaterThan(300);
    const position = layers.get("position")!.pixels;
    const seen = Array.from({ length: 96 * 96 }, (_, i) => i).filter((i) => box[i] === 1);
    for (const i of seen) {
      // The box stands at x = -0.7 and is a metre wide.
      expect(Math.abs(position[i * 3] + 0.7)).toBeLessThan(0.51);
      expect(position[i * 3 + 2]).toBeGreaterThan(-0.01);
      expect(position[i * 3 + 2]).toBeLessThan(1.01);
    }
    const occlusion = layers.get("occlusion")!.pixels;
    const open = occlusion[94 * 96 + 4];
    expect(open).toBeGreaterThan(0.97);
    expect(Math.min(...occlusion)).toBeLessThan(0.75);
  });

  test("what the lights give the props adds up to their colour, and follows a lamp that is turned down", async () => {
    const lamps = (k: number) =>
      ["left", "right"].map((name, i) => ({
        name,
        kind: "disc" as const,
        position: [i === 0 ? -2 : 2, -2, 2] as Vec3,
        facing: [i === 0 ? 0.6 : -0.6, 0.6, -0.5] as Vec3,
        across: [0, 0.64, 0.77] as Vec3,
        size: [0.4, 0.4] as [number, number],
        radiance: [40, 30, 20].map((v) => v * (i === 0 ? k : 1)) as Vec3,
      }));
    const layersOf = async (k: number) => {
      const film = await renderScene(
        { ...still(), lamps: lamps(k) },
        { ...settings, sums: ALL_SUMS, limit: 20 },
        { samples: 64 },
      );
      return {
        layers: layersOf96(film.pixels, film.layout),
        passes: developFilm(film.pixels, 96, 96, film.layout),
      };
    };
    const full = await layersOf(1);
    const groups = ["sun", "sky", "bounce", "left", "right"].map((g) => full.layers.get(`light ${g} on props`)!.pixels);
    const totals = groups.map((g) => g.reduce((a, v) => a + v, 0));
    totals.forEach((t) => expect(t).toBeGreaterThan(0));
    for (let i = 0; i < 96 * 96; i++)
      for (let k = 0; k < 3; k++) {
        const sum = groups.reduce((a, g) => a + g[i * 3 + k], 0);
        expect(Math.abs(sum - full.passes.prop[i * 4 + k])).toBeLessThan(1e-4 * (1 + Math.abs(sum)));
      }
    // Lamps are drawn by their power, so that another share of the samples goes to each: equal but for noise.
    const half = await layersOf(0.5);
    const after = (g: string) => half.layers.get(`light ${g} on props`)!.pixels.reduce((a, v) => a + v, 0);
    expect(Math.abs(after("left") / (0.5 * totals[3]) - 1)).toBeLessThan(0.02);
    expect(Math.abs(after("right") / totals[4] - 1)).toBeLessThan(0.02);
    expect(Math.abs(after("sun") / totals[0] - 1)).toBeLessThan(0.02);
  });

  test("a lamp's share can be weighed anew: the sums of a render with half the lamp", async () => {
    const lamp = (k: number) => ({
      name: "work light",
      kind: "disc" as const,
      position: [-1.5, -2, 2] as Vec3,
      facing: [0.5, 0.67, -0.55] as Vec3,
      across: [0.8, -0.6, 0] as Vec3,
      size: [0.4, 0.4] as [number, number],
      radiance: [30 * k, 30 * k, 30 * k] as Vec3,
    });
    const [full, half] = await Promise.all(
      [1, 0.5].map((k) =>
        renderScene({ ...still(), lamps: [lamp(k)] }, { ...settings, sums: PROOF_SUMS }, { samples: 256 }),
      ),
    );
    const one: Vec3 = [1, 1, 1];
    const weights = { sun: one, sky: one, bounce: one, lamps: [[0.5, 0.5, 0.5] as Vec3] };
    const a = developFilm(full.pixels, 96, 96, full.layout, weights).ratio;
    const b = developFilm(half.pixels, 96, 96, half.layout).ratio;
    let [sum, n] = [0, 0];
    for (let i = 0; i < a.length; i++) {
      if (a[i] === 1 && b[i] === 1) continue;
      sum += Math.abs(a[i] - b[i]);
      n++;
    }
    expect(n).toBeGreaterThan(1000);
    // Bounce is not parted by lamp: that part stays.
    expect(sum / n).toBeLessThan(0.012);
  });
});

describe("the border of a catcher", () => {
  test("is reported where the shadow runs over it, and not where the ground is wide enough", async () => {
    const find = async (half: number) => {
      const film = await renderScene(still(half), { ...settings, sums: PROOF_SUMS }, { samples: 64 });
      const { ratio } = developFilm(film.pixels, 96, 96, film.layout);
      return catcherBorder(filmCounts(film.pixels, 96 * 96, film.layout), ratio, 96, 96);
    };
    const small = await find(1.6);
    expect(small.open).toBeGreaterThan(5);
    expect(borderNotice(small)).toMatch(/draw the surface further out/);
    const wide = await find(6);
    expect(borderNotice(wide)).toBeNull();
  });

  test("noise of few samples along a catcher's end is no edge, and a shadow under as much noise is one", async () => {
    const { layout } = await renderScene(still(), { ...settings, sums: PROOF_SUMS }, { samples: 1 });
    const film = new Float32Array(96 * 96 * layout.stride);
    const random = seeded(17);
    // The left half catches, and nothing is in the right one.
    for (let i = 0; i < 96 * 96; i++) {
      film[i * layout.stride + L.FILM_SAMPLES] = 1;
      if (i % 96 < 48) film[i * layout.stride + L.FILM_CATCHER] = film[i * layout.stride + L.FILM_SET] = 1;
    }
    const openAt = (mean: number) => {
      const ratio = Float32Array.from({ length: 96 * 96 * 3 }, () => mean + 0.2 * gaussian(random));
      return catcherBorder(filmCounts(film, 96 * 96, layout), ratio, 96, 96);
    };
    expect(borderNotice(openAt(1))).toBeNull();
    expect(openAt(0.7).open).toBeGreaterThan(40);
  });

  test("where the plate itself ends there, as a wall against the sky, a shadow that ends with it is no fault", async () => {
    const { layout } = await renderScene(still(), { ...settings, sums: PROOF_SUMS }, { samples: 1 });
    const film = new Float32Array(96 * 96 * layout.stride);
    const left = (i: number) => i % 96 < 48;
    for (let i = 0; i < 96 * 96; i++) {
      film[i * layout.stride + L.FILM_SAMPLES] = 1;
      if (left(i)) film[i * layout.stride + L.FILM_CATCHER] = film[i * layout.stride + L.FILM_SET] = 1;
    }
    const noticeOver = (beyond: number, shade: number) => {
      const ratio = Float32Array.from({ length: 96 * 96 * 3 }, (_, i) => (left(Math.floor(i / 3)) ? shade : 1));
      // A plate of twice the size.
      const pixels = Float32Array.from({ length: 192 * 192 * 3 }, (_, i) =>
        Math.floor(i / 3) % 192 < 96 ? 0.2 : beyond,
      );
      const plate = { width: 192, height: 192, pixels };
      return borderNotice(catcherBorder(filmCounts(film, 96 * 96, layout), ratio, 96, 96, 0, { plate, height: 96 }));
    };
    expect(noticeOver(0.6, 0.97)).toBeNull();
    expect(noticeOver(0.2, 0.97)).toContain("3 % strong");
    // A step in the plate that is smaller than the shadow's hides nothing.
    expect(noticeOver(0.23, 0.6)).toContain("40 % strong");
  });
});

describe("what the set has without its props", () => {
  /** Sums without the prop, of a glossy ground and a wall where this prop stands at x, and which of them it changes. */
  async function bareSums(prop: TraceScene["props"][number], x: number) {
    const scene = still();
    const wall: SetPiece = {
      ...scene.set[0],
      positions: new Float32Array([-4, 3, 0, 4, 3, 0, 4, 3, 3, -4, 3, 3]),
      albedo: [0.5, 0.4, 0.3],
    };
    scene.set = [{ ...scene.set[0], specular: 1, roughness: 0.3 }, wall];
    scene.props = [{ ...prop, placement: standing([x, -1, 0]) }];
    const { pixels, layout } = await renderScene(scene, settings, { samples: 8 });
    const sumsAt = (from: number) => [...pixels.subarray(from, from + 3)];
    const bare = Array.from({ length: 96 * 96 }, (_, i) => {
      const at = i * layout.stride;
      if (pixels[at + L.FILM_ALPHA] > 0) return [];
      const lights = layout.groups.flatMap((_, g) => sumsAt(at + layout.lights + g * L.LIGHT_FLOATS + 3));
      return [...lights, ...sumsAt(at + L.FILM_GLOSS)];
    });
    const { ratio } = developFilm(pixels, 96, 96, layout);
    return { bare, changed: bare.map((_, i) => ratio[3 * i] !== 1) };
  }

  test("is the same to the bit whichever props stand there, touched by them or not", async () => {
    const [box, ball] = still().props;
    const here = await bareSums(box, -1.2);
    const there = await bareSums(ball, 1.2);
    let [onlyHere, onlyThere] = [0, 0];
    for (const [i, sums] of here.bare.entries()) {
      const others = there.bare[i];
      if (sums.length === 0 || others.length === 0) continue;
      if (here.changed[i] && !there.changed[i]) onlyHere++;
      if (there.changed[i] && !here.changed[i]) onlyThere++;
      expect(others).toEqual(sums);
    }
    // Sums of pixels that the one prop touches are gathered in another way than those that it does not.
    expect(Math.min(onlyHere, onlyThere)).toBeGreaterThan(100);
  });
});

describe("visibility", () => {
  test("a prop that is not seen casts its shadow; one that casts none leaves the ground alone", async () => {
    const with_ = async (
      visibility: Partial<{ camera: boolean; shadow: boolean; reflection: boolean; bounce: boolean }>,
    ) => {
      const scene = still();
      const all = { camera: true, shadow: true, reflection: true, bounce: true, ...visibility };
      scene.props = [{ ...scene.props[0], visibility: all }];
      const film = await renderScene(scene, settings, { samples: 32 });
      return developFilm(film.pixels, 96, 96, film.layout);
    };
    const hidden = await with_({ camera: false });
    expect(hidden.prop.every((v) => v === 0)).toBe(true);
    expect(Math.min(...hidden.ratio)).toBeLessThan(0.5);
    const light = await with_({ shadow: false, bounce: false });
    expect(Math.max(...light.prop)).toBeGreaterThan(0.05);
    expect(light.ratio.every((v) => v === 1)).toBe(true);
    const dark = await with_({ bounce: false });
    const full = await with_({});
    const brightest = (p: { ratio: Float32Array }) => p.ratio.reduce((s, v) => Math.max(s, v), 0);
    expect(brightest(dark)).toBeLessThan(1.001);
    expect(brightest(full)).toBeGreaterThan(brightest(dark));
  });

  test("a tiny prop far away changes at most one code value in a thousandth of the pixels", async () => {
    const scene = still(40);
    scene.camera = lookAt([0, -9, 2], [0, 0, 1.6], 60);
    scene.props = [
      {
        model: primitiveModel("sphere", [0.4, 0.4, 0.4], 0.5, 0),
        placement: { ...standing([2, 30, 0]), scale: [0.01, 0.01, 0.01] },
      },
    ];
    const film = await renderScene(scene, { ...settings, width: 256, height: 256 }, { samples: 64 });
    const p = developFilm(film.pixels, 256, 256, film.layout);
    let changed = 0;
    for (let i = 0; i < 256 * 256; i++) {
      let worst = 0;
      for (let k = 0; k < 3; k++) {
        const v = p.prop[i * 4 + k] + (1 - p.prop[i * 4 + 3]) * (0.25 * p.ratio[i * 3 + k] + p.added[i * 3 + k]);
        worst = Math.max(
          worst,
          Math.abs(255 * (1.055 * v ** (1 / 2.4) - 0.055) - 255 * (1.055 * 0.25 ** (1 / 2.4) - 0.055)),
        );
      }
      expect(worst).toBeLessThan(1.5);
      if (worst >= 0.5) changed++;
    }
    expect(changed).toBeLessThanOrEqual(0.001 * 256 * 256);
  });
});
