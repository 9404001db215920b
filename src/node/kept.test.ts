import { createHash } from "node:crypto";
import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { expect, test } from "@jest/globals";
import { parseShot } from "#core/shot/schema";
import { plateOf } from "./plateRows.ts";
import { renderShot } from "./renderShot.ts";

/** Pictures of kept documents as the version that wrote them rendered them: SHA-256 of prop, ratio, added light and depth. */
const BITS: Record<number, string> = {
  1: "84f4e48b65847a7cbeeffb707a7bea35ef8d1c0a0077d7cf2532bca2d436e24c",
  2: "84f4e48b65847a7cbeeffb707a7bea35ef8d1c0a0077d7cf2532bca2d436e24c",
  3: "9dad5e8e971e36b8c7327662a3fa8240dc95fdaaab06765e83afa04ff183df37",
  4: "92d8e25236fda37329b093c0430efd3d578510915ec77d5ff39291d2427972db",
  5: "a4504907cd15ff18eac7e9efbc76ee757f7fa7d5aaac2cef767718a5ade57ce5",
  6: "106c1e54c21af40777d0386afc179b98c3aa8dae7a62ffe71f6125023e4fceb7",
  7: "b1ad8de0ef3f66fea0fb73b4e89fcfd5d02185f9e29bf3ca83d2787a0bbf608a",
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
