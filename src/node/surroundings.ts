import sharp from "sharp";
import { FloatType, HalfFloatType } from "three";
import { EXRLoader } from "three/examples/jsm/loaders/EXRLoader.js";
import { REC709_PRIMARIES, toRec709 } from "#core/colour/primaries";
import { srgbToLinear } from "#core/colour/srgb";
import { colourChannels, writeExr } from "#core/image/exr";
import { ExrError, checkExr, isExr } from "#core/image/exrCheck";
import { exrBand } from "#core/image/exrBand";
import { fromHalf, isPlainlyPacked, readExrRows } from "#core/image/exrRead";
import { HdrError, checkHdr, isHdr, readHdrRows } from "#core/image/hdr";
import { unrolledBall } from "#core/light/surroundings/ball";
import { AroundReducer } from "#core/light/surroundings/reduce";
import type { Mat3 } from "#core/math/vec3";
import { PlateError } from "./plateError.ts";
import { inflateBlock } from "./inflateBlock.ts";

/** Pixels that a picture of the surroundings may have: 16 384 × 8192. */
const MOST_PIXELS = 16_384 * 8192;
/** Files may have this share of values that are no numbers; more are damage. */
const MOST_ODD = 1e-3;
/** Greatest number that a half holds. */
const MOST_HALF = 65_504;

/** Pixels after which it is told how far the reading is. */
const TOLD_PIXELS = 1 << 20;
/** Pixels that are unpacked together, where a block has no more. */
const BAND_PIXELS = 1 << 20;

/** The number that every half stands for. */
let halves: Float32Array | null = null;
const numbersOfHalves = (): Float32Array =>
  (halves ??= Float32Array.from({ length: 65_536 }, (_, bits) => fromHalf(bits)));

/** A picture of the surroundings as it is kept. */
export interface OpenedSurroundings {
  /** An EXR file of halves, at most 2048 wide. */
  exr: Uint8Array<ArrayBuffer>;
  /** Size of the file that came. */
  width: number;
  height: number;
  /** Value at which the file clips; null for one with the whole range. */
  clippedAt: number | null;
  /** It was a photograph of a mirror ball: its middle is where the camera looked. */
  ball: boolean;
  notices: string[];
}

/** Rows of a file as they come: interleaved RGB in its own primaries. */
interface Rows {
  width: number;
  height: number;
  primaries: readonly number[];
  clippedAt: number | null;
  read: (take: (y: number, row: Float32Array) => void) => void | Promise<void>;
}

/** Side of a photograph of a mirror ball, at most. */
const MOST_BALL = 4096;
/** A square picture goes all around only as a photograph of a mirror ball. */
const isBall = (width: number, height: number): boolean =>
  Math.abs(width / height - 1) < 0.04 && Math.max(width, height) <= MOST_BALL;

const checkSides = (width: number, height: number, name: string): void => {
  if (width * height > MOST_PIXELS)
    throw new PlateError(
      `“${name}” has ${width} × ${height} pixels; surroundings may have ${MOST_PIXELS / 1e6} million.`,
      "Save it at 16 384 × 8192 or smaller and drop it again.",
    );
  if (width < 32 || height < 8)
    throw new PlateError(`“${name}” is only ${width} × ${height} pixels.`, "Drop the picture itself, not a thumbnail.");
  if (width / height < 1.9 && !isBall(width, height))
    throw new PlateError(
      `“${name}” is ${width} × ${height}: it does not go all around.`,
      "Surroundings are pictures of 360° × 180°, twice as wide as high (wider ones are taken to lie about the horizon), or photographs of a mirror ball that fills a square of at most 4096 pixels.",
    );
};

