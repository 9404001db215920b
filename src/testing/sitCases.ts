import { produce } from "immer";
import sharp from "sharp";
import { requestOfShot } from "#core/match/requestOfShot";
import { solve } from "#core/match/solve";
import type { Vec2 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { provideFiles } from "#core/render/files";
import type { Shot } from "#core/shot/schema";
import type { CheckName, ReportLine } from "#core/sit/report";
import { sitReport } from "#core/sit/report";
import type { DecodedPlate } from "#core/comp/composite";
import { renderedSigma } from "#core/comp/composite";
import { finishPasses } from "#node/handover/finished";
import { plateOf } from "#node/plateRows";
import { renderShot } from "#node/renderShot";
import { sitScene } from "#node/sitScene";
import type { DemoPlace } from "../demo/documents.ts";
import { documentOf } from "../demo/documents.ts";

/** Composites that are wrong on purpose, one fault each, from the three demo documents: the sit report has to name it first. */
export interface SitCase {
  name: string;
  place: DemoPlace;
  /** What has to come first. */
  fault: CheckName;
  change: (shot: Shot, plate: DecodedPlate) => Promise<{ shot: Shot; plate: DecodedPlate }>;
  /** Size that it takes for the fault to be seen, per cent of the plate's side. */
  percent?: number;
}

type Loaded = { shot: Shot; plate: DecodedPlate; models: Map<string, Model> };

const edit =
  (change: (draft: Shot) => void): SitCase["change"] =>
  (shot, plate) =>
    Promise.resolve({ shot: produce(shot, (d) => change(d as Shot)), plate });
const first = (shot: Shot) => Object.values(shot.props)[0];

/** The plate wider than it was taken, with every mark where it then lies, and the camera that those give. */
async function stretchedPlate(shot: Shot, plate: DecodedPlate) {
  const by = 1.12;
  const width = Math.round(plate.width * by);
  const { height } = plate;
  const codes = await sharp(plate.codes as Uint8Array, { raw: { width: plate.width, height, channels: 3 } })
    .resize(width, height, { fit: "fill" })
    .raw()
    .toBuffer();
  const wider = (p: readonly [number, number]): Vec2 => [p[0] * by, p[1]];
  const marked = produce(shot, (d) => {
    d.plates.main.width = width;
    for (const e of Object.values(d.edges)) e.points = e.points.map((p) => wider(p as Vec2));
    for (const l of Object.values(d.lengths)) [l.from, l.to] = [wider(l.from as Vec2), wider(l.to as Vec2)];
    for (const t of Object.values(d.ties)) t.pixel = wider(t.pixel as Vec2);
    for (const h of Object.values(d.horizon)) h.pixel = wider(h.pixel as Vec2);
    if (d.origin) d.origin = wider(d.origin as Vec2);
    d.light.sightings = {};
    d.light.probes = {};
  });
  const answer = solve(requestOfShot(marked));
  const camera = answer.camera ?? shot.solved!.camera;
  const solved = produce(marked, (d) => void (d.solved = { ...d.solved!, camera: { ...d.solved!.camera, ...camera } }));
  return { shot: solved, plate: plateOf(solved, new Uint8Array(codes)) };
}

export const SIT_CASES: SitCase[] = [
  {
    name: "floating",
    place: "quay",
    fault: "contact",
    change: edit((d) => void (first(d).placement.position[2] += 0.06)),
  },
  {
    name: "sunk",
    place: "slipway",
    fault: "contact",
    change: edit((d) => void (first(d).placement.position[2] -= 0.08)),
  },
  {
    name: "sun turned by 30°",
    place: "quay",
    fault: "direction",
    change: edit((d) => void (d.light.sun.azimuthDeg += 30)),
  },
  {
    name: "shadow too dark",
    place: "quay",
    fault: "tone",
    change: edit((d) => void Object.assign(d.comp.shadow, { on: true, density: 1.6 })),
  },
  {
    name: "too sharp",
    place: "netloft",
    fault: "sharpness",
    percent: 100,
    change: edit((d) => void (d.comp.sharpness.on = false)),
  },
  { name: "no grain", place: "slipway", fault: "grain", change: edit((d) => void (d.comp.grain.on = false)) },
  {
    name: "lifted blacks",
    place: "netloft",
    fault: "black",
    change: edit((d) => void Object.assign(d.comp.props, { on: true, black: [0.03, 0.03, 0.03] })),
  },
  {
    name: "oversaturated",
    place: "quay",
    fault: "saturation",
    change: edit((d) => void Object.assign(d.comp.props, { on: true, saturation: 1.5 })),
  },
  {
    name: "wrong size",
    place: "slipway",
    fault: "size",
    change: edit((d) => void (first(d).placement.scale = first(d).placement.scale.map((s) => s * 1.3) as never)),
  },
  { name: "short catcher", place: "quay", fault: "catcher", change: edit(shortCatcher) },
  { name: "stretched plate", place: "netloft", fault: "aspect", change: stretchedPlate },
  {
    name: "wrong lens",
    place: "netloft",
    fault: "lens",
    change: edit((d) => void (d.solved!.camera.focalPx *= 1.25)),
  },
];

/** Draws the ground's corners in towards the prop, so that its shadow runs beyond it. */
function shortCatcher(draft: Shot): void {
  const [x, y] = first(draft).placement.position;
  const ground = Object.values(draft.set).find((part) => part.kind === "polygon");
  if (!ground || !("vertices" in ground)) throw new Error("The document has no ground to shorten.");
  for (const { world } of ground.vertices) {
    world[0] = x + Math.sign(world[0] - x) * 0.7;
    world[1] = y + Math.sign(world[1] - y) * 0.7;
  }
}

const loaded = new Map<DemoPlace, Promise<Loaded>>();
const load = (place: DemoPlace) => {
  if (!loaded.has(place)) loaded.set(place, documentOf(place));
  return loaded.get(place)!;
};

/** The report of a document as it is, or with a fault. */
export async function reportOf(
  place: DemoPlace,
  change: SitCase["change"] | null,
  percent: number,
  samples: number,
): Promise<ReportLine[]> {
  const { shot, plate, models } = await load(place);
  const made = change ? await change(shot, plate) : { shot, plate };
  const passes = await renderShot(made.shot, made.plate, models, { percent, samples, passes: [], denoise: false });
  provideFiles(made.shot, models);
  const picture = finishPasses(made.shot, made.plate, passes, renderedSigma(made.shot, percent / 100));
  return sitReport(sitScene({ ...made, models }, picture));
}
