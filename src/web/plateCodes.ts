import { codeBytes, codesOf, fromDifferences } from "#core/image/differences";
import type { PlateInfo } from "#core/plate/schema";

type KeptPlate = Pick<PlateInfo, "codes" | "width" | "height" | "encoding">;

const MISSING = "The plate's pixels are missing on the server. Restore the data folder, or drop the photo again.";

/** A plate's codes from the server, where they lie packed (differences of neighbours, gzipped). Throws with a sentence. */
export async function fetchCodes(plate: KeptPlate): Promise<Uint8Array | Uint16Array> {
  const response = await fetch(`/api/assets/${plate.codes}`);
  if (!response.ok) throw new Error(MISSING);
  const stored = new Uint8Array(await response.arrayBuffer());
  const size = codeBytes(plate);
  // Those of earlier versions lie there as they are.
  if (stored.length === size) return codesOf(stored, plate.encoding.bits);
  const raw = new Uint8Array(size);
  let at = 0;
  const reader = new Blob([stored]).stream().pipeThrough(new DecompressionStream("gzip")).getReader();
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    if (at + part.value.length > size) throw new Error(MISSING);
    raw.set(part.value, at);
    at += part.value.length;
  }
  if (at !== size) throw new Error(MISSING);
  const codes = codesOf(raw, plate.encoding.bits);
  fromDifferences(codes, plate.width);
  return codes;
}
