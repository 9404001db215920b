import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import type { StepName } from "../../stores/desk.ts";
import type { Sight } from "../sight.ts";
import { boxHandles } from "./box.ts";
import { grainHandles } from "./grain.ts";
import type { Handle } from "./handle.ts";
import { lightHandles } from "./light.ts";
import type { Loose } from "./loose.ts";
import { looseHandles } from "./loose.ts";
import { markHandles } from "./marks.ts";
import { matteHandles } from "./mattes.ts";
import type { PropHands } from "./props.ts";
import { propHandles } from "./props.ts";
import type { Chosen } from "./set.ts";
import { setHandles } from "./set.ts";

/** What handles are made from. */
export interface HandleScene {
  shot: Shot;
  camera: Camera | null;
  sight: Sight | null;
  chosen: Chosen;
  /** The test box is shown. */
  box: boolean;
  /** The compass rose is shown. */
  rose: boolean;
  /** Heights of the props' models as they stand. */
  heights: Map<string, number>;
  propHands: PropHands;
  loose: Loose;
  /** The matte that is worked on. */
  matte: string | null;
  /** The parts that grain is measured on are shown. */
  grain: boolean;
}

const through = (scene: HandleScene, make: (camera: Camera) => Handle[]): Handle[] =>
  scene.camera && scene.sight?.plate ? make(scene.camera) : [];

/** What can be grabbed in each step. A forgotten step is a type error. */
const HANDLES: Record<StepName, (scene: HandleScene) => Handle[]> = {
  plate: () => [],
  camera: (scene) => [
    ...looseHandles(scene.camera, scene.loose),
    ...markHandles(scene.shot),
    ...(scene.box ? through(scene, (camera) => boxHandles(scene.shot, camera)) : []),
  ],
  set: ({ shot, sight, chosen }) => (sight ? setHandles(shot, sight, chosen) : []),
  props: ({ shot, sight, heights, propHands }) => (sight ? propHandles(shot, sight, heights, propHands) : []),
  light: (scene) => through(scene, (camera) => lightHandles(scene.shot, camera, scene.rose)),
  render: () => [],
  comp: ({ shot, matte, grain }) => [...matteHandles(shot, matte), ...(grain ? grainHandles(shot) : [])],
  handover: () => [],
};

/** All handles of a step. */
export const handlesOf = (step: StepName, scene: HandleScene): Handle[] => HANDLES[step](scene);
