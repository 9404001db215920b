import { createHash } from "node:crypto";
import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { expect, test } from "@jest/globals";
import { parseShot } from "#core/shot/schema";
import { plateOf } from "./plateRows.ts";
import { renderShot } from "./renderShot.ts";

/**
 * Pictures of kept documents as the version that wrote them rendered them: SHA-256 of prop, ratio, added light and depth.
 * Taken anew once, when the plate behind a catcher's end began to keep its light (`catcherShare`): without that share they
 * had the bits of their time to that day.
 */
const BITS: Record<number, string> = {
  1: "6f9eb325a1ed722cc6a44ca30f6f72b61d7a731905ef85ab4053fba256af4065",
  2: "6f9eb325a1ed722cc6a44ca30f6f72b61d7a731905ef85ab4053fba256af4065",
  3: "1d62d180f42fd3de9f503faab2be205a29ba223c4c07272268e88a77453578bd",
  4: "ea62d1008a5700eb638133871fc6344047ecfd0bd3c414c9ae20ffd56e35ad9c",
  5: "dacc3223606a658301f91536fd561155a3a7dbd02fe4a290d1a851f801d5361d",
  6: "60df1b348425db8694dd230613a5e7be87f8806100c7c616393f7b83c5fdb39d",
  7: "76cf58309039982c05a57159304298328841309f88f34dfde3131d0f8a020d2d",
};

/** Plate that all of them stand on: an even ramp with a pattern. */
const codes = Uint8Array.from({ length: 96 * 64 * 3 }, (_, i) => 60 + ((i * 7919) % 97) + Math.floor(i / 288));

test.each(Object.keys(BITS))("a document of version %s is migrated and rendered to the same bits", async (version) => {
  const file = fileURLToPath(new URL(`../testing/kept/shot-${version}.json`, import.meta.url));
  const shot = parseShot(JSON.parse(await readFile(file, "utf8")));
  const passes = await renderShot(shot, plateOf(shot, codes), new Map(), {}, { threads: 1 });
  const hash = createHash("sha256");
  for (const { buffer, byteOffset, byteLength } of [passes.prop, passes.ratio, passes.added, passes.depth])
    hash.update(new Uint8Array(buffer, byteOffset, byteLength));
  expect(hash.digest("hex")).toBe(BITS[Number(version)]);
});
