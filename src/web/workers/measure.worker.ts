import { expose } from "comlink";
import type { MeasuredGrain } from "#core/comp/measureGrain";
import { measureGrain } from "#core/comp/measureGrain";
import type { MeasuredSharpness } from "#core/comp/sharpness";
import { plateSharpness } from "#core/comp/sharpness";
import type { Vec2 } from "#core/math/vec3";

interface Linear {
  width: number;
  height: number;
  linear: Float32Array;
}

/** What a plate has that a render must be brought to, measured away from the page. */
const measuring = {
  grain: (plate: Linear): MeasuredGrain | null => measureGrain(plate),
  sharpness: (plate: Linear, lines: Vec2[][]): MeasuredSharpness | null => plateSharpness(plate, lines),
};

export type Measuring = typeof measuring;
expose(measuring);
