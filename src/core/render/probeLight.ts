import { toPlate, toScene } from "../image/response.ts";
import { daylightHue } from "../light/daylightHue.ts";
import type { FittedResponse } from "../light/fitResponse.ts";
import { fitResponse } from "../light/fitResponse.ts";
import { alikeTo, leaderOf, shareShine } from "../light/alike.ts";
import { CLIPS, readPatch } from "../light/patch.ts";
import type { Light, Probe, ShotLamp } from "../light/schema.ts";
import { probeNumber } from "../light/schema.ts";
import type { LitPatch, Unknown } from "../light/solveSources.ts";
import { solveSources, worthOf } from "../light/solveSources.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { add, scale } from "../math/vec3.ts";
import { shotFrame } from "../plate/schema.ts";
import { pickFace } from "../set/pick.ts";
import { materialAt } from "../set/surface.ts";
import type { Kernel } from "../trace/kernel.ts";
import type { SceneMemory } from "../trace/memory.ts";
import type { Picture } from "../trace/scene.ts";
import type { LightAt } from "./lightAt.ts";
import { lightAt } from "./lightAt.ts";
import { lightOver, pointsOf } from "./lightOver.ts";
import type { Seen } from "./scene.ts";
import { traceSceneOf } from "./scene.ts";
import type { UnderGloss } from "./underGloss.ts";
import { MATT, underGloss } from "./underGloss.ts";

/** A probed patch against the plate. */
export interface ProbedPatch {
  id: string;
  /** Linear colour of the plate there, and what the sources give it. */
  plate: Vec3;
  render: Vec3;
  /** Render over plate, less 1, luminance. */
  off: number;
  openSky: number;
}

/** Sources that explain the probes. */
export interface ProbedLight {
  /** By source, `sun`, `sky` or a lamp's id: irradiance of the sun, radiance of the others, plate units. */
  colours: Record<string, Vec3>;
  /** By source: relative standard deviation, beside that of the level. */
  sigma: Record<string, number>;
  levelSigma: number;
  /** Sun's irradiance on level ground over the sky's there; null without both. */
  sunToSky: number | null;
  patches: ProbedPatch[];
  /** How the plate bends light, by the probes; null where they are too few to tell. */
  curve: FittedResponse | null;
  /** Colour that the probed surfaces would have if the light is daylight, which it is not as they are; null where it may be. */
  tint: Vec3 | null;
  /** What the user should know. */
  findings: string[];
  /** Where on the plate a further probe would help most; null where the sources are told well. */
  next: Vec2 | null;
}

const lum = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
/** A patch that the sources miss by more is named. */
const OFF = 0.15;

/** Reflectance of what is probed, its relative spread, and what shares its error. */
function albedoAt(shot: Seen, { pixel, card }: Probe): { colour: Vec3; spread: number; surface: string } {
  if (card) return { colour: card.map((c) => Math.max(0.01, c)) as Vec3, spread: 0.02, surface: `card ${card}` };
  const picked = shot.solved && pickFace(shot.set, shot.solved.camera, pixel);
  const material = (picked && materialAt(shot, picked.part, picked.face.id)) ?? shot.materials[shot.ground];
  const { colour, spread } = material?.albedo ?? { colour: [0.25, 0.25, 0.25] as Vec3, spread: 0.08 };
  return { colour, spread: spread / lum(colour), surface: material?.id ?? "ground" };
}

/** Lamps that are switched on, also those that an earlier answer left dark, in the tracer's order. */
const lampsOn = ({ light }: Pick<Seen, "light">) => Object.values(light.lamps).filter(({ on }) => on);

/** The same by the first of those that shine alike, which are one unknown. */
function shiningAlike({ light }: Pick<Seen, "light">): ShotLamp[][] {
  const groups = new Map<string, ShotLamp[]>();
  for (const lamp of lampsOn({ light })) {
    const leader = leaderOf(light.lamps, lamp.id);
    groups.set(leader, [...(groups.get(leader) ?? []), lamp]);
  }
  return [...groups.values()];
}

