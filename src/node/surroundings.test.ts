import { describe, expect, test } from "@jest/globals";
import { encodeExr, init } from "exrs";
import sharp from "sharp";
import { colourChannels, toHalf, writeExr } from "#core/image/exr";
import { fromHalf, readExr } from "#core/image/exrRead";
import { newSlope } from "#core/light/level";
import { directionAt, lookUp } from "#core/light/surroundings/sphere";
import { directionFromAngles } from "#core/light/sun";
import { turnMatrix } from "#core/light/surroundings/turn";
import type { Vec3 } from "#core/math/vec3";
import { add, dot, normalize, sub, toRadians } from "#core/math/vec3";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import type { Picture, Surround, TraceScene } from "#core/trace/scene";
import { projectPoint } from "#core/optics/camera";
import * as L from "#kernel/layout";
import { damageBytes, randomFrom } from "../testing/attack/damage.ts";
import { emptyScene, lookAt, meanRadiance, quadModel, withModels } from "../testing/render.ts";
import { PlateError } from "./plateError.ts";
import { renderScene } from "./renderScene.ts";
import { openSurroundings } from "./surroundings.ts";

/** The 18 environments that a package of the registry carries: 512 × 256, packed with DWAB. */
const NAMES =
  "apartment bridge city dawn esplanade forest hall lab lobby night park sky studio sunrise sunset venice warehouse workshop";
async function environment(name: string): Promise<Uint8Array> {
  const { default: url } = (await import(`@pmndrs/assets/hdri/${name}.exr.js`)) as { default: string };
  return new Uint8Array(Buffer.from(url.split(",")[1], "base64"));
}

const size = { width: 64, height: 32 };
const gradient = Float32Array.from({ length: 64 * 32 * 3 }, (_, i) => 0.25 + ((i * 7) % 32) / 16);
const exr = writeExr(64, 32, colourChannels(gradient, 3), "half");

/** A Radiance picture of one colour, in runs. */
function radiance(width: number, height: number, rgbe: number[]): Uint8Array {
  const head = `#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${height} +X ${width}\n`;
  const row = [2, 2, width >> 8, width & 255, ...rgbe.flatMap((v) => [128 + width, v])];
  return Uint8Array.from([...Buffer.from(head), ...Array.from({ length: height }, () => row).flat()]);
}