function exrRows(bytes: Uint8Array, name: string): Rows {
  const header = checkExr(bytes, MOST_PIXELS);
  const { width, height, channels, chromaticities } = header;
  checkSides(width, height, name);
  const names = channels.map((c) => c.name);
  const grey = names.includes("Y");
  if (!["R", "G", "B"].every((c) => names.includes(c)) && !grey)
    throw new PlateError(
      `“${name}” has no channels R, G and B; it has ${names.slice(0, 8).join(", ")}.`,
      "Save the picture's colour as R, G and B, in one layer without a name.",
    );
  const of = ["R", "G", "B"].map((c) => (names.includes(c) ? c : "Y"));
  const read: Rows["read"] = (take) => {
    const row = new Float32Array(width * 3);
    if (isPlainlyPacked(header)) {
      readExrRows(
        bytes,
        header,
        (y, values) => {
          of.forEach((channel, k) => {
            const from = values.get(channel)!;
            for (let x = 0; x < width; x++) row[x * 3 + k] = from[x];
          });
          take(y, row);
        },
        { inflate: inflateBlock },
      );
      return;
    }
    const loader = new EXRLoader();
    loader.setDataType(channels.some(({ type }) => type === "float") ? FloatType : HalfFloatType);
    const { blockRows } = header;
    const blocks = Math.ceil(height / blockRows);
    const together = Math.max(1, Math.floor(BAND_PIXELS / (width * blockRows)));
    for (let first = 0; first < blocks; first += together) {
      const { buffer } = exrBand(bytes, header, first, Math.min(blocks, first + together));
      const { data, height: rows } = loader.parse(buffer) as unknown as {
        data: Float32Array | Uint16Array;
        height: number;
      };
      const stride = data.length / (width * rows);
      const halves = data instanceof Uint16Array ? numbersOfHalves() : null;
      for (let y = 0; y < rows; y++) {
        // The loader gives rows from the bottom.
        const from = (rows - 1 - y) * width * stride;
        for (let x = 0; x < width; x++)
          for (let k = 0; k < 3; k++) {
            const value = data[from + x * stride + Math.min(k, stride - 1)];
            row[x * 3 + k] = halves ? halves[value] : value;
          }
        take(first * blockRows + y, row);
      }
    }
  };
  return { width, height, primaries: chromaticities ?? REC709_PRIMARIES, clippedAt: null, read };
}

function hdrRows(bytes: Uint8Array, name: string): Rows {
  const header = checkHdr(bytes, MOST_PIXELS);
  checkSides(header.width, header.height, name);
  return {
    ...header,
    primaries: header.primaries ?? REC709_PRIMARIES,
    clippedAt: null,
    read: (take) => readHdrRows(bytes, header, take),
  };
}

/** Photographs: eight or sixteen bits of sRGB, or of a profile that is brought to it. */
async function photographRows(bytes: Uint8Array, name: string): Promise<Rows> {
  const refused = () =>
    new PlateError(
      `“${name}” is not a picture that can be read.`,
      "Surroundings are EXR, HDR, JPEG, PNG, WebP or TIFF pictures; save it as one of these and drop it again.",
    );
  const open = () => sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: "error" });
  const meta = await open()
    .metadata()
    .catch(() => null);
  if (!meta || !["jpeg", "png", "webp", "tiff"].includes(meta.format)) throw refused();
  const { width, height } = meta;
  checkSides(width, height, name);
  const most = meta.depth === "ushort" ? 65_535 : 255;
  const linear = Float32Array.from({ length: most + 1 }, (_, i) => srgbToLinear(i / most));
  const read: Rows["read"] = async (take) => {
    const { data } = await open()
      .flatten({ background: "#000000" })
      .toColourspace(most > 255 ? "rgb16" : "srgb")
      .raw({ depth: most > 255 ? "ushort" : "uchar" })
      .toBuffer({ resolveWithObject: true })
      .catch(() => {
        throw refused();
      });
    const codes = most > 255 ? new Uint16Array(data.buffer, data.byteOffset, data.length / 2) : data;
    const row = new Float32Array(width * 3);
    for (let y = 0; y < height; y++) {
      for (let i = 0; i < row.length; i++) row[i] = linear[codes[y * width * 3 + i]];
      take(y, row);
    }
  };
  return { width, height, primaries: REC709_PRIMARIES, clippedAt: 1, read };
}

/**
 * Reads a picture of the surroundings, told by its content, and makes it the EXR that is kept: linear Rec. 709, at most
 * 2048 wide with all its light. `tell` is told the share of its rows that are read. Throws PlateError.
 */
export async function openSurroundings(
  bytes: Uint8Array,
  name: string,
  tell: (share: number) => void = () => undefined,
): Promise<OpenedSurroundings> {
  try {
    return await reduced(
      isExr(bytes) ? exrRows(bytes, name) : isHdr(bytes) ? hdrRows(bytes, name) : await photographRows(bytes, name),
      name,
      tell,
    );
  } catch (error) {
    if (error instanceof PlateError) throw error;
    const said = error instanceof ExrError || error instanceof HdrError;
    throw new PlateError(
      said ? `“${name}”: ${(error as Error).message}` : `“${name}” is damaged or cut short and cannot be decoded.`,
      "Nothing was changed; drop the mended file again.",
    );
  }
}

