import { expect, test } from "@jest/globals";
import { boxOfView, held, placeAt, WHOLE_WORLD, zoomedAt } from "./worldMap.ts";

test("the whole world's corners, middle and quarters are where an equirectangular map has them", () => {
  expect(placeAt(WHOLE_WORLD, [0, 0])).toEqual({ longitude: -180, latitude: 90 });
  expect(placeAt(WHOLE_WORLD, [1, 1])).toEqual({ longitude: 180, latitude: -90 });
  expect(placeAt(WHOLE_WORLD, [0.75, 0.25])).toEqual({ longitude: 90, latitude: 45 });
});

test("coming nearer keeps the place under the pointer, and going back ends at the whole world", () => {
  const at: [number, number] = [0.48, 0.21];
  const before = placeAt(WHOLE_WORLD, at);
  let view = WHOLE_WORLD;
  for (let i = 0; i < 6; i++) view = zoomedAt(view, at, 1.5);
  const after = placeAt(view, at);
  expect(after.longitude).toBeCloseTo(before.longitude, 9);
  expect(after.latitude).toBeCloseTo(before.latitude, 9);
  for (let i = 0; i < 20; i++) view = zoomedAt(view, [0.9, 0.9], 1 / 1.5);
  expect(view).toEqual({ zoom: 1, longitude: expect.closeTo(0, 9), latitude: expect.closeTo(0, 9) });
});

test("no view goes beyond the world's border", () => {
  const [left, top, width, height] = boxOfView(held({ longitude: 179, latitude: -89, zoom: 4 }));
  expect(left + width).toBeCloseTo(180, 9);
  expect(top + height).toBeCloseTo(90, 9);
});