/** The names of the sources that are switched on, in the order of the unknowns. */
const sourcesOn = ({ light }: Pick<Seen, "light">): (Unknown & { id: string; name: string })[] => [
  ...(light.sun.on ? [{ id: "sun", name: "the sun", kind: "sun", colour: light.sun.irradiance }] : []),
  ...(light.sky.on ? [{ id: "sky", name: "the sky", kind: "sky", colour: light.sky.radiance }] : []),
  ...shiningAlike({ light }).map(([lamp, ...others]) => ({
    id: lamp.id,
    name: [lamp, ...others].map(({ name }) => name).join(", "),
    kind: "lamp",
    colour: scale(lamp.colour, lamp.level),
  })),
];

/** The rig with every source at one unit, so that what the tracer finds is what a unit of each brings. */
function unitRig(light: Light): Light {
  const lamps = Object.fromEntries(
    Object.entries(light.lamps).map(([id, lamp]) => [id, { ...lamp, colour: [1, 1, 1] as Vec3, level: 1 }]),
  );
  const { sun, sky } = light;
  return { ...light, sun: { ...sun, irradiance: [1, 1, 1] }, sky: { ...sky, radiance: [1, 1, 1] }, lamps };
}

/** Puts colours of sources into a light. */
export function takeColours(light: Light, colours: Record<string, Vec3>): void {
  if (colours.sun) light.sun.irradiance = colours.sun;
  if (colours.sky) light.sky.radiance = colours.sky;
  for (const [id, lamp] of Object.entries(light.lamps)) {
    const colour = colours[id];
    if (!colour) continue;
    const level = Math.max(...colour);
    lamp.level = level;
    if (level > 0) lamp.colour = scale(colour, 1 / level);
    shareShine(light.lamps, id);
  }
}

/** What lamps bring, summed over those that shine alike. */
function alike(shot: Pick<Seen, "light">, lamps: readonly Vec3[]): Vec3[] {
  const order = new Map(lampsOn(shot).map(({ id }, i) => [id, i]));
  return shiningAlike(shot).map((group) =>
    group.reduce((sum, { id }) => add(sum, lamps[order.get(id)!]), [0, 0, 0] as Vec3),
  );
}

/** What a unit of each source brings to a place, in the order of `sourcesOn`. */
function unitsAt(shot: Seen, at: LightAt, sun: Probe["sun"]): Vec3[] {
  const share = sun === "shaded" ? 0 : at.sunShare;
  const sunlight = share * at.sunCosine;
  return [
    ...(shot.light.sun.on ? [[sunlight, sunlight, sunlight] as Vec3] : []),
    ...(shot.light.sky.on ? [at.sky] : []),
    ...alike(shot, at.lamps),
  ];
}

/**
 * The sources' colours from the shot's probes: the tracer tells what a unit of each source and the set bring to each
 * patch, and non-negative least squares do the rest. A sentence where it cannot be had.
 */
