import { anglesFromDirection } from "#core/light/sun";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, orientationDegrees, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Placement } from "#core/props/transform";
import { dropToFloor } from "#core/props/transform";
import { buoyGlb } from "./buoy.ts";
import { NOISE, SHOULDER, SOFTNESS } from "./develop.ts";
import { modelOfGlb } from "./glb.ts";
import { floatGlb, kettleGlb } from "./kettle.ts";
import * as loft from "./netloft.ts";
import type { PropPiece } from "#core/trace/scene";
import type { Place } from "./photograph.ts";
import { DemoFolder, photograph } from "./photograph.ts";
import type { Region } from "#core/trace/tiles";
import * as quay from "./quay.ts";
import { rowingBoatGlb } from "./rowingBoat.ts";
import * as slip from "./slipway.ts";

/** Makes the demo again: `npm run demo:build [-- SAMPLES [PLACE ...]]`. About an hour on two cores at 320 samples. */

const samples = Number(process.argv[2] ?? 320);
const wanted = process.argv.slice(3);

const placed = (p: Placement) => ({ position: p.position, turnDeg: toDegrees(p.turn), leanDeg: p.lean.map(toDegrees) });

/** What every place's truth holds. */
function commonTruth(place: Place) {
  const { camera } = place;
  const { tilt, roll, heading } = orientationDegrees(camera.rotation);
  return {
    frame: place.frame,
    samples,
    camera: { ...camera, tiltDeg: tilt, rollDeg: roll, headingDeg: heading },
    response: {
      curve: "sRGB (IEC 61966-2-1) after a shoulder",
      shoulderFrom: SHOULDER,
      softnessPx: SOFTNESS,
      noise: NOISE,
    },
    materials: place.pieces
      .flatMap((p) => p.model.materials)
      .map(({ name, baseColor, roughness, index }) => ({ name, baseColor, roughness, index })),
  };
}

/** Where the loft's props are seen, and where they touch the bench. */
const CLOSE: Region = { x0: 220, y0: 405, x1: 630, y1: 545 };
const CONTACTS: Region[] = [
  { x0: 240, y0: 468, x1: 357, y1: 531 },
  { x0: 508, y0: 486, x1: 609, y1: 547 },
];

/** Glass and gloss by lamplight are slow to calm: around the props four times as many samples, at their foot sixteen. */
async function photographClosely(place: Place, what: string, props: PropPiece[]): Promise<Float32Array> {
  const picture = await photograph(place, what, props, samples);
  for (const [region, times] of [[CLOSE, 4], ...CONTACTS.map((c) => [c, 16])] as [Region, number][])
    layOver(
      picture,
      await photograph(place, `${what}, close`, props, times * samples, region),
      place.frame.width,
      region,
    );
  return picture;
}

/** Lays a part of one picture over another of the same size, but for its outermost pixels, which had no neighbours when specks were taken out. */
function layOver(picture: Float32Array, over: Float32Array, width: number, { x0, y0, x1, y1 }: Region): void {
  for (let y = y0 + 1; y < y1 - 1; y++)
    picture.set(over.subarray((y * width + x0 + 1) * 3, (y * width + x1 - 1) * 3), (y * width + x0 + 1) * 3);
}

const edgesOf = (camera: Camera, edges: { id: string; axis: string; from: Vec3; to: Vec3 }[]) =>
  edges.map((e) => ({ ...e, points: [projectPoint(camera, e.from), projectPoint(camera, e.to)] }));

