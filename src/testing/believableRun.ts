import type { DemoPlace } from "../demo/documents.ts";
import { DEMO_PLACES } from "../demo/documents.ts";
import { believable } from "./believable.ts";

/**
 * npm run bench:believable [-- SAMPLES [FOLDER for the pictures [PLACE]]]: how believable the demo documents' own pictures
 * are, with so many samples, or each document's own for "own".
 */
const [samples = "own", folder] = process.argv.slice(2);
process.stdout.write(
  "place     pixels  mean  tone  95 %   L*     C*     prop  shadow  contact (CIEDE2000 against the photograph with the props)\n",
);
for (const place of (process.argv[4] ? [process.argv[4]] : Object.keys(DEMO_PLACES)) as DemoPlace[]) {
  const f = await believable(place, samples === "own" ? null : Number(samples), folder);
  const signed = (v: number) => `${v < 0 ? "−" : "+"}${Math.abs(v).toFixed(2)}`;
  process.stdout.write(
    `${place.padEnd(9)} ${String(f.pixels).padStart(6)}  ${f.mean.toFixed(2)}  ${f.tone.mean.toFixed(2)}  ${f.tone.percentile95.toFixed(2).padStart(5)}  ${signed(f.lightness)}  ${signed(f.chroma)}  ${f.prop.toFixed(2)}  ${f.shadow.toFixed(2)}    ${f.contact.toFixed(2)}\n`,
  );
}
