import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import type { Sighting } from "#core/light/sightings/index";
import { newProbe } from "#core/light/schema";
import { sunFromSightings } from "#core/light/sightings/solve";
import { solve } from "#core/match/solve";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { cameraOf } from "#core/render/scene";
import { requestOfShot } from "#core/match/requestOfShot";
import { takeCamera } from "#core/shot/resolve";
import type { PlateInfo } from "#core/plate/schema";
import type { Shot } from "#core/shot/schema";
import { newEdge, newLength } from "#core/match/schema";
import { newShot } from "#core/shot/schema";
import { plainProp, plainReading } from "#core/props/schema";
import { MAIN_PLATE } from "#core/plate/schema";
import { ROUGH, newMaterial } from "#core/set/materials";
import { kindOf } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { bodyOf } from "#core/set/shell/make";
import { placedVertex, typedVertex } from "#core/set/vertex";
import { ridged } from "./otherShots.ts";
import { takePlateLook, takeProbedLight } from "./probed.ts";
import { GREY_CARD } from "./greyCard.ts";
import * as quay from "./quay.ts";

export const demoFolder = fileURLToPath(new URL("../../demo/quay/", import.meta.url));
/** A place's file as it is committed. */
export const demoFile = (name: string, place = "quay"): Promise<Uint8Array> =>
  readFile(fileURLToPath(new URL(`../../demo/${place}/${name}`, import.meta.url))).then((b) => new Uint8Array(b));

export interface QuayTruth {
  edges: { id: string; axis: "x" | "y" | "z"; points: [Vec2, Vec2] }[];
  origin: Vec2;
  length: { points: [Vec2, Vec2]; metres: number };
  sighting: { footPixel: Vec2; topPixel: Vec2; tipPixel: Vec2 };
  ground: { pixel: Vec2 }[];
  probes: { lit: Vec2; shaded: Vec2 };
  buoy: { position: [number, number, number]; turnDeg: number };
}

export const quayTruth = async (): Promise<QuayTruth> =>
  JSON.parse(new TextDecoder().decode(await demoFile("truth.json"))) as QuayTruth;

const half = (p: Vec2): Vec2 => [Math.round(p[0] * 2) / 2, Math.round(p[1] * 2) / 2];
/** As set under the loupe. */
export const eighth = (p: Vec2): Vec2 => [Math.round(p[0] * 8) / 8, Math.round(p[1] * 8) / 8];

/** The near corner of the ice house's eaves, and its shadow on the paving. */
function eavesShadow(): { top: Vec3; tip: Vec3 } {
  const top: Vec3 = [-0.28, -0.28, 3.1075];
  const [dx, dy, dz] = quay.sun.direction;
  return { top, tip: [top[0] - (dx / dz) * top[2], top[1] - (dy / dz) * top[2], 0] };
}

/** Foot and top of the railing's inner posts, and where their shadows end on the paving. */
function postShadows(): { foot: Vec3; top: Vec3; tip: Vec3 }[] {
  const [dx, dy, dz] = quay.sun.direction;
  const tall = quay.railing.height + 0.05;
  return quay.railing.posts.slice(1, -1).map((y) => ({
    foot: [quay.railing.x, y, 0],
    top: [quay.railing.x, y, tall],
    tip: [quay.railing.x - (dx / dz) * tall, y - (dy / dz) * tall, 0],
  }));
}

/** Places of the plate with nothing but sunlit paving. */
const OPEN_PAVING: Vec2[] = [
  [367, 943],
  [770, 983],
  [1334, 983],
];
/** And with paving in the ice house's shadow. */
const SHADED_PAVING: Vec2[] = [
  [770, 551],
  [850, 553],
];

