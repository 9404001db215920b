import { describe, expect, test } from "@jest/globals";
import { plainProp } from "../../props/schema.ts";
import type { Prop } from "../../props/schema.ts";
import type { SitScene } from "../scene.ts";
import { unkept } from "../scene.ts";
import { modelLicences, yardsticks } from "./props.ts";

/** A box of a size under a name. */
const named = (name: string, size: [number, number, number], scale = 1): Prop => ({
  id: "prop-1",
  name,
  source: {
    kind: "shape",
    shape: { kind: "box", size, bevel: 0 },
    colour: [0.5, 0.5, 0.5],
    roughness: 0.5,
    metallic: 0,
  },
  placement: { position: [0, 0, 0], turnDeg: 0, leanDeg: [0, 0], scale: [scale, scale, scale] },
  keeps: "metres",
  ...plainProp(),
});
const model = (asset: string): Prop => ({
  ...named("crane", [1, 1, 1]),
  source: { kind: "model", asset, fileName: "crane.glb", reading: { unit: 1, up: "z" }, skin: null },
});
const sceneOf = (prop: Prop, licences: Record<string, string> | null = null) =>
  ({ shot: { props: { [prop.id]: prop } }, models: new Map(), known: { ...unkept, licences } }) as unknown as SitScene;

describe("size by what a prop is called", () => {
  test.each([
    ["Euro pallet", [1.2, 0.8, 0.144]],
    ["Oak table", [1.6, 0.9, 0.75]],
    ["Green door 2", [0.8, 0.05, 2.0]],
  ] as const)("%s of the size that such things have is well", (name, size) => {
    expect(yardsticks.look(sceneOf(named(name, [...size])))!.score).toBeLessThan(1);
  });

  test("a table scaled to 90 cm is named with what it measures", () => {
    const line = yardsticks.look(sceneOf(named("Oak table", [1.6, 0.9, 0.75], 1.2)))!;
    expect(line.score).toBeGreaterThan(2);
    expect(line.words).toContain("“Oak table” measures 0.90 m where such things have 0.75 m");
  });

  test("what only has such a word in its name, and what nobody measured, is left alone", () => {
    expect(yardsticks.look(sceneOf(named("Table lamp", [0.2, 0.2, 0.4])))).toBeNull();
    expect(yardsticks.look(sceneOf(named("Copper kettle", [0.2, 0.2, 0.3])))).toBeNull();
  });
});

describe("licences of models", () => {
  const hash = "a".repeat(64);
  test("said or not said in the library; nothing where there is no library or no model", () => {
    expect(modelLicences.look(sceneOf(model(hash), { [hash]: "CC0" }))).toMatchObject({
      score: 0,
      value: "1 of 1 said",
    });
    const unsaid = modelLicences.look(sceneOf(model(hash), { [hash]: "" }))!;
    expect(unsaid.score).toBeNull();
    expect(unsaid.words).toContain("“crane”");
    expect(modelLicences.look(sceneOf(model(hash)))).toBeNull();
    expect(modelLicences.look(sceneOf(named("box", [1, 1, 1]), {}))).toBeNull();
  });
});
