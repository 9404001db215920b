import { describe, expect, test } from "@jest/globals";
import { partOf, sourcesOf } from "#core/comp/parts";
import { shineLike } from "#core/light/alike";
import { newLamp, newProbe } from "#core/light/schema";
import { takeColours } from "#core/render/probeLight";
import type { SkySpread } from "#core/light/schema";
import { newMaterial } from "#core/set/materials";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { rotationFromAngles, projectPoint } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { readAsset } from "#core/exchange/asset";
import { colourChannels, writeExr } from "#core/image/exr";
import { traceSceneOf } from "#core/render/scene";
import { lightAt } from "#core/render/lightAt";
import type { Shot } from "#core/shot/schema";
import { PROOF_SUMS } from "#core/trace/film";
import type { Passes } from "#core/trace/film";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import { boxProp, testShot } from "../testing/shots.ts";
import { compileKernel, newKernelMemory, openKernel } from "./kernelFile.ts";
import { probedLight } from "./probe.ts";
import { developBand } from "./bands.ts";
import { plateOf } from "./plateRows.ts";
import { renderShot, settingsOf } from "./renderShot.ts";
import { renderScene } from "./renderScene.ts";

const camera: Camera = {
  focalPx: 80,
  principal: [48, 32],
  distortion: noDistortion(),
  rotation: rotationFromAngles({ heading: 0, tilt: -0.35, roll: 0 }),
  position: [0, -3, 2.2],
};
const corner = (x: number, y: number) => typedVertex([x, y, 0]);
const GREY: Vec3 = [0.3, 0.3, 0.3];
const codes = new Uint8Array(96 * 64 * 3).fill(120);

/** An open floor of one grey, with a box on it if wanted, under sun and sky and a lamp. */
function yard(change: (shot: Shot) => void = () => undefined): Shot {
  const shot = testShot(96, 64);
  shot.solved = { camera, evidence: "", rmsPx: null, sigma: null };
  shot.materials = { plain: newMaterial("plain", "Plain", GREY, 0.02, "typed") };
  shot.ground = "plain";
  const vertices = [corner(-9, -6), corner(9, -6), corner(9, 14), corner(-9, 14)];
  shot.set.floor = makePart("floor", "Floor", { kind: "polygon", vertices, holes: [] }, "plain");
  Object.assign(shot.light.sun, { azimuthDeg: 140, elevationDeg: 42, irradiance: [2.2, 2, 1.7] });
  shot.light.sky.radiance = [0.2, 0.25, 0.33];
  shot.light.lamps.lamp = { ...newLamp("lamp", "disc", [1.5, 1, 2.5]), level: 12 };
  change(shot);
  return shot;
}
function withBox(shot: Shot): void {
  shot.props["prop-1"] = boxProp([0, 2, 0], 20);
}
const render = (shot: Shot): Promise<Passes> =>
  renderShot(shot, plateOf(shot, codes), new Map(), { samples: 32 }, { threads: 2 });

const meanOff = (a: Float32Array, b: Float32Array): number =>
  a.reduce((sum, v, i) => sum + Math.abs(v - b[i]), 0) / a.reduce((sum, v) => sum + Math.abs(v), 0);