async function buildQuay(): Promise<void> {
  const place = quay.quay();
  const folder = new DemoFolder(place);
  const glb = await buoyGlb();
  folder.write("buoy.glb", glb);
  const model = await modelOfGlb(glb);
  const empty = await photograph(place, "empty", [], samples);
  folder.clean("clean.exr", empty);
  await folder.jpeg("plate.jpg", empty, 11);
  const sunny = await photograph(place, "buoy in the sun", [{ model, placement: quay.buoyPlacement }], samples);
  folder.clean("clean-with-buoy.exr", sunny);
  await folder.jpeg("with-buoy.jpg", sunny, 12);
  const shaded = await photograph(
    place,
    "buoy half in the shade",
    [{ model, placement: quay.shadePlacement }],
    samples,
    quay.SHADE_REGION,
  );
  folder.clean("clean-with-buoy-in-shade.exr", shaded, quay.SHADE_REGION);
  const pixel = (p: Vec3) => projectPoint(quay.camera, p);
  const sighting = quay.sightingTruth();
  const sunAngles = anglesFromDirection(quay.sun.direction);
  const truth = {
    ...commonTruth(place),
    sun: { ...quay.sun, azimuthDeg: toDegrees(sunAngles.azimuth), elevationDeg: toDegrees(sunAngles.elevation) },
    sky: quay.sky,
    edges: edgesOf(quay.camera, quay.straightEdges),
    origin: pixel([0, 0, 0]),
    length: { ...quay.doorHeight, points: [pixel(quay.doorHeight.from), pixel(quay.doorHeight.to)] },
    sighting: {
      ...sighting,
      footPixel: pixel(sighting.foot),
      topPixel: pixel(sighting.top),
      tipPixel: pixel(sighting.tip),
    },
    ground: quay.groundPixels.map((p) => ({ pixel: p, world: pixelOnPlane(quay.camera, p as Vec2, groundPlane()) })),
    probes: { lit: pixel(quay.probes.lit), shaded: pixel(quay.probes.shaded) },
    buoy: { position: quay.buoyPlace.position, turnDeg: toDegrees(quay.buoyPlace.turn) },
    shade: { ...placed(quay.shadePlacement), region: quay.SHADE_REGION },
  };
  folder.write("truth.json", JSON.stringify(truth, null, 1));
  folder.finish(samples);
}

async function buildNetloft(): Promise<void> {
  const place = loft.netloft();
  const folder = new DemoFolder(place);
  const [kettle, float] = [await kettleGlb(), await floatGlb()];
  folder.write("kettle.glb", kettle);
  folder.write("float.glb", float);
  const empty = await photographClosely(place, "empty", []);
  folder.clean("clean.exr", empty);
  await folder.jpeg("plate.jpg", empty, 21);
  const props = [
    { model: await modelOfGlb(kettle), placement: loft.kettlePlace },
    { model: await modelOfGlb(float), placement: loft.floatPlace },
  ];
  const full = await photographClosely(place, "with kettle and float", props);
  folder.clean("clean-with-props.exr", full);
  await folder.jpeg("with-props.jpg", full, 22);
  const truth = {
    ...commonTruth(place),
    lamps: loft.lamps,
    edges: edgesOf(loft.camera, loft.straightEdges),
    bench: loft.bench,
    room: loft.room,
    kettle: placed(loft.kettlePlace),
    float: placed(loft.floatPlace),
  };
  folder.write("truth.json", JSON.stringify(truth, null, 1));
  folder.finish(samples);
}

async function buildSlipway(): Promise<void> {
  const place = slip.slipway();
  const folder = new DemoFolder(place);
  const glb = await rowingBoatGlb();
  folder.write("boat.glb", glb);
  const model = await modelOfGlb(glb);
  const empty = await photograph(place, "empty", [], samples);
  folder.clean("clean.exr", empty);
  await folder.jpeg("plate.jpg", empty, 31);
  const placement = dropToFloor(slip.boatPlace, model);
  const full = await photograph(place, "with the boat", [{ model, placement }], samples);
  folder.clean("clean-with-boat.exr", full);
  await folder.jpeg("with-boat.jpg", full, 32);
  const truth = {
    ...commonTruth(place),
    slopeDeg: toDegrees(slip.SLOPE),
    up: slip.UP,
    edges: edgesOf(slip.camera, slip.straightEdges),
    origin: projectPoint(slip.camera, [0, -1, 0]),
    boat: placed(placement),
  };
  folder.write("truth.json", JSON.stringify(truth, null, 1));
  folder.finish(samples);
}

const builds = { quay: buildQuay, netloft: buildNetloft, slipway: buildSlipway };
for (const [name, build] of Object.entries(builds)) if (wanted.length === 0 || wanted.includes(name)) await build();
