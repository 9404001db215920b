import type { Picture } from "../../trace/scene.ts";

/** Widest picture around a place that is kept: a fifth of a degree a pixel. */
export const MOST_WIDTH = 2048;

/**
 * Takes a picture of all around row by row and averages it down by area, so that its light stays what it was. A picture
 * that is wider than 2 : 1 lies about the horizon; above and below it goes on as the mean of its border.
 */
export class AroundReducer {
  private readonly width: number;
  private readonly height: number;
  private readonly out: Float64Array;
  private readonly line: Float64Array;
  /** Rows of the whole sphere, of which the file has those in the middle. */
  private readonly whole: number;
  private readonly above: number;

  constructor(
    private readonly fileWidth: number,
    private readonly fileHeight: number,
  ) {
    this.whole = Math.max(fileHeight, Math.round(fileWidth / 2));
    this.above = (this.whole - fileHeight) / 2;
    this.width = Math.min(MOST_WIDTH, fileWidth);
    this.height = Math.max(1, Math.round(this.width / 2));
    this.out = new Float64Array(this.width * this.height * 3);
    this.line = new Float64Array(this.width * 3);
  }

  /** Adds a row of the file: interleaved RGB. */
  add(y: number, row: Float32Array): void {
    const { width, height, line, out } = this;
    averageAcross(row, this.fileWidth, line, width);
    const scale = height / this.whole;
    const from = (y + this.above) * scale;
    const to = from + scale;
    for (let target = Math.floor(from); target < Math.min(height, Math.ceil(to)); target++) {
      const share = Math.min(to, target + 1) - Math.max(from, target);
      if (share <= 0) continue;
      const at = target * width * 3;
      for (let i = 0; i < line.length; i++) out[at + i] += share * line[i];
    }
  }

  /** The picture, after its last row. */
  picture(): Picture {
    const { width, height, out } = this;
    const scale = height / this.whole;
    const [first, last] = [this.above * scale, (this.above + this.fileHeight) * scale];
    const pixels = new Float32Array(out.length);
    const stride = width * 3;
    for (let y = 0; y < height; y++) {
      // A row that the file covers in part has the rest of its light from what it covers.
      const covered = Math.min(last, y + 1) - Math.max(first, y);
      if (covered > 0) for (let i = 0; i < stride; i++) pixels[y * stride + i] = out[y * stride + i] / covered;
    }
    const [top, bottom] = [Math.floor(first), Math.min(height, Math.ceil(last)) - 1];
    for (let y = 0; y < height; y++) {
      if (y >= top && y <= bottom) continue;
      const border = y < top ? top : bottom;
      for (let k = 0; k < 3; k++) {
        let sum = 0;
        for (let x = 0; x < width; x++) sum += pixels[border * stride + x * 3 + k];
        for (let x = 0; x < width; x++) pixels[y * stride + x * 3 + k] = sum / width;
      }
    }
    return { width, height, pixels };
  }
}

function averageAcross(row: Float32Array, width: number, line: Float64Array, target: number): void {
  if (width === target) {
    line.set(row.subarray(0, width * 3));
    return;
  }
  line.fill(0);
  const scale = target / width;
  for (let x = 0; x < width; x++) {
    const from = x * scale;
    const to = from + scale;
    const cell = Math.floor(from);
    const here = Math.min(to, cell + 1) - from;
    const next = scale - here;
    for (let k = 0; k < 3; k++) {
      const value = row[x * 3 + k];
      line[cell * 3 + k] += here * value;
      if (next > 1e-9 && cell + 1 < target) line[(cell + 1) * 3 + k] += next * value;
    }
  }
}
