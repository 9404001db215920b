import { solve } from "#core/match/solve";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, scale, toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Placement } from "#core/props/transform";
import type { Lamp } from "#core/trace/scene";
import { cameraOf } from "#core/render/scene";
import { requestOfShot } from "#core/match/requestOfShot";
import { takeCamera } from "#core/shot/resolve";
import type { PlateInfo } from "#core/plate/schema";
import type { Prop } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { newEdge } from "#core/match/schema";
import { windowAcross } from "#core/light/placing";
import { newLamp, newProbe } from "#core/light/schema";
import { newShot } from "#core/shot/schema";
import { plainProp, plainReading } from "#core/props/schema";
import { MATERIAL_PRESETS, ROUGH, fromPreset, newMaterial } from "#core/set/materials";
import { kindOf } from "#core/set/parts/index";
import { makePart } from "#core/set/parts/make";
import { evenRow } from "#core/set/parts/row";
import { cutFace } from "#core/set/shell/cut";
import type { Body } from "#core/set/shell/make";
import { bodyOf } from "#core/set/shell/make";
import { moveBy } from "#core/set/shell/move";
import { insetFace, pullFace } from "#core/set/shell/pull";
import { placedVertex, typedVertex } from "#core/set/vertex";
import { MAIN_PLATE } from "#core/plate/schema";
import { GREY_CARD } from "./greyCard.ts";
import * as loft from "./netloft.ts";
import { takePlateAlbedo, takePlateLook, takeProbedLight } from "./probed.ts";
import { eighth } from "./shot.ts";
import * as slip from "./slipway.ts";

/** The net loft and the slipway as finished shots: marks set to half a pixel, the camera solved from them. */

const half = (p: Vec2): Vec2 => [Math.round(p[0] * 2) / 2, Math.round(p[1] * 2) / 2];

const ownShot = (name: string, plate: PlateInfo): Shot =>
  newShot(name, { ...plate, owner: "Red Harbor", licence: "CC0 (made by the demo's own code)" });

