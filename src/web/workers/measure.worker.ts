import { expose, transfer } from "comlink";
import type { MeasuredLateral } from "#core/comp/lateral";
import { measureLateral } from "#core/comp/lateral";
import type { MeasuredGrain } from "#core/comp/measureGrain";
import { measureGrain } from "#core/comp/measureGrain";
import type { MeasuredSharpness } from "#core/comp/sharpness";
import { measureSharpness, plateSharpness } from "#core/comp/sharpness";
import type { Area } from "#core/comp/stages/grain";
import { colourChannels, writeExr } from "#core/image/exr";
import { aroundFromPlate } from "#core/light/surroundings/fromPlate";
import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";

interface Linear {
  width: number;
  height: number;
  linear: Float32Array;
}

/** What a plate has that a render must be brought to, measured away from the page. */
const measuring = {
  /** Surroundings made up from the plate, as an EXR file. */
  around(plate: Linear, camera: Camera): Uint8Array<ArrayBuffer> {
    const { width, height, pixels } = aroundFromPlate(camera, plate);
    const exr = writeExr(width, height, colourChannels(pixels, 3));
    return transfer(exr, [exr.buffer]);
  },
  lateral: (plate: Linear, lines: Vec2[][]): MeasuredLateral | null => measureLateral(plate, lines),
  grain: (plate: Linear, areas: Area[]): MeasuredGrain | null => measureGrain(plate, areas),
  edge: (plate: Linear, line: Vec2[]): MeasuredSharpness | null => measureSharpness(plate, [line], 1),
  sharpness: (plate: Linear, lines: Vec2[][]): MeasuredSharpness | null => plateSharpness(plate, lines),
};

export type Measuring = typeof measuring;
expose(measuring);
