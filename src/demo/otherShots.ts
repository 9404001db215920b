import { solve } from "#core/match/solve";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Placement } from "#core/props/transform";
import { cameraOf } from "#core/render/scene";
import { requestOfShot } from "#core/match/requestOfShot";
import { takeCamera } from "#core/shot/resolve";
import type { PlateInfo } from "#core/plate/schema";
import type { Prop } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { newEdge } from "#core/match/schema";
import { newLamp } from "#core/light/schema";
import { newShot } from "#core/shot/schema";
import { plainProp } from "#core/props/schema";
import * as loft from "./netloft.ts";
import * as slip from "./slipway.ts";

/** The net loft and the slipway as finished shots: marks set to half a pixel, the camera solved from them. */

const half = (p: Vec2): Vec2 => [Math.round(p[0] * 2) / 2, Math.round(p[1] * 2) / 2];

const ownShot = (name: string, plate: PlateInfo): Shot =>
  newShot(name, { ...plate, owner: "Red Harbor", licence: "CC0 (made by the demo's own code)" });

/** Marks the edges that lie in the frame, and solves. */
function markAndSolve(shot: Shot, truth: Camera, edges: { axis: string; from: Vec3; to: Vec3 }[], ties: Vec3[]): Camera {
  edges.forEach((e, i) => {
    const id = `edge-${i + 1}`;
    const ends = [e.from, e.to].map((p) => projectPoint(truth, p));
    if (ends[0] && ends[1]) shot.edges[id] = newEdge(id, e.axis, [half(ends[0]), half(ends[1])]);
  });
  ties.forEach((world, i) => {
    const id = `tie-${i + 1}`;
    shot.ties[id] = { id, pixel: half(projectPoint(truth, world)!), world, muted: false };
  });
  shot.lens.solveK1 = true;
  takeCamera(shot, solve(requestOfShot(shot)));
  const camera = cameraOf(shot);
  if (!camera) throw new Error(`The camera of “${shot.name}” could not be solved.`);
  return camera;
}

const prop = (id: string, name: string, asset: string, fileName: string, p: Placement): Prop => ({
  id,
  name,
  source: { kind: "model", asset, fileName },
  placement: { position: p.position, turnDeg: toDegrees(p.turn), leanDeg: [toDegrees(p.lean[0]), toDegrees(p.lean[1])], scale: p.scale },
  keeps: "metres",
  ...plainProp(),
});

const corners = (list: Vec2[]) => list.map(([x, y]) => ({ pixel: null, world: [x, y, 0] as Vec3 }));

export function netloftShot(plate: PlateInfo, assets: { kettle: string; float: string }): Shot {
  const shot = ownShot("Net loft, kettle and float", plate);
  const { bench, room } = loft;
  markAndSolve(shot, loft.camera, loft.straightEdges, [
    [bench.x0, bench.y0, bench.top],
    [bench.x1, bench.y0, bench.top],
    [bench.x1, bench.y1, bench.top],
  ]);
  const { x0, x1, y0, y1 } = bench;
  shot.set["ground-1"] = {
    id: "ground-1",
    name: "Floor",
    role: "catcher",
    kind: "ground",
    height: 0,
    vertices: corners([[0, 0], [room.width, 0], [room.width, room.depth], [0, room.depth]]),
  };
  // Room for the props' shadows on the bench; its legs need not be drawn.
  shot.set["ground-2"] = { id: "ground-2", name: "Bench", role: "catcher", kind: "ground", height: bench.top, vertices: corners([[x0, y0], [x1, y0], [x1, y1], [x0, y1]]) };
  [0, 1, 2, 3].forEach((edge) => {
    const id = `wall-${edge + 1}`;
    const name = ["South wall", "East wall", "Gable", "West wall"][edge];
    shot.set[id] = { id, name, role: "catcher", kind: "wall", on: "ground-1", edge, height: room.eaves + 0.6 };
  });
  loft.lamps.forEach((lamp, i) => {
    const id = `lamp-${i + 1}`;
    const azimuthDeg = toDegrees(Math.atan2(lamp.facing[0], lamp.facing[1]));
    const top = Math.max(...lamp.radiance);
    shot.light.lamps[id] = {
      ...newLamp(id, "rectangle", lamp.position.map((v) => Number(v.toFixed(3))) as Vec3),
      name: lamp.name,
      azimuthDeg,
      tiltDeg: 0,
      size: lamp.size,
      colour: lamp.radiance.map((v) => Number((v / top).toFixed(4))) as Vec3,
      level: Number(top.toFixed(3)),
    };
  });
  shot.light.sun.on = false;
  shot.light.sunIrradiance = [0, 0, 0];
  shot.light.skyRadiance = [0, 0, 0];
  shot.light.albedo = { name: "Typed", colour: loft.BENCH_ALBEDO, spread: 0.04 };
  shot.light.gloss = 0.7;
  shot.light.glossRoughness = 0.6;
  shot.props["prop-1"] = prop("prop-1", "Copper kettle", assets.kettle, "kettle.glb", loft.kettlePlace);
  shot.props["prop-2"] = prop("prop-2", "Net float", assets.float, "float.glb", loft.floatPlace);
  return shot;
}

export function slipwayShot(plate: PlateInfo, boat: string, placement: Placement): Shot {
  const shot = ownShot("Slipway, rowing boat", plate);
  const w = slip.HALF_WIDTH;
  const ties: Vec3[] = [[-1.7, -1, 0], [1.7, -1, 0], [1.7, 5, 0], [-1.7, 5, 0]];
  const camera = markAndSolve(shot, slip.camera, slip.straightEdges, ties);
  const ground: Vec3[] = [[-w, -4.8, 0], [w, -4.8, 0], [w, 18, 0], [-w, 18, 0]];
  shot.set["ground-1"] = {
    id: "ground-1",
    name: "Ramp",
    role: "catcher",
    kind: "ground",
    height: 0,
    vertices: ground.map((world) => {
      const pixel = projectPoint(slip.camera, world);
      const inside = pixel && pixel[0] > 0 && pixel[1] > 0 && pixel[0] < plate.width && pixel[1] < plate.height;
      const own = inside ? pixelOnPlane(camera, half(pixel), groundPlane()) : null;
      return own && pixel ? { pixel: half(pixel), world: own } : { pixel: null, world };
    }),
  };
  shot.light.sun.on = false;
  shot.light.sunIrradiance = [0, 0, 0];
  // An even sky of the overcast one's irradiance: 7/9 of its zenith (CIE S 011, integrated over the hemisphere).
  shot.light.skyRadiance = slip.ZENITH.map((v) => Number(((v * 7) / 9).toFixed(4))) as Vec3;
  shot.light.albedo = { name: "Typed", colour: slip.RAMP_ALBEDO, spread: 0.03 };
  shot.props["prop-1"] = prop("prop-1", "Rowing boat", boat, "boat.glb", placement);
  return shot;
}
