import { expect, test } from "@jest/globals";
import { testShot } from "../testing/shots.ts";
import { writeExr } from "#core/image/exr";
import { compileKernel } from "./kernelFile.ts";
import { passHeader } from "./passFile.ts";
import { plateOf } from "./plateRows.ts";
import { RowFinisher } from "./finishRowsJob.ts";

const [WIDTH, HEIGHT] = [64, 48];
const size = { width: WIDTH, height: HEIGHT };
const exr = (width: number, height: number, names: string[]): Uint8Array =>
  writeExr(
    width,
    height,
    names.map((name) => ({ name, values: new Float32Array(width * height).fill(1) })),
  );

test("a pass of another size, or without a channel, is refused with what to do", () => {
  expect(passHeader(exr(WIDTH, HEIGHT, ["R", "G", "B"]), "ratio", size)).toMatchObject(size);
  expect(() => passHeader(exr(WIDTH, 32, ["R", "G", "B"]), "ratio", size)).toThrow(
    "The pass “ratio” is 64 × 32 and the picture 64 × 48. Render it again.",
  );
  expect(() => passHeader(exr(WIDTH, HEIGHT, ["R", "B"]), "ratio", size)).toThrow(
    "The pass “ratio” has no channel G. Render it again.",
  );
});

test("rows are not finished from passes that are not the picture's", async () => {
  const shot = testShot(WIDTH, HEIGHT);
  const band = { y0: 0, y1: HEIGHT };
  const ratio = exr(WIDTH, HEIGHT, ["R", "G", "B"]);
  const files = {
    prop: exr(WIDTH, HEIGHT, ["R", "G", "B", "A"]),
    ratio,
    added: ratio,
    depth: exr(WIDTH, HEIGHT, ["Z"]),
    occlusion: null,
  };
  const finisher = async (own: typeof files) =>
    RowFinisher.open({
      shot,
      plate: plateOf(shot, new Uint8Array(WIDTH * HEIGHT * 3)),
      percent: 100,
      size,
      renderedSigma: 0.5,
      bands: [band],
      halo: 0,
      mostRows: HEIGHT,
      source: { kind: "files", files: own },
      passes: [],
      occlusion: false,
      module: await compileKernel(),
    });
  const rows = await (await finisher(files)).finish({ bands: [band] });
  expect(rows.png.picture.length).toBe((WIDTH * 3 + 1) * HEIGHT);
  const wide = await finisher({ ...files, added: exr(2 * WIDTH, HEIGHT, ["R", "G", "B"]) });
  await expect(wide.finish({ bands: [band] })).rejects.toThrow("The pass “added” is 128 × 48");
});