describe("pictures of the surroundings as files", () => {
  test("a small EXR is kept as it is", async () => {
    const opened = await openSurroundings(exr, "around.exr");
    expect(opened).toMatchObject({ width: 64, height: 32, clippedAt: null, notices: [] });
    expect(readExr(opened.exr, 3)).toEqual({ ...size, pixels: gradient });
  });

  test("a Radiance picture has the values that its maker gives them", async () => {
    // G. Ward, Real Pixels: (mantissa + 0.5) / 256 times 2 to the exponent less 128.
    const opened = await openSurroundings(radiance(64, 32, [200, 100, 50, 130]), "around.hdr");
    const { pixels } = readExr(opened.exr, 3);
    [200, 100, 50].forEach((m, k) => expect(pixels[k]).toBeCloseTo(((m + 0.5) / 256) * 4, 2));
  });

  test("a photograph is brought to linear light and told of for its missing range", async () => {
    const raw = new Uint8Array(64 * 32 * 3).fill(188);
    raw.fill(255, 0, 300);
    const png = await sharp(raw, { raw: { width: 64, height: 32, channels: 3 } })
      .png()
      .toBuffer();
    const opened = await openSurroundings(new Uint8Array(png), "around.png");
    expect(opened.clippedAt).toBe(1);
    expect(opened.notices.join()).toMatch(/no range beyond white, and 4\.9 %/);
    const { pixels } = readExr(opened.exr, 3);
    expect(pixels[0]).toBe(1);
    // IEC 61966-2-1: code 188 is 0.5029.
    expect(pixels[pixels.length - 1]).toBeCloseTo(0.5029, 3);
  });

  test("all environments of a package load, with light and without values that are none", async () => {
    for (const name of NAMES.split(" ")) {
      const opened = await openSurroundings(await environment(name), `${name}.exr`);
      const { width, pixels } = readExr(opened.exr, 3);
      expect([opened.width, width]).toEqual([512, 512]);
      expect(pixels.every((v) => Number.isFinite(v) && v >= 0)).toBe(true);
    }
  }, 60_000);

  test("every packing that another library writes gives the values that were written", async () => {
    await init();
    for (const compression of ["none", "rle", "zip", "zip16", "piz", "pxr24"] as const)
      for (const precision of ["f16", "f32"] as const) {
        const layer = { channelNames: ["R", "G", "B"], interleavedPixels: gradient, precision, compression };
        const file = encodeExr({ ...size, layers: [layer] });
        const opened = await openSurroundings(file, `${compression}.exr`);
        expect({ compression, precision, ...readExr(opened.exr, 3) }).toEqual({
          compression,
          precision,
          ...size,
          pixels: gradient,
        });
      }
  });

  test("a large one tells how far it is while it is read", async () => {
    const tall = writeExr(2048, 1024, colourChannels(new Float32Array(2048 * 1024 * 3).fill(0.5), 3), "half");
    const told: number[] = [];
    await openSurroundings(tall, "around.exr", (share) => told.push(share));
    expect(told).toEqual([0.5, 1]);
  });

  test("a large one whose packing is undone by another library comes in bands, every row in its place", async () => {
    await init();
    const [width, height] = [2048, 1024];
    // Numbers that a half holds, other ones in every row.
    const pixels = Float32Array.from({ length: width * height * 3 }, (_, i) => ((i % 6131) + 1) / 8192);
    const halves = pixels.map((v) => fromHalf(toHalf(v)));
    const layer = {
      channelNames: ["R", "G", "B"],
      interleavedPixels: halves,
      precision: "f16",
      compression: "piz",
    } as const;
    const opened = await openSurroundings(encodeExr({ width, height, layers: [layer] }), "large.exr");
    expect(Buffer.compare(Buffer.from(readExr(opened.exr, 3).pixels.buffer), Buffer.from(halves.buffer))).toBe(0);
  });

  test("what is no surrounding is refused with a sentence that says what it is", async () => {
    const upright = writeExr(64, 96, colourChannels(new Float32Array(64 * 96 * 3).fill(1), 3));
    await expect(openSurroundings(upright, "door.exr")).rejects.toThrow("does not go all around");
    const endless = gradient.map((v, i) => (i % 40 === 0 ? NaN : v));
    const odd = writeExr(64, 32, colourChannels(endless, 3));
    await expect(openSurroundings(odd, "odd.exr")).rejects.toThrow("values are no numbers");
    await expect(openSurroundings(Uint8Array.from(Buffer.from("%PDF-1.7 …")), "a.hdr")).rejects.toThrow(
      "not a picture that can be read",
    );
    const black = writeExr(64, 32, colourChannels(new Float32Array(64 * 32 * 3), 3));
    await expect(openSurroundings(black, "night.exr")).rejects.toThrow("black all over");
  });

  test("a photograph of a mirror ball is unrolled: every direction has what the ball mirrors from there", async () => {
    const side = 512;
    const colour = (d: Vec3): Vec3 => [0.5 + 0.4 * d[0], 0.5 + 0.4 * d[1], 0.5 + 0.4 * d[2]];
    const pixels = new Float32Array(side * side * 3);
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++) {
        const [u, v] = [(x + 0.5 - side / 2) / (side / 2), (side / 2 - y - 0.5) / (side / 2)];
        const rest = 1 - u * u - v * v;
        if (rest <= 0) continue;
        // Law of reflection: seen along +Y, mirrored at the ball's normal.
        const n: Vec3 = [u, -Math.sqrt(rest), v];
        pixels.set(colour([-2 * n[1] * n[0], 1 - 2 * n[1] * n[1], -2 * n[1] * n[2]]), (y * side + x) * 3);
      }
    const opened = await openSurroundings(writeExr(side, side, colourChannels(pixels, 3), "float"), "ball.exr");
    expect(opened.ball).toBe(true);
    const around = readExr(opened.exr, 3);
    for (const [azimuth, height] of [
      [0, 60],
      [90, 0],
      [-120, 20],
      [180, -30],
      [40, 5],
    ]) {
      const d = directionFromAngles(toRadians(azimuth), toRadians(height));
      lookUp(around, d).forEach((c, k) => expect(Math.abs(c - colour(d)[k])).toBeLessThan(0.02));
    }
  });

  test("a few endless values are a clipped sun: told, and as bright as can be", async () => {
    const sun = gradient.slice();
    sun[900] = Infinity;
    const opened = await openSurroundings(writeExr(64, 32, colourChannels(sun, 3)), "sun.exr");
    expect(opened.notices.join()).toMatch(/1 values are endless/);
    expect(readExr(opened.exr, 3).pixels[900]).toBe(65504);
  });

  test("damaged files are refused or read, and nothing else", async () => {
    const random = randomFrom(41);
    const files = [exr, radiance(64, 32, [120, 130, 140, 129])];
    for (let i = 0; i < 120; i++) {
      const file = damageBytes(files[i % 2], random);
      const answer = await openSurroundings(file, "damaged").catch((error: unknown) => error);
      if (answer instanceof Error) expect(answer).toBeInstanceOf(PlateError);
      else expect(readExr((answer as { exr: Uint8Array }).exr, 3).pixels.every(Number.isFinite)).toBe(true);
    }
  });
});