/** Marks the edges that lie in the frame, and solves. */
function markAndSolve(
  shot: Shot,
  truth: Camera,
  edges: { axis: string; from: Vec3; to: Vec3 }[],
  ties: Vec3[],
): Camera {
  edges.forEach((e, i) => {
    const id = `edge-${i + 1}`;
    const ends = [e.from, e.to].map((p) => projectPoint(truth, p));
    if (ends[0] && ends[1]) shot.edges[id] = newEdge(id, e.axis, [half(ends[0]), half(ends[1])]);
  });
  ties.forEach((world, i) => {
    const id = `tie-${i + 1}`;
    shot.ties[id] = { id, plate: MAIN_PLATE, pixel: half(projectPoint(truth, world)!), world, muted: false };
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
  source: { kind: "model", asset, fileName, reading: plainReading(), skin: null },
  placement: {
    position: p.position,
    turnDeg: toDegrees(p.turn),
    leanDeg: [toDegrees(p.lean[0]), toDegrees(p.lean[1])],
    scale: p.scale,
  },
  keeps: "metres",
  ...plainProp(),
});

const level = (list: Vec2[], z = 0) => list.map(([x, y]) => typedVertex([x, y, z]));
const rectangle = (x0: number, y0: number, x1: number, y1: number, z = 0) =>
  level(
    [
      [x0, y0],
      [x1, y0],
      [x1, y1],
      [x0, y1],
    ],
    z,
  );

/** A block that stands clear of the ground, from a low corner to a high one. */
const box = (id: string, name: string, low: Vec3, high: Vec3, material: string, role?: "catcher" | "solid") =>
  makePart(
    id,
    name,
    {
      kind: "block",
      base: rectangle(low[0], low[1], high[0], high[1], low[2]),
      height: high[2] - low[2],
      closed: true,
    },
    material,
    role,
  );

/** Puts a ridge over a level face: the face is cut in two between the middles of opposite sides, and the cut raised. */
export function ridged(before: Body, face: string, rise: number): Body {
  const [a, b, c, d] = before.faces[face].rings[0];
  const cut = done(cutFace(before, face, { edge: [a, b], at: 0.5 }, { edge: [c, d], at: 0.5 }));
  const ends = Object.keys(cut.body.vertices).filter((id) => !before.vertices[id]);
  return done(moveBy(cut.body, ends, [0, 0, rise])).body;
}

/** Pulls a rectangle drawn on a level face down from it. */
export function pulledDown(
  before: Body,
  face: string,
  x0: number,
  y0: number,
  x1: number,
  y1: number,
  metres: number,
): Body {
  const z = before.vertices[before.faces[face].rings[0][0]].world[2];
  const inset = done(
    insetFace(before, face, [
      [x0, y0, z],
      [x1, y0, z],
      [x1, y1, z],
      [x0, y1, z],
    ]),
  );
  return done(pullFace(inset.body, inset.face, metres)).body;
}

function done<T>(outcome: T | string): T {
  if (typeof outcome === "string") throw new Error(outcome);
  return outcome;
}

/** Metres by which the loft's windows lie back in their walls. */
const REVEAL = 0.04;

/** Corners of one of the loft's windows, around it from its lower one, in the back of its recess. */
function windowOf({ position, facing, across, size }: Lamp): Vec3[] {
  const back = add(position, scale(facing, -0.012));
  return [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ].map(([i, j]) => add(add(back, scale(across, (i * size[0]) / 2)), [0, 0, (j * size[1]) / 2]));
}

/** Lets a part of a wall, by its corners on it, back into the wall. */
function recessed(before: Body, face: string, corners: Vec3[]): Body {
  const inset = done(insetFace(before, face, corners));
  return done(pullFace(inset.body, inset.face, -REVEAL)).body;
}

/** The windows look at one sky: they shine alike, with the level that the probes tell. */
export async function netloftShot(
  plate: PlateInfo,
  codes: Uint8Array,
  assets: { kettle: string; float: string },
): Promise<Shot> {
  const shot = ownShot("Net loft, kettle and float", plate);
  const { bench, room } = loft;
  markAndSolve(shot, loft.camera, loft.straightEdges, [
    [bench.x0, bench.y0, bench.top],
    [bench.x1, bench.y0, bench.top],
    [bench.x1, bench.y1, bench.top],
  ]);
  const { x0, x1, y0, y1 } = bench;
  // Planed and painted wood has a sheen, seen against the windows: index 1.4 against the 1.5 of weight 1.
  const sheen = { gloss: 0.7, roughness: 0.6 };
  shot.materials = {
    boards: newMaterial("boards", "Wall boards", GREY_CARD.wallBoards, 0.05, "grey card"),
    floor: newMaterial("floor", "Floor boards", GREY_CARD.floorBoards, 0.05, "grey card"),
    bench: { ...newMaterial("bench", "Bench top", GREY_CARD.benchTop, 0.04, "grey card"), ...sheen },
    beams: newMaterial("beams", "Tie beams", GREY_CARD.tieBeams, 0.1, "grey card"),
    frames: { ...newMaterial("frames", "Painted frames", GREY_CARD.paintedFrames, 0.05, "grey card"), ...sheen },
    staves: { ...newMaterial("staves", "Barrel staves", GREY_CARD.barrelStaves, 0.1, "grey card"), ...sheen },
    cloth: { ...newMaterial("cloth", "Book cloth", [0.16, 0.2, 0.22], 0.1, "grey card"), ...sheen },
  };
  shot.ground = "floor";
  // The room, closed behind the camera, with its roof raised over the ceiling.
  const walls = makePart(
    "room-1",
    "Room",
    { kind: "room", floor: rectangle(REVEAL, 0, room.width, room.depth - REVEAL), height: room.eaves },
    "boards",
  );
  let loftBody = ridged(bodyOf(kindOf(walls).faces(walls, {})), "ceiling", room.ridge - room.eaves);
  const boarded = new Set(Object.keys(loftBody.faces));
  for (const lamp of loft.lamps)
    loftBody = recessed(
      loftBody,
      lamp.facing[0] ? "wall-4" : "wall-3",
      windowOf(lamp).map((p) => add(p, scale(lamp.facing, REVEAL))),
    );
  // The windows are cased in painted wood.
  const painted = Object.fromEntries(
    Object.keys(loftBody.faces)
      .filter((face) => !boarded.has(face))
      .map((face) => [face, "frames"]),
  );
  shot.set["room-1"] = {
    ...makePart("room-1", "Room", { kind: "shell", ...loftBody }, "boards"),
    faceMaterials: { floor: "floor", ...painted },
  };
  const top = box("block-1", "Bench", [x0, y0, bench.top - bench.thick], [x1, y1, bench.top], "bench");
  let legs = bodyOf(kindOf(top).faces(top, {}));
  for (const x of [x0 + 0.05, x1 - 0.14])
    for (const y of [y0 + 0.05, y1 - 0.14])
      legs = pulledDown(legs, "base", x, y, x + 0.09, y + 0.09, bench.top - bench.thick);
  shot.set["block-1"] = makePart("block-1", "Bench", { kind: "shell", ...legs }, "bench");
  shot.set["block-2"] = box(
    "block-2",
    "Apron",
    [x0 + 0.08, y0 + 0.07, bench.top - bench.thick - 0.11],
    [x1 - 0.08, y0 + 0.1, bench.top - bench.thick],
    "beams",
  );
  shot.set["block-3"] = box("block-3", "Log book", [3.05, 3.45, bench.top], [3.33, 3.66, bench.top + 0.012], "cloth");
  const upper: [Vec3, Vec3] = [
    [3.08, 3.47, bench.top + 0.012],
    [3.34, 3.67, bench.top + 0.03],
  ];
  shot.set["block-15"] = box("block-15", "Upper log book", ...upper, "cloth");
  shot.set["block-5"] = box("block-5", "Stretcher", [x0 + 0.1, y1 - 0.12, 0.2], [x1 - 0.1, y1 - 0.07, 0.3], "beams");
  shot.set["post-1"] = makePart(
    "post-1",
    "Barrel",
    { kind: "post", foot: typedVertex([4.6, 5.3, 0]), axis: [0, 0, 0.77], radius: 0.27 },
    "staves",
    "catcher",
  );
  // Two tie beams are in the picture; the row goes on over the camera at their step.
  shot.set["block-4"] = box(
    "block-4",
    "Tie beam",
    [0.01, 0.15, room.eaves - 0.02],
    [room.width - 0.01, 0.26, room.eaves + 0.13],
    "beams",
  );
  shot.set["row-1"] = makePart("row-1", "Tie beams", evenRow("block-4", [0, 1, 0], 6), "beams", "catcher");
  loft.lamps.forEach((lamp, i) => {
    const id = `lamp-${i + 1}`;
    const [low, , high] = windowOf(lamp);
    shot.light.lamps[id] = {
      ...newLamp(id, "rectangle", [0, 0, 0]),
      ...windowAcross(low, high, lamp.facing),
      name: lamp.name,
      colour: [1, 1, 1],
      level: 10,
      like: i > 0 ? "lamp-1" : null,
    };
    const { facing, across } = lamp;
    const upright: Vec3 = [0, 0, 1];
    const middle = scale(add(low, high), 0.5);
    const [w, h] = lamp.size;
    // Metres that a sill stands out of the wall's recess, and beyond its window on both sides.
    const [out, beside] = facing[0] ? [0.07, 0.07] : [0.08, 0.1];
    const bar = (along: Vec3, half: number, wide: Vec3, own: number): [Vec3, Vec3] => [
      add(middle, add(scale(facing, 0.015), add(scale(along, -half), scale(wide, -own)))),
      add(middle, add(scale(facing, 0.03), add(scale(along, half), scale(wide, own)))),
    ];
    const built: [string, [Vec3, Vec3]][] = [
      [
        "Sill",
        [
          add(low, add(scale(across, -beside), [0, 0, -0.06])),
          add(low, add(scale(across, w + beside), scale(facing, out))),
        ],
      ],
      ["Upright bar", bar(upright, h / 2, across, 0.018)],
      ["Level bar", bar(across, w / 2, upright, 0.015)],
    ];
    built.forEach(([name, [from, to]], j) => {
      const [least, most] = [Math.min, Math.max].map((pick) => from.map((x, k) => pick(x, to[k])) as Vec3);
      const part = `block-${6 + 3 * i + j}`;
      shot.set[part] = box(part, `${name}, ${lamp.name}`, least, most, "frames");
    });
  });
  shot.light.sun.on = false;
  shot.light.sky.on = false;
  // Glass by the light of windows is noisy.
  shot.render.samples = 384;
  const patches: [Vec2, number][] = [
    [[427, 333], 50],
    [[940, 715], 40],
    [[80, 430], 40],
    [[840, 380], 36],
    [[620, 400], 40],
  ];
  patches.forEach(([pixel, radius], i) => {
    shot.light.probes[`probe-${i + 1}`] = newProbe(`probe-${i + 1}`, pixel, radius, "as set");
  });
  await takeProbedLight(shot, codes);
  takePlateLook(shot, codes);
  shot.props["prop-1"] = prop("prop-1", "Copper kettle", assets.kettle, "kettle.glb", loft.kettlePlace);
  shot.props["prop-2"] = prop("prop-2", "Net float", assets.float, "float.glb", loft.floatPlace);
  return shot;
}

export async function slipwayShot(
  plate: PlateInfo,
  codes: Uint8Array,
  boat: string,
  placement: Placement,
): Promise<Shot> {
  const shot = ownShot("Slipway, rowing boat", plate);
  const w = slip.HALF_WIDTH;
  const ties: Vec3[] = [
    [-1.7, -1, 0],
    [1.7, -1, 0],
    [1.7, 5, 0],
    [-1.7, 5, 0],
  ];
  const camera = markAndSolve(shot, slip.camera, slip.straightEdges, ties);
  shot.materials = {
    concrete: { ...newMaterial("concrete", "Cast concrete", GREY_CARD.concrete, 0.05, "grey card"), ...ROUGH },
    masonry: { ...newMaterial("masonry", "Quay masonry", GREY_CARD.masonry, 0.05, "grey card"), ...ROUGH },
  };
  const sea = fromPreset(
    MATERIAL_PRESETS.find(({ name }) => name === "Water")!,
    "water",
  );
  shot.materials.water = { ...sea, gloss: 0, shows: "colour" };
  shot.ground = "concrete";
  // The ramp goes on behind the camera, down to the water.
  const ground: Vec3[] = [
    [-w, -9, 0],
    [w, -9, 0],
    [w, 18, 0],
    [-w, 18, 0],
  ];
  const vertices = ground.map((world) => {
    const pixel = projectPoint(slip.camera, world);
    const inside = pixel && pixel[0] > 0 && pixel[1] > 0 && pixel[0] < plate.width && pixel[1] < plate.height;
    const own = inside ? pixelOnPlane(camera, half(pixel), groundPlane()) : null;
    return own && pixel ? placedVertex(own, half(pixel)) : typedVertex(world);
  });
  shot.set["polygon-1"] = makePart("polygon-1", "Ramp", { kind: "polygon", vertices, holes: [] }, "concrete");
  // The water at its foot is level, and the ramp is not: seen from it, it rises.
  const rise = 80 * Math.tan(slip.SLOPE);
  shot.set["polygon-2"] = makePart(
    "polygon-2",
    "Water",
    {
      kind: "polygon",
      vertices: (
        [
          [-90, -9, 0],
          [90, -9, 0],
          [90, -89, rise],
          [-90, -89, rise],
        ] as Vec3[]
      ).map((world) => typedVertex(world)),
      holes: [],
    },
    "water",
  );
  // Its side walls stand on its edges; their tops are level, and the ramp is not.
  for (const [id, name, side] of [
    ["wall-1", "East wall", 1],
    ["wall-2", "West wall", 3],
  ] as const) {
    const heights = [vertices[side], vertices[(side + 1) % 4]].map(({ world }) =>
      Number(((slip.QUAY + 0.12 - world[1] * Math.sin(slip.SLOPE)) / Math.cos(slip.SLOPE)).toFixed(3)),
    );
    shot.set[id] = makePart(
      id,
      name,
      {
        kind: "wall",
        on: { part: "polygon-1", face: "face", side },
        foot: null,
        heights: [heights[0], heights[1]],
        thick: 0,
      },
      "masonry",
    );
  }
  shot.light.sun.on = false;
  shot.light.sky.spread = { kind: "overcast" };
  // The world stands on the ramp: the sky does not.
  shot.light.slope = { deg: toDegrees(slip.SLOPE), towardsDeg: 180 };
  // Masonry is even where concrete has spots and a sheen; what the concrete reflects is then read off the plate.
  // Stones differ: a patch of each wall.
  shot.light.probes["probe-1"] = newProbe("probe-1", [120, 400], 60, "as set");
  shot.light.probes["probe-2"] = newProbe("probe-2", [1120, 300], 60, "as set");
  await takeProbedLight(shot, codes);
  takePlateLook(shot, codes);
  await takePlateAlbedo(shot, codes, "concrete", [620, 600], 120);
  // Set down under the loupe where it lies in the photograph with it.
  const seen = eighth(projectPoint(slip.camera, placement.position)!);
  const lies = pixelOnPlane(camera, seen, groundPlane(placement.position[2]))!;
  const position = lies.map((x) => Number(x.toFixed(4))) as Vec3;
  shot.props["prop-1"] = prop("prop-1", "Rowing boat", boat, "boat.glb", { ...placement, position });
  return shot;
}
