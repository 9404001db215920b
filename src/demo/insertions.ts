import { importGlb } from "#core/exchange/gltf";
import type { ShadedRegion } from "#core/light/casters";
import { castersOf } from "#core/light/casters";
import { maskFromRegions } from "#core/light/mask";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import type { Placement } from "#core/props/transform";
import { dropToFloor, placementMatrix } from "#core/props/transform";
import { meshOf } from "#core/set/pieces";
import { flagsOf } from "#core/set/roles";
import type { Picture, PropPiece, SetPiece, TraceScene } from "#core/trace/scene";
import type { Region } from "#core/trace/tiles";
import { decodeTexture } from "#node/images";
import { readExr } from "#core/image/exrRead";
import * as loft from "./netloft.ts";
import * as quay from "./quay.ts";
import * as slip from "./slipway.ts";
import { PAVING_ALBEDO, demoFile } from "./shot.ts";

/** The demo's props inserted into its clean plates: with true camera and light, over a set as a user draws it. */

/** What is inserted where, and what the picture with it really there is. */
export interface InsertionCase {
  place: "quay" | "netloft" | "slipway";
  /** File of the truth, and the part of the plate that it covers if it is not the whole. */
  truth: string;
  part?: Region;
  region: Region;
  camera: Camera;
  props: { file: string; placement: Placement }[];
  set: SetPiece[];
  light: Pick<TraceScene, "sun" | "sky" | "environment" | "lamps" | "mask">;
  floor: TraceScene["floor"];
  /** Shades of the plate as marked. */
  marked?: ShadedRegion[];
}

/** Ground as a user draws it on the plate, seen through a camera. */
export function drawnGround(camera: Camera, pixels: Vec2[], albedo: Vec3): SetPiece {
  const vertices = pixels.map((pixel) => ({ pixel, world: pixelOnPlane(camera, pixel, groundPlane())! }));
  const mesh = meshOf([{ id: "face", rings: [vertices.map((v) => v.world)] }]);
  return { ...mesh, flags: flagsOf("catcher"), albedo, specular: 0, roughness: 0.5 };
}

/** A flat four-cornered surface. */
function panel(origin: Vec3, a: Vec3, b: Vec3, catcher: boolean, albedo: Vec3): SetPiece {
  const p = [origin, add(origin, a), add(add(origin, a), b), add(origin, b)];
  return {
    positions: new Float32Array(p.flat()),
    indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
    flags: flagsOf(catcher ? "catcher" : "blocker"),
    albedo,
    specular: 0,
    roughness: 0.5,
  };
}
/** The bench's own gloss: index 1.4 against the 1.5 of weight 1. */
const glossy = (piece: SetPiece): SetPiece => ({ ...piece, specular: 0.7, roughness: 0.6 });
const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];

/** The ice house as a block of its foot and eaves with a roof over it, as a user would raise it. */
function iceHouse(): SetPiece[] {
  const { width: w, depth: d, eaves: e, ridge: r } = quay.iceHouse;
  const stone: Vec3 = [0.5, 0.46, 0.4];
  const o = 0.28;
  const low = e - (o * (r - e)) / (w / 2);
  return [
    panel([0, 0, 0], [w, 0, 0], [0, 0, e], false, stone),
    panel([0, d, 0], [0, -d, 0], [0, 0, e], false, stone),
    panel([w, 0, 0], [0, d, 0], [0, 0, e], false, stone),
    panel([-o, d + o, low], [0, -d - 2 * o, 0], [w / 2 + o, 0, r - low], false, [0.1, 0.11, 0.13]),
    panel([w + o, -o, low], [0, d + 2 * o, 0], [-w / 2 - o, 0, r - low], false, [0.1, 0.11, 0.13]),
  ];
}

