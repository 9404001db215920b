import { expect, test } from "@jest/globals";
import { modelsAmong } from "./modelsAmong.ts";

const dropped = (path: string, head = "") => ({ path, file: new File([head], path.split("/").at(-1)!) });
const groups = async (...files: ReturnType<typeof dropped>[]) =>
  (await modelsAmong(files)).map((group) => group.map(({ path }) => path));

test("several whole models are brought in each by itself, whatever their names end with", async () => {
  expect(
    await groups(
      dropped("crate.bin", "glTF"),
      dropped("buoy", "ply\n"),
      dropped("block.STL"),
      dropped("net.zip", "PK\x03\x04"),
    ),
  ).toEqual([["crate.bin"], ["buoy"], ["block.STL"], ["net.zip"]]);
});

test("a model in several files takes along what is no model; the same in several formats is one", async () => {
  expect(
    await groups(
      dropped("crate.obj"),
      dropped("crate.mtl"),
      dropped("planks.png"),
      dropped("crate.glb", "glTF"),
      dropped("buoy.glb", "glTF"),
    ),
  ).toEqual([["crate.obj", "crate.glb", "crate.mtl", "planks.png"], ["buoy.glb"]]);
  // Of what nobody asked for it is said that it was left.
  expect(await groups(dropped("buoy.glb", "glTF"), dropped("read me.txt"))).toEqual([["buoy.glb", "read me.txt"]]);
});

test("a folder is one model, and what is none at all is still asked about", async () => {
  const folder = [dropped("crate/crate.obj"), dropped("crate/parts/lid.obj"), dropped("crate/planks.png")];
  expect(await groups(...folder)).toEqual([folder.map(({ path }) => path)]);
  expect(await groups(dropped("letter.txt"), dropped("plan.pdf"))).toEqual([["letter.txt", "plan.pdf"]]);
  expect(await groups()).toEqual([]);
});
