import type { Remote } from "comlink";
import { transfer, wrap } from "comlink";
import { defineStore } from "pinia";
import { shallowRef, watch } from "vue";
import type { MeasuredLateral } from "#core/comp/lateral";
import type { MeasuredGrain } from "#core/comp/measureGrain";
import type { MeasuredSharpness } from "#core/comp/sharpness";
import type { Area } from "#core/comp/stages/grain";
import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import { plain } from "../plain.ts";
import type { Measuring } from "../workers/measure.worker.ts";
import { usePlate } from "./plate.ts";
import { useShot } from "./shot.ts";

/** Grain and sharpness of the open plate, measured in a worker. */
export const useMeasuring = defineStore("measuring", () => {
  const plate = usePlate();
  const store = useShot();
  const grain = shallowRef<MeasuredGrain | null>(null);
  const sharpness = shallowRef<MeasuredSharpness | null>(null);
  const busy = shallowRef(false);
  let worker: Remote<Measuring> | null = null;
  watch(
    () => [store.id, store.shot?.plates.main.codes].join(),
    () => {
      grain.value = null;
      sharpness.value = null;
    },
  );

  async function ask<T>(
    question: (measure: Remote<Measuring>, own: { width: number; height: number; linear: Float32Array }) => Promise<T>,
  ): Promise<T | null> {
    const { shown } = plate;
    if (!shown) return null;
    const check = store.stays();
    worker ??= wrap<Measuring>(
      new Worker(new URL("../workers/measure.worker.ts", import.meta.url), { type: "module" }),
    );
    busy.value = true;
    try {
      const linear = shown.linear.slice();
      const found = await question(
        worker,
        transfer({ width: shown.width, height: shown.height, linear }, [linear.buffer]),
      );
      check();
      return found;
    } finally {
      busy.value = false;
    }
  }

  /** On the parts of the plate that are given, or else all over it. */
  async function measureGrain(areas: readonly Area[]): Promise<MeasuredGrain | null> {
    grain.value = await ask((measure, own) => measure.grain(own, plain([...areas])));
    return grain.value;
  }

  /** By the edges that are marked on the plate. */
  async function measureSharpness(shot: Shot): Promise<MeasuredSharpness | null> {
    const lines = Object.values(shot.edges).map(({ points }) => points.map(([x, y]): Vec2 => [x, y]));
    sharpness.value = await ask((measure, own) => measure.sharpness(own, lines));
    return sharpness.value;
  }

  /** By one edge that was picked, such as one beside the prop. */
  async function measureEdge(line: Vec2[]): Promise<MeasuredSharpness | null> {
    sharpness.value = await ask((measure, own) => measure.edge(own, line));
    return sharpness.value;
  }

  /** Lateral colour by the same edges, and those that the plate has. */
  function measureLateral(shot: Shot): Promise<MeasuredLateral | null> {
    const lines = Object.values(shot.edges).map(({ points }) => points.map(([x, y]): Vec2 => [x, y]));
    return ask((measure, own) => measure.lateral(own, lines));
  }

  /** Surroundings made up from the plate, as an EXR file; null without a plate. */
  const aroundPlate = (camera: Camera): Promise<Uint8Array<ArrayBuffer> | null> =>
    ask((measure, own) => measure.around(own, plain(camera)));

  return { aroundPlate, measureLateral, measureEdge, grain, sharpness, busy, measureGrain, measureSharpness };
});