export function probeLight(kernel: Kernel, memory: SceneMemory, shot: Seen, plate: Picture): ProbedLight | string {
  if (!shot.solved) return "Solve the camera first; the probes need to know where the ground is.";
  const probes = Object.values(shot.light.probes).filter(({ muted }) => !muted);
  if (probes.length === 0)
    return "Probe a patch first: any evenly lit piece of a surface whose colour is roughly known.";
  const sources = sourcesOn(shot);
  if (sources.length === 0) return "Every source is switched off. Switch on the sun, the sky or a lamp.";
  const linear = { width: plate.width, height: plate.height, linear: plate.pixels };
  const { response } = shot.plates.main.encoding;
  const clips = response ? toScene(response, CLIPS) : CLIPS;
  const read = probes.map(({ pixel, radius }) => readPatch(linear, pixel, radius, clips));
  for (const [i, patch] of read.entries()) {
    if (patch.pixels === 0) return `Probe ${probeNumber(probes[i].id)} lies outside the plate. Move it onto a surface.`;
    if (patch.clipped > 0.01)
      return `Probe ${probeNumber(probes[i].id)} is clipped: its brightest pixels hold no colour. Move it to a darker place, or mute it.`;
  }
  const bare: Seen = { ...shot, props: {} };
  const sceneOf = (light: Light) => traceSceneOf({ ...bare, light }, plate, new Map(), false);
  const discs = probes.map((probe) => pointsOf(shot, probe));
  const unit = lightOver(kernel, memory, sceneOf(unitRig(shot.light)), discs);
  const missing = unit.indexOf(null);
  if (missing >= 0) return `${probes[missing].id} is not on the set. Draw the surface under it first.`;
  for (const [i, probe] of probes.entries()) {
    const { sunShare, sunCosine } = unit[i]!;
    if (probe.sun === "lit" && shot.light.sun.on && sunShare * sunCosine < 0.02)
      return `The sun does not reach probe ${probeNumber(probe.id)}: a set surface stands between, or it faces away. Move the probe, or check the sun.`;
  }
  const albedos = probes.map((probe) => albedoAt(shot, probe));
  const sent = sentOf(kernel, memory, shot, { probes, discs }, sources, sceneOf);
  const patches = probes.map((probe, i): LitPatch => {
    const { under, bounce, gloss } = sent[i];
    const albedo = albedos[i].colour;
    // Gloss as the irradiance that would make the matt surface as bright.
    const joined = (matt: Vec3, through: number, glossy: Vec3) =>
      matt.map((e, k) => e * through + (Math.PI * glossy[k]) / Math.max(0.01, albedo[k])) as Vec3;
    return {
      id: probe.id,
      colour: read[i].colour,
      albedo,
      spread: albedos[i].spread,
      surface: albedos[i].surface,
      weight: probe.weight,
      bounce: joined(bounce.plate, under.around, gloss.plate),
      units: unitsAt(shot, unit[i]!, probe.sun).map((direct, s) => {
        const through = sources[s].id === "sun" ? under.sun : under.around;
        const matt = direct.map((e, k) => e * through + bounce.units[s][k] * under.around) as Vec3;
        return joined(matt, 1, gloss.units[s]);
      }),
    };
  });
  const found = solveSources(patches, sources);
  const tint = surfaceTint(shot, probes, found.colours);
  const byId = <T>(values: T[]) => Object.fromEntries(sources.map(({ id }, s) => [id, values[s]]));
  const findings = findingsOf(shot, probes, sources, found);
  const curve = curveOf(shot, patches, found.colours);
  if (curve?.sure && !response)
    findings.push(
      `No straight plate explains the probes: it bends light from ${curve.shoulder} of white on, as camera JPEGs do. Take that as the plate's curve, and balance again.`,
    );
  return {
    colours: byId(found.colours),
    sigma: byId(found.sigma),
    levelSigma: found.levelSigma,
    sunToSky: sunToSky(shot, byId(found.colours)),
    patches: probes.map(({ id }, i) => ({
      id,
      plate: read[i].colour,
      render: found.rendered[i],
      off: found.residual[i],
      openSky: unit[i]!.openSky,
    })),
    curve,
    tint,
    findings,
    next:
      found.confused.length > 0
        ? nextProbe(kernel, memory, shot, sceneOf(unitRig(shot.light)), patches, found.colours)
        : null,
  };
}

/** What comes to a probe of the plate as it is, and what a unit of each source adds to that. */
interface Shares {
  plate: Vec3;
  units: Vec3[];
}

/**
 * Of every probe: light that reaches it by way of the set, what its surface's gloss sends to the camera, and what is under
 * that. What the plate shows of the set sends out what the plate says; the rest gives back the sources' light, and is linear
 * in them: in a closed room it may be most of what there is, so that each source is traced by itself.
 */
