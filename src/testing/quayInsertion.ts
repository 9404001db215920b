import { compositeLinear } from "#core/comp/composite";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { importGlb } from "#core/exchange/gltf";
import type { Region } from "#core/trace/tiles";
import { placePoint, standing } from "#core/props/transform";
import { surfaceMesh } from "#core/set/surfaces";
import { developFilm } from "#core/trace/film";
import type { SetPiece, TraceScene } from "#core/trace/scene";
import { decodeTexture } from "#node/images";
import { renderScene } from "#node/renderScene";
import * as quay from "../demo/quay.ts";
import { demoFile } from "../demo/shot.ts";
import type { InsertionFigures } from "./insertion.ts";
import { insertionFigures } from "./insertion.ts";
import { readExr } from "#node/readExr";

/** Part of the plate that the buoy and its shadow touch. */
export const BUOY_REGION: Region = { x0: 330, y0: 300, x1: 1010, y1: 800 };

export interface QuayInsertion {
  camera: Camera;
  sun: TraceScene["sun"];
  sky: Vec3;
  set: SetPiece[];
  floorAlbedo: Vec3;
}

/** Ground as a user draws it on the plate, seen through a camera. */
export function drawnGround(camera: Camera, pixels: Vec2[], albedo: Vec3): SetPiece {
  const vertices = pixels.map((pixel) => ({ pixel, world: pixelOnPlane(camera, pixel, groundPlane())! }));
  const mesh = surfaceMesh({}, { id: "g", name: "g", role: "catcher", kind: "ground", height: 0, vertices })!;
  return { ...mesh, catcher: true, albedo, specular: 0, roughness: 0.5 };
}

/** Inserts the buoy into the clean plate and compares with the picture in which it stood there. */
export async function insertBuoy(
  setup: QuayInsertion,
  samples: number,
): Promise<{ figures: InsertionFigures; composite: Float32Array; truth: Float32Array }> {
  const without = readExr(await demoFile("clean.exr"), 3);
  const truth = readExr(await demoFile("clean-with-buoy.exr"), 3);
  const { model } = await importGlb(await demoFile("buoy.glb"), decodeTexture);
  const placement = { ...standing(quay.buoyPlace.position), turn: quay.buoyPlace.turn };
  const { width, height } = without;
  const scene: TraceScene = {
    camera: setup.camera,
    frame: { width, height },
    set: setup.set,
    props: [{ model, placement }],
    sun: setup.sun,
    sky: setup.sky,
    floor: { height: -0.002, albedo: setup.floorAlbedo },
    plate: without,
    mask: null,
    backdrop: null,
    picture: false,
  };
  const film = await renderScene(
    scene,
    { width, height, seed: 3, maxDepth: 6, filterWidth: 1 },
    { samples, region: BUOY_REGION },
  );
  const passes = developFilm(film, width, height);
  const composite = compositeLinear({ width, height, linear: without.pixels }, passes);
  const contacts: Vec2[] = [];
  for (const [sx, sy] of [
    [1, 1],
    [-1, 1],
    [-1, -1],
    [1, -1],
  ]) {
    for (const [dx, dy] of [
      [0, 0],
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ]) {
      const p = projectPoint(quay.camera, placePoint(placement, [0.52 * sx + 0.08 * dx, 0.52 * sy + 0.08 * dy, 0]));
      if (p) contacts.push(p);
    }
  }
  const alpha = Float32Array.from({ length: width * height }, (_, i) => passes.prop[i * 4 + 3]);
  const figures = insertionFigures({
    width,
    height,
    without: without.pixels,
    truth: truth.pixels,
    composite,
    alpha,
    contacts,
    region: BUOY_REGION,
  });
  return { figures, composite, truth: truth.pixels };
}