describe("sources weighed after the render", () => {
  test("half the sun, a warmer sky: the same as when they are rendered so", async () => {
    const weighed = await render(
      yard((shot) => {
        withBox(shot);
        shot.light.sun.strength = 0.5;
        shot.light.sky.tint = [1.2, 1, 0.7];
      }),
    );
    const traced = await render(
      yard((shot) => {
        withBox(shot);
        shot.light.sun.irradiance = shot.light.sun.irradiance.map((x) => x / 2) as Vec3;
        shot.light.sky.radiance = shot.light.sky.radiance.map((x, k) => x * [1.2, 1, 0.7][k]) as Vec3;
      }),
    );
    expect(meanOff(traced.prop, weighed.prop)).toBeLessThan(0.002);
    // What the box itself gives back keeps the light that it was rendered with.
    expect(meanOff(traced.ratio, weighed.ratio)).toBeLessThan(0.006);
  });

  test("a source for the props alone throws no shadow, one for shadows alone does not light them", async () => {
    const base = yard((shot) => {
      withBox(shot);
      shot.light.sky.on = false;
      shot.light.lamps = {};
    });
    const propsOnly = await render({ ...base, light: { ...base.light, sun: { ...base.light.sun, lights: "props" } } });
    const setOnly = await render({ ...base, light: { ...base.light, sun: { ...base.light.sun, lights: "set" } } });
    const both = await render(base);
    const darkest = (p: Passes) => Math.min(...p.ratio);
    expect(darkest(both)).toBeLessThan(0.6);
    expect(darkest(setOnly)).toBeCloseTo(darkest(both), 5);
    const light = (p: Passes) => p.prop.reduce((sum, v, i) => sum + (i % 4 === 3 ? 0 : v), 0);
    expect(light(propsOnly)).toBeCloseTo(light(both), 3);
    expect(light(setOnly)).toBeLessThan(0.5 * light(both));
  });

  test("the parts of sun, sky and lamp together give no more than the picture; the rest is what the place gives back", async () => {
    const shot = yard(withBox);
    const plate = plateOf(shot, codes);
    const scene = traceSceneOf(shot, { ...plate, pixels: plate.linear }, new Map());
    const settings = settingsOf({ width: 96, height: 64 }, shot.render, PROOF_SUMS);
    const film = await renderScene(scene, settings, { samples: 16, threads: 2 });
    const whole = developBand(shot, film);
    const parts = sourcesOf(shot).map((id) => partOf(film.pixels, 96, 64, film.layout, shot, id));
    expect(sourcesOf(shot)).toEqual(["sun", "sky", "lamp"]);
    const on = (k: "ratio" | "prop", i: number) => parts.reduce((sum, p) => sum + p[k][i], 0);
    let [sums, seen] = [0, 0];
    for (let i = 0; i < 96 * 64; i++) {
      const a = whole.prop[i * 4 + 3];
      if (a === 1) {
        // What comes from the place is the rest; it is never below 0.
        expect(on("prop", i * 4)).toBeLessThan(whole.prop[i * 4] * 1.0001 + 1e-5);
        seen++;
      }
      sums += Number(on("ratio", i * 3) <= whole.ratio[i * 3] + 1e-5);
    }
    expect(seen).toBeGreaterThan(100);
    expect(sums / (96 * 64)).toBeGreaterThan(0.98);
    expect(parts.every(({ added }) => added.every((v) => v === 0))).toBe(true);
  });
});

const AROUND_HASH = "a".repeat(64);
/** A coloured picture of all around, brighter on one side, in some scale of its own. */
const AROUND = Float32Array.from({ length: 256 * 128 * 3 }, (_, i) => {
  const [x, y] = [Math.floor(i / 3) % 256, Math.floor(i / 768)];
  return 7 * (1.2 + Math.sin((x / 256) * 2 * Math.PI)) * (1 - y / 200) * [1, 0.8, 0.5][i % 3];
});
const PICTURE = {
  kind: "picture" as const,
  asset: AROUND_HASH,
  name: "around.exr",
  turnDeg: 0,
  tiltDeg: 0,
  rollDeg: 0,
  flip: false,
  contrast: 1,
  blurDeg: 0,
  clippedAt: null,
  expandStops: 0,
  sunOut: false,
  extent: null,
};

describe("skies in the tracer", () => {
  const skyAt = async (spread: SkySpread, wall = false) => {
    const shot = yard((s) => {
      s.light.sun.on = false;
      s.light.lamps = {};
      s.light.sky.spread = spread;
      s.light.sky.radiance = [0.2, 0.3, 0.4];
      if (wall) {
        const foot = [corner(-50, 3), corner(50, 3), corner(50, 4), corner(-50, 4)];
        s.set.wall = makePart("wall", "Wall", { kind: "block", base: foot, height: 40, closed: true }, "plain");
      }
    });
    const memory = newKernelMemory();
    const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
    const plate = plateOf(shot, codes);
    // As finals and proof have it: from the file that is kept, among the models.
    const around = await readAsset(writeExr(256, 128, colourChannels(AROUND, 3)), () => Promise.reject(new Error()));
    const scene = traceSceneOf(shot, { ...plate, pixels: plate.linear }, new Map([[AROUND_HASH, around]]), false);
    const pixels: Vec2[] = [projectPoint(camera, [0, 1.5, 0])!, projectPoint(camera, [0, 3, 2])!];
    return lightAt(kernel, new SceneMemory(memory), scene, pixels, 8192);
  };

  test.each([
    { kind: "even" as const },
    { kind: "overcast" as const },
    { kind: "general" as const, number: 13 },
    { kind: "physical" as const, turbidity: 3 },
    { kind: "gradient" as const, horizon: [0.9, 0.8, 0.7] as Vec3, zenith: [0.2, 0.3, 0.6] as Vec3, steepness: 2 },
    { ...PICTURE, turnDeg: 70 },
    { ...PICTURE, tiltDeg: 25, rollDeg: -15, flip: true, contrast: 1.4, blurDeg: 4 },
  ])("$kind: open level ground gets π times the sky's own radiance", async (spread) => {
    const [ground] = await skyAt(spread);
    [0.2, 0.3, 0.4].forEach((c, k) => expect(Math.abs(ground!.sky[k] / (Math.PI * c) - 1)).toBeLessThan(0.01));
  });

  test("an overcast sky gives an upright wall 0.396 of the ground's light, an even one half", async () => {
    // Closed form for Moon and Spencer's sky: (3π + 8)/(14π) = 0.3962 (Moon 1942); half the dome for the even one.
    const share = async (spread: SkySpread) => {
      const [ground] = await skyAt(spread);
      const [, wall] = await skyAt(spread, true);
      return wall!.sky[1] / ground!.sky[1];
    };
    expect(Math.abs((await share({ kind: "overcast" })) / ((3 * Math.PI + 8) / (14 * Math.PI)) - 1)).toBeLessThan(0.01);
    expect(Math.abs((await share({ kind: "even" })) / 0.5 - 1)).toBeLessThan(0.01);
  });
});