/** The loft's tie beams: two are seen in the plate, and the row goes on over the camera at the same spacing. */
function tieBeams(width: number, eaves: number): SetPiece[] {
  const albedo: Vec3 = [0.2, 0.155, 0.1];
  const [low, high] = [eaves - 0.02, eaves + 0.13];
  return [0.15, 1.15, 2.15, 3.15, 4.15, 5.15, 6.15].flatMap((y) => [
    panel([0, y, low], [0, 0.11, 0], [width, 0, 0], false, albedo),
    panel([0, y, low], [width, 0, 0], [0, 0, high - low], false, albedo),
    panel([width, y + 0.11, low], [-width, 0, 0], [0, 0, high - low], false, albedo),
  ]);
}

/** The border of the house's shadow as a user clicks around it on the plate, half-way between dark and lit; then along the house. */
function markedShade(): ShadedRegion {
  const points: Vec2[] = [
    // The corner's line, the notch of the verge, the eaves, the ridge.
    [1103.7, 597],
    [704.5, 582.2],
    [691.5, 586.6],
    [683.5, 586.6],
    [649, 521.8],
    [676, 515.3],
    [700, 514.5],
    [905, 513.2],
    // The foot of the wall.
    [906, 532],
    [1099, 592.5],
  ];
  return { points, feather: 1, hidesSky: 1 };
}

/** Blue-grey cloth, as a grey-card reading would give it. */
const BOOKS_ALBEDO: Vec3 = [0.16, 0.2, 0.22];

const quayLight = { sun: quay.sun, sky: quay.sky, mask: null };
const quayFloor = { height: -0.002, albedo: PAVING_ALBEDO };
const quayGround = () => drawnGround(quay.camera, quay.groundPixels, PAVING_ALBEDO);

const shade = (set: SetPiece[], marked: ShadedRegion[]): InsertionCase => ({
  place: "quay",
  truth: "clean-with-buoy-in-shade.exr",
  part: quay.SHADE_REGION,
  region: quay.SHADE_REGION,
  camera: quay.camera,
  props: [{ file: "buoy.glb", placement: quay.shadePlacement }],
  set,
  light: { ...quayLight, mask: maskFromRegions(marked, quay.frame) },
  marked,
  floor: quayFloor,
});

export const CASES: Record<string, () => InsertionCase> = {
  quay: () => ({
    place: "quay",
    truth: "clean-with-buoy.exr",
    region: { x0: 330, y0: 300, x1: 1010, y1: 800 },
    camera: quay.camera,
    props: [{ file: "buoy.glb", placement: quay.buoyPlacement }],
    set: [quayGround()],
    light: quayLight,
    floor: quayFloor,
  }),
  "shade-blocker": () => shade([quayGround(), ...iceHouse()], []),
  "shade-region": () => shade([quayGround()], [markedShade()]),
  netloft: () => {
    const { width: w, depth: d, eaves: e, ridge: r } = loft.room;
    const { x0, x1, y0, y1, top } = loft.bench;
    const wood = loft.BENCH_ALBEDO;
    // Walls stand behind the windows, which are lamps before them.
    return {
      place: "netloft",
      truth: "clean-with-props.exr",
      region: { x0: 120, y0: 330, x1: 900, y1: 680 },
      camera: loft.camera,
      props: [
        { file: "kettle.glb", placement: loft.kettlePlace },
        { file: "float.glb", placement: loft.floatPlace },
      ],
      set: [
        // Planed wood: its sheen is seen against the gable's window.
        glossy(panel([x0, y0, top], [x1 - x0, 0, 0], [0, y1 - y0, 0], true, wood)),
        panel([x0, y0, top - 0.17], [x1 - x0, 0, 0], [0, 0, 0.17], true, wood),
        panel([x1, y0, top - 0.055], [0, y1 - y0, 0], [0, 0, 0.055], true, wood),
        // The log books, drawn as one block.
        glossy(panel([3.06, 3.46, top + 0.03], [0.28, 0, 0], [0, 0.21, 0], true, BOOKS_ALBEDO)),
        panel([3.06, 3.46, top], [0.28, 0, 0], [0, 0, 0.03], true, BOOKS_ALBEDO),
        panel([3.06, 3.67, top], [0, -0.21, 0], [0, 0, 0.03], true, BOOKS_ALBEDO),
        panel([0, 0, 0], [w, 0, 0], [0, d, 0], true, loft.FLOOR_ALBEDO),
        panel([0.005, 0, 0], [0, d, 0], [0, 0, e], true, loft.WALL_ALBEDO),
        panel([w, d, 0], [0, -d, 0], [0, 0, e], true, loft.WALL_ALBEDO),
        panel([w, 0, 0], [-w, 0, 0], [0, 0, r], true, loft.WALL_ALBEDO),
        panel([0, d - 0.005, 0], [w, 0, 0], [0, 0, r], true, loft.WALL_ALBEDO),
        panel([0, 0, e], [w / 2, 0, r - e], [0, d, 0], true, loft.WALL_ALBEDO),
        panel([w, d, e], [-w / 2, 0, r - e], [0, -d, 0], true, loft.WALL_ALBEDO),
        ...tieBeams(w, e),
      ],
      light: { sun: null, sky: [0, 0, 0], lamps: loft.lamps, mask: null },
      floor: null,
    };
  },
  slipway: () => {
    const w = slip.HALF_WIDTH;
    const m = placementMatrix(slip.level);
    const level = (p: Vec3): Vec3 =>
      [0, 1, 2].map((k) => m[k * 4] * p[0] + m[k * 4 + 1] * p[1] + m[k * 4 + 2] * p[2]) as Vec3;
    const wall = (x: number, from: number, to: number) =>
      panel(level([x, from, -3]), level([0, to - from, 0]), level([0, 0, 5.15]), true, slip.WALL_ALBEDO);
    return {
      place: "slipway",
      truth: "clean-with-boat.exr",
      region: { x0: 220, y0: 270, x1: 900, y1: 690 },
      camera: slip.camera,
      props: [{ file: "boat.glb", placement: slip.boatPlace }],
      set: [
        panel([-w, -5.2, 0], [2 * w, 0, 0], [0, 23.8, 0], true, slip.RAMP_ALBEDO),
        wall(-w, 18.6, -9),
        wall(w, -9, 18.6),
      ],
      light: { sun: null, sky: [0, 0, 0], environment: slip.overcast(), mask: null },
      floor: { height: -0.002, albedo: slip.RAMP_ALBEDO },
    };
  },
};

