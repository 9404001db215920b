import { describe, expect, test } from "@jest/globals";
import { compositeCodes } from "#core/comp/composite";
import { layersOf, leavesPlate } from "#core/comp/layers";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { newLamp } from "#core/light/schema";
import { newMaterial } from "#core/set/materials";
import type { PartName } from "#core/set/parts/index";
import { PART_NAMES } from "#core/set/parts/index";
import type { AnyShape } from "#core/set/parts/make";
import { makePart } from "#core/set/parts/make";
import type { Flags, Role } from "#core/set/roles";
import { ROLES } from "#core/set/roles";
import { provideSetModel } from "#core/set/models";
import { primitiveModel } from "#core/props/primitives";
import { placedVertex, typedVertex } from "#core/set/vertex";
import type { Vec3 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import { boxProp, testShot } from "../testing/shots.ts";
import { plateAlbedo } from "#core/render/plateAlbedo";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";
import { plateOf } from "./plateRows.ts";
import { renderShot } from "./renderShot.ts";

/** A set with every kind of part, in every role and of every sort of material, on a small plate. */

const at = (...list: [number, number, number?][]) => list.map(([x, y, z = 0]) => typedVertex([x, y, z]));
const FLOOR = at([-6, -1], [6, -1], [6, 12], [-6, 12]);
/** A model that is loaded: a crate of a metre. */
const CRATE = "c".repeat(64);
provideSetModel(CRATE, primitiveModel("box", [0.4, 0.3, 0.2], 0.5, 0));
const SHAPES: Record<PartName, AnyShape> = {
  polygon: { kind: "polygon", vertices: FLOOR, holes: [at([1, 3], [1, 4], [2, 4], [2, 3])] },
  block: { kind: "block", base: at([-2, 4], [-1, 4], [-1, 5], [-2, 5]), height: 0.7, closed: true },
  room: { kind: "room", floor: at([-7, -6], [7, -6], [7, 13], [-7, 13]), height: 5 },
  wall: {
    kind: "wall",
    on: { part: "polygon-catcher", face: "face", side: 2 },
    foot: null,
    heights: [1, 2],
    thick: 0.1,
  },
  opening: {
    kind: "opening",
    on: { part: "room-catcher", face: "wall-3" },
    corners: [typedVertex([-1, 13, 1]), placedVertex([2, 13, 3], null)],
    depth: 0.2,
    pane: true,
  },
  ramp: {
    kind: "ramp",
    foot: [typedVertex([3, 3, 0]), typedVertex([4, 3, 0])],
    head: [typedVertex([3, 5, 0.5]), typedVertex([4, 5, 0.5])],
    solid: true,
  },
  stairs: { kind: "stairs", foot: [typedVertex([-4, 5, 0]), typedVertex([-3, 5, 0])], steps: 3, rise: 0.2, going: 0.3 },
  post: { kind: "post", foot: typedVertex([0.5, 5, 0]), axis: [0.2, 0, 1.4], radius: 0.1 },
  backdrop: {
    kind: "backdrop",
    front: [typedVertex([2, 8, 0]), typedVertex([4, 8, 0])],
    depth: 1.5,
    radius: 0.5,
    height: 1.5,
  },
  row: {
    kind: "row",
    of: "post-catcher",
    first: typedVertex([0.5, 5, 0]),
    normal: [0, 0, 1],
    copies: [{ foot: typedVertex([1.1, 5.3, 0]), turnDeg: 20 }],
    end: null,
  },
  shell: {
    kind: "shell",
    vertices: {
      v1: typedVertex([-1, 7, 0]),
      v2: typedVertex([0, 7, 0]),
      v3: typedVertex([-1, 8, 0]),
      v4: typedVertex([-1, 7, 1]),
    },
    faces: {
      a: { rings: [["v1", "v3", "v2"]] },
      b: { rings: [["v1", "v2", "v4"]] },
      c: { rings: [["v2", "v3", "v4"]] },
      d: { rings: [["v3", "v1", "v4"]] },
    },
    next: 5,
  },
  model: { kind: "model", asset: CRATE, fileName: "crate.glb", origin: typedVertex([-3, 3, 0]), turnDeg: 30, scale: 1 },
};

function everything(): Shot {
  const shot = testShot(96, 64);
  const camera = {
    focalPx: 80,
    principal: [48, 32] as [number, number],
    distortion: { ...noDistortion(), k1: -0.02 },
    rotation: rotationFromAngles({ heading: 0, tilt: -0.2, roll: 0.01 }),
    position: [0, -2, 1.6] as Vec3,
  };
  shot.solved = { camera, evidence: "", rmsPx: null, sigma: null };
  const plain = newMaterial("plain", "Plain", [0.3, 0.25, 0.2]);
  shot.materials = {
    plain,
    glossy: { ...plain, id: "glossy", gloss: 1, roughness: 0.1 },
    glowing: { ...plain, id: "glowing", glow: 3 },
    own: { ...plain, id: "own", shows: "colour" },
  };
  shot.ground = "plain";
  const materials = Object.keys(shot.materials);
  for (const [i, role] of (Object.keys(ROLES) as Role[]).entries())
    for (const [j, name] of PART_NAMES.entries()) {
      const id = `${name}-${role}`;
      shot.set[id] = makePart(id, id, structuredClone(SHAPES[name]), materials[(i + j) % materials.length], role);
    }
  shot.light.lamps["lamp-1"] = newLamp("lamp-1", "rectangle", [1, 4, 3]);
  return shot;
}
const codes = Uint8Array.from({ length: 96 * 64 * 3 }, (_, i) => 40 + ((i * 7919) % 180));

test("without a prop the composite is the plate bit for bit, whatever the parts, roles and materials", async () => {
  const shot = everything();
  const plate = plateOf(shot, codes);
  const passes = await renderShot(shot, plate, new Map(), { samples: 8 }, { threads: 2 });
  expect(
    Array.from({ length: 96 * 64 }, (_, i) => i).filter((i) => !leavesPlate(layersOf(plate.linear, passes, 0), i)),
  ).toEqual([]);
  expect(Buffer.from(compositeCodes(plate, passes)).equals(Buffer.from(codes))).toBe(true);
});

/** Mean of the added and scaled light that a box's shadow leaves on the ground in front of it. */
async function shade(change: (shot: Shot) => void): Promise<{ ratio: number; alpha: number }> {
  const shot = testShot(96, 64);
  shot.solved = { ...everything().solved!, sigma: null };
  shot.materials = { plain: newMaterial("plain", "Plain", [0.3, 0.3, 0.3]) };
  shot.ground = "plain";
  shot.light.sun.on = false;
  shot.light.sun.irradiance = [0, 0, 0];
  shot.light.sky.radiance = [1, 1, 1];
  shot.set.floor = makePart("floor", "Floor", { kind: "polygon", vertices: FLOOR, holes: [] }, "plain");
  shot.props["prop-1"] = boxProp([0, 4, 0]);
  change(shot);
  const passes = await renderShot(shot, plateOf(shot, codes), new Map(), { samples: 64 }, { threads: 2 });
  let [ratio, alpha, n] = [0, 0, 0];
  for (let y = 0; y < 64; y++)
    for (let x = 0; x < 96; x++) {
      const i = y * 96 + x;
      alpha += passes.prop[i * 4 + 3];
      // Just before the box's foot.
      if (y > 42 && y < 46 && x > 44 && x < 52) [ratio, n] = [ratio + passes.ratio[i * 3], n + 1];
    }
  return { ratio: ratio / n, alpha };
}

describe("roles reach the picture", () => {
  /** A screen between the camera and the box. */
  const screen = (shot: Shot, role: Role) => {
    const foot: [ReturnType<typeof typedVertex>, ReturnType<typeof typedVertex>] = [
      typedVertex([-3, 1, 0]),
      typedVertex([3, 1, 0]),
    ];
    shot.set.screen = makePart(
      "screen",
      "Screen",
      { kind: "wall", on: null, foot, heights: [3, 3], thick: 0 },
      "plain",
      role,
    );
  };
  test("a blocker hides the prop, what is solid or only bounces does not", async () => {
    const bare = await shade(() => undefined);
    expect(bare.alpha).toBeGreaterThan(100);
    expect((await shade((shot) => screen(shot, "blocker"))).alpha).toBe(0);
    for (const role of ["solid", "bounce"] as const)
      expect((await shade((shot) => screen(shot, role))).alpha).toBeCloseTo(bare.alpha, 6);
  });

  /** Irradiance of the ground under a pixel, from the albedo that is read off a plate of known radiance; 0.064 for none, since no albedo is over 0.98. */
  async function irradiance(change: (shot: Shot) => void): Promise<number> {
    const shot = testShot(96, 64);
    shot.solved = { ...everything().solved!, sigma: null };
    // So dark that nothing is returned: what is left is what comes from outside.
    shot.materials = { plain: newMaterial("plain", "Plain", [1e-4, 1e-4, 1e-4]) };
    shot.ground = "plain";
    shot.light.sun = { ...shot.light.sun, on: false, elevationDeg: 90 };
    shot.light.sky.radiance = [0, 0, 0];
    shot.set.floor = makePart("floor", "Floor", { kind: "polygon", vertices: FLOOR, holes: [] }, "plain");
    change(shot);
    const dark = 0.02;
    const plate = { width: 96, height: 64, pixels: new Float32Array(96 * 64 * 3).fill(dark) };
    const memory = newKernelMemory();
    const kernel = await openKernel(await compileKernel(), memory, 0);
    kernel.setScratch(scratchAddress(0));
    const read = plateAlbedo(kernel, new SceneMemory(memory), shot, plate, [48, 50], 3);
    if (typeof read === "string") return 0;
    return (Math.PI * dark) / read.colour[0];
  }
  const wide =
    (role: Role, change: Partial<Flags> = {}) =>
    (shot: Shot) => {
      const vertices = at([-6e4, -6e4, 4], [6e4, -6e4, 4], [6e4, 6e4, 4], [-6e4, 6e4, 4]);
      const part = makePart("roof", "Roof", { kind: "polygon", vertices, holes: [] }, "plain", role);
      shot.set.roof = { ...part, flags: { ...part.flags, ...change } };
    };
  const sky = (shot: Shot) => (shot.light.sky.radiance = [1, 1, 1]);
  const sun = (shot: Shot) => {
    shot.light.sun.on = true;
    shot.light.sun.irradiance = [2, 2, 2];
  };
  const both =
    (...list: ((shot: Shot) => unknown)[]) =>
    (shot: Shot) =>
      list.forEach((one) => one(shot));

  test("an open sky of radiance 1 gives pi, an overhead sun its own; a solid roof stops both", async () => {
    expect(await irradiance(sky)).toBeCloseTo(Math.PI, 1);
    expect(await irradiance(sun)).toBeCloseTo(2, 1);
    expect(await irradiance(both(sky, wide("solid")))).toBeLessThan(0.1);
    expect(await irradiance(both(sun, wide("solid")))).toBeLessThan(0.1);
  });

  test("each flag by itself: what does not block lets the sky in, what does not shade the sun", async () => {
    expect(await irradiance(both(sky, wide("bounce")))).toBeCloseTo(Math.PI, 1);
    expect(await irradiance(both(sky, wide("solid", { blocks: false })))).toBeCloseTo(Math.PI, 1);
    expect(await irradiance(both(sun, wide("solid", { blocks: false })))).toBeLessThan(0.1);
    expect(await irradiance(both(sun, wide("solid", { shadow: false })))).toBeCloseTo(2, 1);
    expect(await irradiance(both(sky, wide("solid", { shadow: false })))).toBeLessThan(0.1);
  });

  test("a ceiling that glows gives pi times its radiance, and one without bounce returns nothing", async () => {
    const glow = (shot: Shot) => Object.assign(shot.materials.plain, { glow: 0.5, glowColour: [1, 1, 1] });
    const roofOnly = (shot: Shot) => {
      shot.materials.dark = { ...shot.materials.plain, id: "dark", glow: 0 };
      shot.set.floor.material = "dark";
    };
    expect(await irradiance(both(wide("solid"), glow, roofOnly))).toBeCloseTo(0.5 * Math.PI, 1);
    expect(await irradiance(both(wide("solid", { bounce: false }), glow, roofOnly))).toBeLessThan(0.07);
  });
});