describe("probes on a plate whose light is known", () => {
  /** A plate on which each pixel about those named has what the rig gives the floor there. */
  async function litPlate(shot: Shot, pixels: Vec2[]) {
    const memory = newKernelMemory();
    const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
    const plate = plateOf(shot, codes);
    const scene = traceSceneOf({ ...shot, props: {} }, { ...plate, pixels: plate.linear }, new Map(), false);
    const { sun } = shot.light;
    const around = pixels.flatMap(([u, v]) =>
      Array.from({ length: 49 }, (_, i): Vec2 => [
        Math.floor(u) - 2.5 + (i % 7),
        Math.floor(v) - 2.5 + Math.floor(i / 7),
      ]),
    );
    lightAt(kernel, new SceneMemory(memory), scene, around, 512).forEach((at, i) => {
      if (!at) return;
      const [u, v] = around[i].map(Math.floor);
      const colour = [0, 1, 2].map((k) => {
        const direct = sun.on ? sun.irradiance[k] * at.sunShare * at.sunCosine : 0;
        const lamps = at.lamps.reduce((sum, lamp) => sum + lamp[k], 0);
        return (GREY[k] / Math.PI) * (at.sky[k] + lamps + direct + at.bounce[k]);
      });
      plate.linear.set(colour, (v * 96 + u) * 3);
    });
    return plate;
  }
  const wall = (shot: Shot) => {
    const foot = [corner(-5, 4), corner(-1, 4), corner(-1, 4.4), corner(-5, 4.4)];
    shot.set.wall = makePart("wall", "Wall", { kind: "block", base: foot, height: 3, closed: true }, "plain");
  };
  const on = (...points: Vec3[]) => points.map((p) => projectPoint(camera, p) as Vec2);

  test("sun and sky from four patches, whatever the rig was before", async () => {
    const truth = yard((shot) => {
      wall(shot);
      shot.light.lamps = {};
      Object.assign(shot.light.sun, { azimuthDeg: 330 });
    });
    const pixels = on([1.5, 0, 0], [-0.4, 1, 0], [-2.2, 3, 0], [-1.8, 2.2, 0]);
    const plate = await litPlate(truth, pixels);
    const shot = structuredClone(truth);
    shot.light.sun.irradiance = [1, 1, 1];
    shot.light.sky.radiance = [1, 1, 1];
    pixels.forEach((pixel, i) => (shot.light.probes[`p${i}`] = newProbe(`p${i}`, pixel, 2.5, "as set")));
    const found = await probedLight(shot, plate);
    if (typeof found === "string") throw new Error(found);
    for (let k = 0; k < 3; k++) {
      expect(Math.abs(found.colours.sun[k] / truth.light.sun.irradiance[k] - 1)).toBeLessThan(0.03);
      expect(Math.abs(found.colours.sky[k] / truth.light.sky.radiance[k] - 1)).toBeLessThan(0.03);
    }
    expect(found.findings).toEqual([]);
    expect(found.next).toBeNull();
  });

  test("one probe in the light alone: both are weighed together, that is said, and the next one is sent into the shade", async () => {
    const truth = yard((shot) => {
      wall(shot);
      shot.light.lamps = {};
      Object.assign(shot.light.sun, { azimuthDeg: 330 });
    });
    const pixels = on([1.5, 0, 0]);
    const plate = await litPlate(truth, pixels);
    const shot = structuredClone(truth);
    shot.light.probes.p0 = newProbe("p0", pixels[0], 2.5, "as set");
    const found = await probedLight(shot, plate);
    if (typeof found === "string") throw new Error(found);
    expect(found.findings[0]).toMatch(/do not tell the sun from the sky/);
    const shade = { ...shot, light: { ...shot.light, probes: { n: newProbe("n", found.next!, 2.5, "lit") } } };
    expect(await probedLight(shade, plate)).toMatch(/The sun does not reach probe n/);
  });

  test("a lamp that an earlier answer left dark is found again", async () => {
    const truth = yard((shot) => {
      shot.light.sun.on = false;
      shot.light.sky.on = false;
    });
    const pixels = on([1.5, 0, 0], [-0.4, 1, 0]);
    const plate = await litPlate(truth, pixels);
    const shot = structuredClone(truth);
    shot.light.lamps.lamp.level = 0;
    pixels.forEach((pixel, i) => (shot.light.probes[`p${i}`] = newProbe(`p${i}`, pixel, 2.5, "as set")));
    const found = await probedLight(shot, plate);
    if (typeof found === "string") throw new Error(found);
    const { colour, level } = truth.light.lamps.lamp;
    colour.forEach((c, k) => expect(Math.abs(found.colours.lamp[k] / (c * level) - 1)).toBeLessThan(0.03));
  });

  test("lamps that shine alike are one unknown: a single patch tells both", async () => {
    const truth = yard((shot) => {
      shot.light.sun.on = false;
      shot.light.sky.on = false;
      const { lamp } = shot.light.lamps;
      shot.light.lamps.other = { ...lamp, id: "other", name: "Other", position: [-2, 3, 2], size: [0.6, 0.6] };
      shineLike(shot.light.lamps, "other", "lamp");
    });
    const pixels = on([0.2, 1, 0]);
    const plate = await litPlate(truth, pixels);
    const shot = structuredClone(truth);
    for (const lamp of Object.values(shot.light.lamps)) lamp.level = 1;
    shot.light.probes.p0 = newProbe("p0", pixels[0], 2.5, "as set");
    const found = await probedLight(shot, plate);
    if (typeof found === "string") throw new Error(found);
    expect(Object.keys(found.colours)).toEqual(["lamp"]);
    takeColours(shot.light, found.colours);
    for (const id of ["lamp", "other"])
      expect(Math.abs(shot.light.lamps[id].level / truth.light.lamps[id].level - 1)).toBeLessThan(0.02);
    expect(found.findings).toEqual([]);
  });

  test("in a pale room most of the light is bounced, and the answer does not hang on the rig before: balancing again changes nothing", async () => {
    const room = yard((shot) => {
      shot.light.sun.on = false;
      shot.light.sky.on = false;
      shot.materials.plain = newMaterial("plain", "Plain", [0.7, 0.7, 0.7], 0.02, "typed");
      // It looks down at a piece of the floor; nothing else of the room is on the plate.
      shot.solved!.camera = { ...camera, rotation: rotationFromAngles({ heading: 0, tilt: -1.2, roll: 0 }) };
      shot.set = {
        room: makePart(
          "room",
          "Room",
          { kind: "room", floor: [corner(-3, -4), corner(3, -4), corner(3, 5), corner(-3, 5)], height: 3 },
          "plain",
        ),
      };
    });
    const { colour, level } = room.light.lamps.lamp;
    room.light.probes.p = newProbe("p", [48, 32], 2.5, "as set");
    const balanced = async (light: Shot["light"]) => {
      const found = await probedLight({ ...room, light }, plateOf(room, codes));
      if (typeof found === "string") throw new Error(found);
      return found.colours.lamp;
    };
    const strong: Shot["light"] = { ...room.light, lamps: { lamp: { ...room.light.lamps.lamp, level: 10 * level } } };
    const [once, fromStrong] = [await balanced(room.light), await balanced(strong)];
    const [most, again] = [Math.max(...once), structuredClone(room.light)];
    Object.assign(again.lamps.lamp, { colour: once.map((c) => c / most), level: most });
    const twice = await balanced(again);
    for (let k = 0; k < 3; k++) {
      expect(once[k] / (colour[k] * level)).toBeGreaterThan(2);
      expect(twice[k] / once[k]).toBeCloseTo(1, 6);
      expect(fromStrong[k] / once[k]).toBeCloseTo(1, 6);
    }
  });

  test("what cannot be read is said: no probe, no source, off the set, clipped", async () => {
    const shot = yard();
    const plate = plateOf(shot, codes);
    expect(await probedLight(shot, plate)).toMatch(/Probe a patch first/);
    const probed = (pixel: Vec2) => ({ ...shot.light, probes: { p: newProbe("p", pixel, 3, "as set") } });
    expect(await probedLight({ ...shot, light: probed([500, 20]) }, plate)).toMatch(/lies outside the plate/);
    expect(await probedLight({ ...shot, light: probed([48, 1]) }, plate)).toMatch(/not on the set/);
    const white = plateOf(shot, new Uint8Array(96 * 64 * 3).fill(255));
    expect(await probedLight({ ...shot, light: probed([48, 50]) }, white)).toMatch(/clipped/);
    const off = probed([48, 50]);
    const dark = { ...off, sun: { ...off.sun, on: false }, sky: { ...off.sky, on: false }, lamps: {} };
    expect(await probedLight({ ...shot, light: dark }, plate)).toMatch(/Every source is switched off/);
  });
});