/** The scene of a case with its clean plate. */
export async function prepare(c: InsertionCase) {
  const without = readExr(await demoFile("clean.exr", c.place), 3);
  const { width, height } = without;
  const props: PropPiece[] = [];
  for (const { file, placement } of c.props) {
    const { model } = await importGlb(await demoFile(file, c.place), decodeTexture);
    props.push({ model, placement: c.place === "slipway" ? dropToFloor(placement, model) : placement });
  }
  const scene: TraceScene = {
    camera: c.camera,
    frame: { width, height },
    set: c.set,
    props,
    ...c.light,
    floor: c.floor,
    casters: castersOf(c.marked ?? [], c.camera, without, quay.sun.direction, 0, without),
    plate: without,
    backdrop: null,
    picture: false,
  };
  return { scene, without };
}

/** The scene of a case, and the part of the plate that its props touch. */
export async function sceneOf(name: string): Promise<{ scene: TraceScene; region: Region }> {
  const c = CASES[name]();
  return { scene: (await prepare(c)).scene, region: c.region };
}

/** The picture in which a case's props really stood there. */
export async function truthOf(c: InsertionCase, without: Picture): Promise<Float32Array> {
  return laid(readExr(await demoFile(c.truth, c.place), 3), c.part, without);
}

/** The whole picture with a part of it laid over the plate. */
function laid(
  picture: { width: number; pixels: Float32Array },
  part: Region | undefined,
  without: { width: number; pixels: Float32Array },
): Float32Array {
  if (!part) return picture.pixels;
  const whole = without.pixels.slice();
  // Its outermost pixels had no neighbours when specks were taken out.
  for (let y = part.y0 + 1; y < part.y1 - 1; y++) {
    const from = ((y - part.y0) * picture.width + 1) * 3;
    const row = picture.pixels.subarray(from, from + (picture.width - 2) * 3);
    whole.set(row, (y * without.width + part.x0 + 1) * 3);
  }
  return whole;
}