function sentOf(
  kernel: Kernel,
  memory: SceneMemory,
  shot: Seen,
  { probes, discs }: { probes: Probe[]; discs: Vec2[][] },
  sources: { id: string }[],
  sceneOf: (light: Light) => ReturnType<typeof traceSceneOf>,
): { under: UnderGloss; bounce: Shares; gloss: Shares }[] {
  const none: Vec3 = [0, 0, 0];
  const seen = (only: string | null) => lightOver(kernel, memory, sceneOf(loudRig(shot.light, only)), discs);
  const plate = seen(null);
  const bySource = sources.map(({ id }) => seen(id));
  const more = (all: Vec3, dark: Vec3) => all.map((x, k) => Math.max(0, x - dark[k]) / LOUD) as Vec3;
  return probes.map((probe, i) => {
    const { bounce, gloss } = plate[i]!;
    const under = probe.card ? MATT : underGloss(shot, discs[i]);
    const units = bySource.map((at) => more(at[i]!.bounce, bounce));
    // Sunlight that does not come there is not mirrored either.
    const mirrored = bySource.map((at, s) =>
      under.weight === 0 || (sources[s].id === "sun" && probe.sun === "shaded") ? none : more(at[i]!.gloss, gloss),
    );
    return {
      under,
      bounce: { plate: bounce, units },
      gloss: { plate: under.weight === 0 ? none : gloss, units: mirrored },
    };
  });
}

/** What a single source is traced at, so that what the plate sends is nothing beside it: its noise would go into the difference. */
const LOUD = 1e5;

/** The rig with one source loud and all others dark; all dark for none. */
function loudRig(light: Light, only: string | null): Light {
  const rig = unitRig(light);
  const dark: Vec3 = [0, 0, 0];
  const loud: Vec3 = [LOUD, LOUD, LOUD];
  const own = new Set(only !== null && light.lamps[only] ? alikeTo(light.lamps, only).map(({ id }) => id) : []);
  const lamps = Object.fromEntries(
    Object.entries(rig.lamps).map(([id, lamp]) => [id, { ...lamp, level: own.has(id) ? LOUD : 0 }]),
  );
  return {
    ...rig,
    sun: { ...rig.sun, irradiance: only === "sun" ? loud : dark },
    sky: { ...rig.sky, radiance: only === "sky" ? loud : dark },
    lamps,
  };
}

/** How the plate bends light, from the same patches; they are taken back to what the codes say. */
function curveOf({ plates }: Seen, patches: LitPatch[], colours: Vec3[]): FittedResponse | null {
  const { response } = plates.main.encoding;
  const straight = (x: number) => (response ? toPlate(response, x) : x);
  return fitResponse(
    patches.map(({ colour, albedo, spread, surface, bounce, units }) => ({
      plate: lum(colour.map(straight) as Vec3),
      albedo: lum(albedo),
      spread,
      surface,
      units: units.map((u, s) => lum(u.map((x, k) => x * colours[s][k]) as Vec3)),
      bounce: lum(bounce),
    })),
    response?.contrast ?? 1,
  );
}

/** Sun and sky on level ground, if nothing else is lit and no card tells their colour, against daylight. */
function surfaceTint(shot: Seen, probes: readonly Probe[], colours: readonly Vec3[]): Vec3 | null {
  const sources = sourcesOn(shot);
  if (probes.some(({ card }) => card) || !sources.every(({ kind }) => kind === "sun" || kind === "sky")) return null;
  const height = Math.max(0, Math.sin((shot.light.sun.elevationDeg * Math.PI) / 180));
  const total = [0, 1, 2].map((k) =>
    sources.reduce((sum, { kind }, s) => sum + colours[s][k] * (kind === "sun" ? height : Math.PI), 0),
  ) as Vec3;
  return (
    daylightHue(total, sources.some(({ kind }) => kind === "sun") ? "sunny" : "sky", shot.light.whiteKelvin)?.tint ??
    null
  );
}