async function reduced(
  { width, height, primaries, clippedAt, read }: Rows,
  name: string,
  tell: (share: number) => void,
): Promise<OpenedSurroundings> {
  const notices: string[] = [];
  const own = primaries.every((x, i) => Math.abs(x - REC709_PRIMARIES[i]) < 1e-6);
  const matrix = own ? null : toRec709(primaries);
  if (!own && !matrix) notices.push("Its primaries are no colours; it was taken as Rec. 709.");
  const ball = isBall(width, height) ? { width, height, pixels: new Float32Array(width * height * 3) } : null;
  const reducer = new AroundReducer(width, height);
  const count = { odd: 0, negative: 0, clipped: 0 };
  let [rows, told] = [0, 0];
  await read((y, row) => {
    rows++;
    if ((rows - told) * width >= TOLD_PIXELS) tell((told = rows) / height);
    clean(row, matrix, count);
    if (clippedAt !== null) for (let i = 0; i < row.length; i += 3) if (row[i] >= 1 && row[i + 1] >= 1) count.clipped++;
    if (ball) ball.pixels.set(row, y * width * 3);
    else reducer.add(y, row);
  });
  if (count.odd > MOST_ODD * width * height * 3)
    throw new PlateError(
      `“${name}” is damaged: ${count.odd} of its values are no numbers.`,
      "Save it again and drop it once more.",
    );
  if (count.odd > 0)
    notices.push(`${count.odd} values are endless or no numbers; they count as the brightest, or as dark.`);
  if (count.negative > MOST_ODD * width * height)
    notices.push("Colours that Rec. 709 does not hold were taken to its border.");
  const picture = ball ? unrolledBall(ball) : reducer.picture();
  if (ball)
    notices.push(
      "It is square, so it was read as a photograph of a mirror ball that fills it, taken from far away. What stood right behind the ball is guessed.",
    );
  else if (picture.width < width)
    notices.push(`It was reduced from ${width} × ${height} to ${picture.width} × ${picture.height}; its light stays.`);
  if (width / height > 2.1)
    notices.push("It is wider than 2 : 1, so it lies about the horizon, and its borders go on above and below.");
  if (clippedAt !== null)
    notices.push(
      `It has no range beyond white${count.clipped > 0 ? `, and ${((100 * count.clipped) / (width * height)).toPrecision(2)} % of it is white` : ""}: sun and lamps in it light too little. Make up stops for them, or take an EXR or HDR picture.`,
    );
  const most = picture.pixels.reduce((a, b) => Math.max(a, b), 0);
  if (!(most > 0)) throw new PlateError(`“${name}” is black all over.`, "Drop a picture that has light.");
  // Only what its parts are to each other counts, so that a power of two loses nothing.
  const scale = 2 ** -Math.max(0, Math.ceil(Math.log2(most / MOST_HALF)));
  if (scale < 1) for (let i = 0; i < picture.pixels.length; i++) picture.pixels[i] *= scale;
  const exr = writeExr(picture.width, picture.height, colourChannels(picture.pixels, 3));
  return { exr, width, height, ball: ball !== null, clippedAt, notices };
}

/** Takes a row to Rec. 709; endless values become the row's brightest one, others that are no numbers dark. */
function clean(row: Float32Array, matrix: Mat3 | null, count: { odd: number; negative: number }): void {
  let sound = 0;
  while (sound < row.length && row[sound] >= 0 && row[sound] < Infinity) sound++;
  if (!matrix && sound === row.length) return;
  let most = 0;
  for (const value of row) if (Number.isFinite(value) && value > most) most = value;
  for (let i = 0; i < row.length; i++) {
    if (Number.isFinite(row[i])) continue;
    row[i] = row[i] === Infinity ? Math.max(MOST_HALF, most) : 0;
    count.odd++;
  }
  for (let i = 0; i < row.length; i += 3) {
    const [r, g, b] = [row[i], row[i + 1], row[i + 2]];
    for (let k = 0; k < 3; k++) {
      const value = matrix ? matrix[k][0] * r + matrix[k][1] * g + matrix[k][2] * b : row[i + k];
      if (value < 0) count.negative++;
      row[i + k] = Math.max(0, value);
    }
  }
}