/** The quay as a finished shot: marks set to half a pixel, everything else solved from them. */
export async function demoShot(plate: PlateInfo, codes: Uint8Array, buoyAsset: string): Promise<Shot> {
  const truth = await quayTruth();
  const shot = newShot("Quay, channel buoy", {
    ...plate,
    owner: "Red Harbor",
    licence: "CC0 (made by the demo's own code)",
  });
  truth.edges.forEach((e, i) => {
    const id = `edge-${i + 1}`;
    shot.edges[id] = newEdge(id, e.axis, [half(e.points[0]), half(e.points[1])]);
  });
  // Everything hangs on the origin, so that it is set under the loupe.
  shot.origin = eighth(truth.origin);
  shot.lengths["length-1"] = {
    ...newLength("length-1", half(truth.length.points[0]), half(truth.length.points[1])),
    name: "Ice house door",
    metres: truth.length.metres,
  };
  const post = quay.sightingTruth();
  const [postFoot, postTop] = [post.foot, post.top].map((p) => half(projectPoint(quay.camera, p)!));
  shot.lengths["length-2"] = {
    ...newLength("length-2", postFoot, postTop),
    name: "Railing's end post",
    metres: post.top[2],
  };
  shot.lens.solveK1 = true;
  takeCamera(shot, solve(requestOfShot(shot)));
  const camera = cameraOf(shot);
  if (!camera) throw new Error("The demo's camera could not be solved.");
  const onGround = (pixel: Vec2) => pixelOnPlane(camera, pixel, groundPlane())!;
  shot.materials = {
    paving: { ...newMaterial("paving", "Quay paving", GREY_CARD.paving, 0.03, "grey card"), ...ROUGH },
    limewash: { ...newMaterial("limewash", "Limewash", [0.5, 0.46, 0.4], 0.1, "grey card"), ...ROUGH },
    slate: { ...newMaterial("slate", "Slate roof", [0.1, 0.11, 0.13], 0.2, "grey card"), ...ROUGH },
  };
  shot.ground = "paving";
  const vertices = truth.ground.map((g) => placedVertex(onGround(g.pixel), g.pixel));
  shot.set["polygon-1"] = makePart("polygon-1", "Quay", { kind: "polygon", vertices, holes: [] }, "paving");
  // The ice house with its gable roof: it casts the shadow which the plate already has.
  const { width, depth, eaves, ridge } = quay.iceHouse;
  const base = (
    [
      [0, 0],
      [width, 0],
      [width, depth],
      [0, depth],
    ] as Vec2[]
  ).map(([x, y]) => typedVertex([x, y, 0]));
  const house = makePart(
    "block-1",
    "Ice house",
    { kind: "block", base, height: eaves, closed: true },
    "limewash",
    "blocker",
  );
  const body = ridged(bodyOf(kindOf(house).faces(house, {})), "lid", ridge - eaves);
  const roof = Object.keys(body.faces).filter((id) => id === "lid" || id.startsWith("f"));
  shot.set["block-1"] = {
    ...makePart("block-1", "Ice house", { kind: "shell", ...body }, "limewash", "blocker"),
    faceMaterials: Object.fromEntries(roof.map((id) => [id, "slate"])),
  };
  const { footPixel, topPixel, tipPixel } = truth.sighting;
  shot.light.sightings["sighting-1"] = {
    id: "sighting-1",
    plate: MAIN_PLATE,
    kind: "upright",
    foot: half(footPixel),
    top: half(topPixel),
    tip: half(tipPixel),
    muted: false,
  };
  // The eaves' near corner and its shadow on the paving.
  shot.light.sightings["sighting-2"] = {
    id: "sighting-2",
    plate: MAIN_PLATE,
    kind: "pair",
    ...Object.fromEntries(
      Object.entries(eavesShadow()).map(([key, at]) => [key, half(projectPoint(quay.camera, at)!)]),
    ),
    muted: false,
  } as Sighting;
  postShadows().forEach(({ foot, top, tip }, i) => {
    const id = `sighting-${i + 3}`;
    const at = (p: Vec3) => half(projectPoint(quay.camera, p)!);
    const marks = { foot: at(foot), top: at(top), tip: at(tip) };
    shot.light.sightings[id] = { id, plate: MAIN_PLATE, kind: "upright", ...marks, muted: false };
  });
  const sun = sunFromSightings(camera, Object.values(shot.light.sightings), shot.set);
  if (!sun || typeof sun === "string") throw new Error(sun ?? "The demo has no sighting.");
  shot.light.sun = { ...shot.light.sun, azimuthDeg: toDegrees(sun.azimuth), elevationDeg: toDegrees(sun.elevation) };
  shot.light.probes["probe-1"] = newProbe("probe-1", truth.probes.lit, 26, "lit");
  shot.light.probes["probe-2"] = newProbe("probe-2", truth.probes.shaded, 13, "shaded");
  // Stones differ: more of them tell more.
  OPEN_PAVING.forEach((pixel, i) => {
    shot.light.probes[`probe-${i + 3}`] = newProbe(`probe-${i + 3}`, pixel, 40, "lit");
  });
  SHADED_PAVING.forEach((pixel, i) => {
    shot.light.probes[`probe-${i + 6}`] = newProbe(`probe-${i + 6}`, pixel, 11, "shaded");
  });
  await takeProbedLight(shot, codes);
  takePlateLook(shot, codes);
  // It is set down under the loupe where it stands in the photograph with it.
  const stood = onGround(eighth(projectPoint(quay.camera, truth.buoy.position)!)).map((x) =>
    Number(x.toFixed(4)),
  ) as Vec3;
  shot.props["prop-1"] = {
    id: "prop-1",
    name: "Channel buoy",
    source: { kind: "model", asset: buoyAsset, fileName: "buoy.glb", reading: plainReading(), skin: null },
    placement: { position: stood, turnDeg: truth.buoy.turnDeg, leanDeg: [0, 0], scale: [1, 1, 1] },
    keeps: "metres",
    ...plainProp(),
  };
  return shot;
}