/** Gives the probed surfaces the colour that the light was given in their place; their luminance stays. */
export function tintSurfaces(shot: Seen, tint: Vec3): void {
  const probed = Object.values(shot.light.probes).filter(({ muted, card }) => !muted && !card);
  for (const id of new Set(probed.map((probe) => albedoAt(shot, probe).surface))) {
    const material = shot.materials[id];
    if (!material) continue;
    const tinted = material.albedo.colour.map((c, k) => c * tint[k]) as Vec3;
    const share = lum(material.albedo.colour) / lum(tinted);
    material.albedo.colour = tinted.map((c) => Number(Math.min(0.95, Math.max(0.01, c * share)).toFixed(4))) as Vec3;
    material.albedo.source = "its colour by daylight on the plate";
  }
}

function sunToSky({ light }: Seen, colours: Record<string, Vec3>): number | null {
  if (!colours.sun || !colours.sky) return null;
  const sun = lum(colours.sun) * Math.sin((light.sun.elevationDeg * Math.PI) / 180);
  return sun / Math.max(1e-9, Math.PI * lum(colours.sky));
}

function findingsOf(
  shot: Seen,
  probes: Probe[],
  sources: { id: string; name: string }[],
  found: ReturnType<typeof solveSources>,
): string[] {
  const findings: string[] = [];
  for (const [a, b] of found.confused) {
    const where =
      sources[a].id === "sun"
        ? "Probe the same surface once in the sun and once in the shade."
        : "Probe where one of them is hidden or near: the ring shows the best place.";
    findings.push(
      `The probes do not tell ${sources[a].name} from ${sources[b].name}; they keep the ratio that they had. ${where}`,
    );
  }
  sources.forEach(({ id, name }, s) => {
    if (id === "sun" && lum(found.colours[s]) <= 0)
      findings.push(
        "The probes leave nothing for the sun: what is lit is no brighter than what is in the shade. Check which is which, or switch the sun off.",
      );
    else if (lum(found.colours[s]) <= 0) findings.push(`The probes leave nothing for ${name}.`);
  });
  found.residual.forEach((off, i) => {
    if (Math.abs(off) > OFF)
      findings.push(
        `No light of these sources explains probe ${probeNumber(probes[i].id)}: the render is ${Math.abs(off * 100).toFixed(0)} % too ${off > 0 ? "bright" : "dark"} there. Check its material${shot.light.sun.on ? ", and whether the sun reaches it" : ""}.`,
      );
  });
  return findings;
}

const ACROSS = 12;
const DOWN = 8;

/** Place of the plate at which one more probe would tell most. */
function nextProbe(
  kernel: Kernel,
  memory: SceneMemory,
  shot: Seen,
  unitScene: ReturnType<typeof traceSceneOf>,
  patches: LitPatch[],
  colours: Vec3[],
): Vec2 | null {
  const { width, height } = shotFrame(shot);
  const pixels = Array.from({ length: ACROSS * DOWN }, (_, i): Vec2 => [
    ((i % ACROSS) + 0.5) * (width / ACROSS),
    (Math.floor(i / ACROSS) + 0.5) * (height / DOWN),
  ]);
  const sources = sourcesOn(shot);
  const known = patches[0];
  let best: Vec2 | null = null;
  let most = 0;
  lightAt(kernel, memory, unitScene, pixels, 64).forEach((at, i) => {
    if (!at) return;
    const units = unitsAt(shot, at, "as set");
    const e = [0, 1, 2].map((k) => units.reduce((sum, u, s) => sum + u[k] * colours[s][k], at.bounce[k])) as Vec3;
    if (!(lum(e) > 0)) return;
    const colour = e.map((x, k) => (x * known.albedo[k]) / Math.PI) as Vec3;
    const worth = worthOf(patches, sources, colours, { ...known, colour, bounce: at.bounce, units });
    if (worth > most) [best, most] = [pixels[i], worth];
  });
  return best;
}