function painted(width: number, colour: (d: Vec3) => number): Picture {
  const own = { width, height: width / 2 };
  const pixels = new Float32Array(width * own.height * 3);
  for (let y = 0; y < own.height; y++)
    for (let x = 0; x < width; x++) {
      const at = (y * width + x) * 3;
      pixels.fill(colour(directionAt(own, x + 0.5, y + 0.5)), at, at + 3);
    }
  return { ...own, pixels };
}
const asItIs = { turnDeg: 0, tiltDeg: 0, rollDeg: 0, flip: false };
const endless = (turn = asItIs): Surround => ({ turn: turnMatrix(turn, newSlope()), gain: [1, 1, 1], extent: null });

/** A white matt square of a centimetre that faces up, seen from above. */
const patchAt = (at: Vec3, environment: Picture, surround: Surround): TraceScene => ({
  ...withModels(emptyScene(lookAt([at[0], at[1], at[2] + 0.4], at, 4000)), [
    quadModel([at[0] - 0.05, at[1] - 0.05, at[2]], [0.1, 0, 0], [0, 0.1, 0], {
      baseColor: [1, 1, 1, 1],
      roughness: 1,
    }),
  ]),
  environment,
  surround,
});

describe("surroundings around the place", () => {
  // A ceiling patch of 1.2 m by 0.8 m in a room of 4 × 6 × 3 m, as the picture from its middle sees it.
  const half: Vec3 = [2, 3, 1.5];
  const centre: Vec3 = [0.3, 0.5, 1.5];
  const ceiling = painted(2048, (d) => {
    if (d[2] <= 0) return 0;
    const [x, y] = [(d[0] / d[2]) * half[2], (d[1] / d[2]) * half[2]];
    return Math.abs(x) < 0.6 && Math.abs(y - 0.4) < 0.4 ? 1 : 0;
  });
  const room: Surround = { ...endless(), extent: { kind: "box", centre, half } };

  test.each([
    [0.3, 0.5],
    [1.8, -1.7],
    [-1.2, 2.6],
  ])("a bright patch of a near ceiling lights (%s, %s) as a lamp of its size there does", async (x, y) => {
    const pictured = await meanRadiance(patchAt([x, y, 0.2], ceiling, room), 128);
    const lamp = {
      name: "Ceiling",
      kind: "rectangle" as const,
      position: [centre[0], centre[1] + 0.4, centre[2] + half[2]] as Vec3,
      facing: [0, 0, -1] as Vec3,
      across: [1, 0, 0] as Vec3,
      size: [1.2, 0.8] as [number, number],
      radiance: [1, 1, 1] as Vec3,
    };
    const bare = { ...patchAt([x, y, 0.2], ceiling, room), environment: null, surround: null };
    const lit = await meanRadiance({ ...bare, lamps: [lamp] }, 128);
    expect(Math.abs(pictured[1] / lit[1] - 1)).toBeLessThan(0.015);
  });

  test.each([
    [0.1, 0.2],
    [1.1, -0.9],
  ])(
    "a bright patch of a dome's floor lights what hangs over (%s, %s) as a lamp that lies there does",
    async (x, y) => {
      // The picture was taken 1.6 m over the floor, in a dome of 8 m.
      const [above, radius] = [1.6, 8];
      const taken: Vec3 = [0.2, -0.1, above];
      const floor = painted(2048, (d) => {
        if (d[2] >= 0) return 0;
        const [u, v] = [(d[0] / -d[2]) * above, (d[1] / -d[2]) * above];
        return Math.abs(u - 0.3) < 0.5 && Math.abs(v) < 0.4 ? 1 : 0;
      });
      const dome: Surround = { ...endless(), extent: { kind: "dome", centre: taken, half: [radius, radius, above] } };
      const at: Vec3 = [x, y, 0.7];
      // Seen from below, facing down.
      const hanging: TraceScene = {
        ...withModels(emptyScene(lookAt([x, y, 0.3], at, 4000)), [
          quadModel([x - 0.05, y - 0.05, 0.7], [0, 0.1, 0], [0.1, 0, 0], { baseColor: [1, 1, 1, 1], roughness: 1 }),
        ]),
        environment: floor,
        surround: dome,
      };
      const lamp = {
        name: "Floor",
        kind: "rectangle" as const,
        position: [taken[0] + 0.3, taken[1], 0] as Vec3,
        facing: [0, 0, 1] as Vec3,
        across: [1, 0, 0] as Vec3,
        size: [1, 0.8] as [number, number],
        radiance: [1, 1, 1] as Vec3,
      };
      const pictured = await meanRadiance(hanging, 128);
      const lit = await meanRadiance({ ...hanging, environment: null, surround: null, lamps: [lamp] }, 128);
      expect(lit[1]).toBeGreaterThan(0.05);
      expect(Math.abs(pictured[1] / lit[1] - 1)).toBeLessThan(0.015);
    },
  );

  test("under a dome of one brightness every place has that light", async () => {
    const even = painted(64, () => 0.7);
    const dome: Surround = { ...endless(), extent: { kind: "dome", centre: [0, 0, 1], half: [3, 3, 1] } };
    expect((await meanRadiance(patchAt([1.4, -1, 0.5], even, dome), 64))[0]).toBeCloseTo(0.7, 2);
  });

  test("within a sphere of one brightness every place has that light; endless and near agree in the middle", async () => {
    const even = painted(64, () => 0.7);
    const ball: Surround = { ...endless(), extent: { kind: "sphere", centre: [0, 0, 0], half: [3, 3, 3] } };
    expect((await meanRadiance(patchAt([1.4, -1, 0.5], even, ball), 64))[0]).toBeCloseTo(0.7, 2);
    const spot = painted(512, (d) => (d[2] > 0.8 && d[0] > 0.2 ? 3 : 0));
    const near = await meanRadiance(patchAt([0, 0, 0], spot, ball), 128);
    const far = await meanRadiance(patchAt([0, 0, 0], spot, endless()), 128);
    expect(Math.abs(near[0] / far[0] - 1)).toBeLessThan(0.01);
  });

  test.each([
    [asItIs],
    [{ ...asItIs, turnDeg: 70 }],
    [{ turnDeg: -40, tiltDeg: 25, rollDeg: 0, flip: false }],
    [{ turnDeg: 15, tiltDeg: -10, rollDeg: 20, flip: true }],
  ])("the highlight on a mirror ball lies where geometry says: %j", async (turn) => {
    const spot = directionFromAngles(toRadians(205), toRadians(35));
    const picture = painted(1024, (d) => (dot(d, spot) > Math.cos(toRadians(1)) ? 400 : 0.01));
    const matrix = turnMatrix(turn, newSlope());
    // Where the spot is in the world: the column-wise product takes the picture's direction out.
    const light = [0, 1, 2].map((k) => matrix[k] * spot[0] + matrix[3 + k] * spot[1] + matrix[6 + k] * spot[2]) as Vec3;
    const eye: Vec3 = [0, -30, 0];
    const pixels = 96;
    const camera = { ...lookAt(eye, [0, 0, 0], pixels * 14), principal: [pixels / 2, pixels / 2] as [number, number] };
    const ball = primitiveModel("sphere", [1, 1, 1], 0, 1);
    const scene: TraceScene = {
      ...emptyScene(camera),
      frame: { width: pixels, height: pixels },
      props: [{ model: ball, placement: { ...standing(), scale: [2, 2, 2], position: [0, 0, -1] } }],
      environment: picture,
      surround: endless(turn),
    };
    const film = await renderScene(
      scene,
      { width: pixels, height: pixels, seed: 3, maxDepth: 2 },
      { samples: 16, threads: 2 },
    );
    const sum = [0, 0, 0];
    for (let i = 0; i < pixels * pixels; i++) {
      const at = i * film.layout.stride;
      const l = film.pixels[at + L.FILM_PROP + 1] / film.pixels[at + L.FILM_SAMPLES];
      if (l < 2) continue;
      sum[0] += l * ((i % pixels) + 0.5);
      sum[1] += l * (Math.floor(i / pixels) + 0.5);
      sum[2] += l;
    }
    // The mirror's normal halves the angle between eye and light; the eye is so far that a few steps settle it.
    let normal: Vec3 = normalize(eye);
    for (let k = 0; k < 20; k++) normal = normalize(add(normalize(sub(eye, normal)), light));
    const [u, v] = projectPoint(camera, normal)!;
    expect(Math.hypot(sum[0] / sum[2] - u, sum[1] / sum[2] - v)).toBeLessThan(1);
  });
});
