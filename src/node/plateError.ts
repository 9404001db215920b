/** Why a plate was refused: what is wrong, and what to do. */
export class PlateError extends Error {
  constructor(
    message: string,
    readonly hint: string,
  ) {
    super(message);
  }
}

export const MAX_PIXELS = 64_000_000;

/** Refuses what is larger than plates may be, or a thumbnail. Throws PlateError. */
export function checkSize(w: number, h: number, fileName: string): void {
  if (w * h > MAX_PIXELS) {
    throw new PlateError(
      `“${fileName}” has ${w} × ${h} pixels, ${Math.round((w * h) / 1e6)} megapixels; plates may have 64.`,
      "Save it smaller, at most 8000 × 8000, and drop it again.",
    );
  }
  if (w < 64 || h < 64) {
    throw new PlateError(`“${fileName}” is only ${w} × ${h} pixels.`, "Drop the full-size photo, not its thumbnail.");
  }
}

/** Of a file whose data ends too early or makes no sense. */
export const damaged = (fileName: string) =>
  new PlateError(
    `“${fileName}” is damaged or cut short and cannot be decoded.`,
    "Copy it again from the camera or card and drop it once more.",
  );
