import { pickWorld } from "#core/match/gauges";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { dot } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelDirection, pixelOnPlane } from "#core/optics/camera";
import { MAIN_PLATE } from "#core/plate/schema";
import { newEdge, newLength } from "#core/match/schema";
import type { Shot } from "#core/shot/schema";
import { useDetector } from "../stores/detector.ts";
import { useDesk } from "../stores/desk.ts";
import { useMeasuring } from "../stores/measuring.ts";
import { useNotices } from "../stores/notices.ts";
import { useProof } from "../stores/proof.ts";
import { usePlate } from "../stores/plate.ts";
import { useShot } from "../stores/shot.ts";
import { edgeWord } from "./edgeWords.ts";
import { facetsOf } from "./facets.ts";
import type { Probe } from "#core/light/schema";
import type { Sighting } from "#core/light/sightings/index";
import { newSighting, sightingKind } from "#core/light/sightings/index";
import { slopeOfHorizon } from "#core/light/level";
import { facingTo, hungOn, placeOfHighlight, placeOfShadow, windowAcross, withinSet } from "#core/light/placing";
import { sunRadiusFrom } from "#core/light/penumbra";
import { sunDirection } from "#core/light/rig";
import type { Area } from "#core/comp/stages/grain";
import { whiteOfNeutral } from "#core/light/kelvin";
import { readPatch } from "#core/light/patch";
import { newProbe } from "#core/light/schema";
import { formatLength } from "#core/units/length";
import { followSighting } from "./handles/light.ts";
import { useMattes } from "./mattes.ts";
import { usePinning } from "./pinning.ts";
import { sightedBy } from "./sightingTools.ts";
import type { Sight } from "./sight.ts";
import { plateSight } from "./sight.ts";
import { useTurning } from "./turning.ts";
import { freshId } from "./ids.ts";

/** Blur of a plate whose sharpness was not measured, pixels. */
const PLAIN_BLUR = 0.6;

const PROBE_EDITS: Record<Probe["sun"], string> = {
  lit: "Probe in the sun",
  shaded: "Probe in the shade",
  "as set": "Probe",
};

/** Least side of a part that grain is measured on, pixels: two patches. */
const LEAST_AREA = 32;
const tenth = (deg: number) => Math.round(deg * 10) / 10;
/** Radius of a patch that is read off the plate, pixels. */
const patchRadius = (shot: Shot) => Math.round(Math.max(6, shot.plates.main.width / 100));

/** What is placed by a click, to a tenth of a millimetre. */
const rounded = <T extends { position: readonly number[] }>(hung: T): T => ({
  ...hung,
  position: hung.position.map((x) => Number(x.toFixed(4))),
});

/** Where in the world a pixel shows something. */
type SurfaceAt = (shot: Shot, sight: Sight, pixel: Vec2) => { world: Vec3; normal: Vec3 } | null;

/** Turns clicks on the plate into edits, by the tool in hand. */
export function useTools(surface?: SurfaceAt) {
  const desk = useDesk();
  const store = useShot();
  const notices = useNotices();
  const detector = useDetector();
  const proof = useProof();
  const plate = usePlate();
  const pinning = usePinning();
  const turning = useTurning();
  const mattes = useMattes();
  const measuring = useMeasuring();

  async function finish(
    name: string,
    select: string | null,
    change: Parameters<typeof store.commit>[1],
    lays = false,
  ): Promise<void> {
    desk.started = [];
    // A tool that is laid down after one use is so before the solver answers: the next one may be taken up meanwhile.
    if (lays) desk.choose("pick");
    // Likewise what is marked is selected at once: a value typed meanwhile must not go to what was selected before.
    const kept = store.commit(name, change);
    if (select) desk.selected = select;
    await kept;
  }

  function ground(camera: Camera | null, pixel: Vec2) {
    const world = camera && pixelOnPlane(camera, pixel, groundPlane());
    if (!camera) notices.say("warn", "There is no camera yet.", "Mark edges in the Camera step first.");
    else if (!world)
      notices.say("warn", "That is above the horizon: there is no ground.", "Click lower in the picture.");
    return world;
  }

  async function click(pixel: Vec2, shot: Shot, camera: Camera | null): Promise<void> {
    const points = [...desk.started, pixel];
    const tool = desk.tool;
    const sighted = sightedBy(tool);
    if (sighted) {
      if (points.length < sightingKind(sighted).pixels.length) desk.started = points;
      else await sight(shot, camera, (id) => newSighting(sighted, id, points));
      return;
    }
    switch (tool) {
      case "edge-x":
      case "edge-y":
      case "edge-z":
      case "edge-any":
      case "edge-level":
      case "edge-free": {
        if (points.length < 2) break;
        const id = freshId("edge", shot.edges);
        const kind = tool.slice(5);
        const axis = kind === "level" || kind === "free" ? `${kind}:${desk.group || "A"}` : kind;
        const ends = desk.stick ? await detector.stick(points[0], points[1]) : null;
        await finish(`Mark ${edgeWord(axis)}`, id, (d) => {
          d.edges[id] = {
            ...newEdge(id, axis, ends ?? [points[0], points[1]]),
            group: axis.length <= 1 ? desk.group : "",
          };
        });
        return;
      }
      case "curve":
        if (points.length > 2 && near(points[points.length - 2], pixel)) {
          await closeCurve(points.slice(0, -1), shot);
          return;
        }
        break;
      case "horizon": {
        const id = freshId("horizon", shot.horizon);
        await finish("Mark horizon", id, (d) => {
          d.horizon[id] = { id, plate: MAIN_PLATE, pixel };
        });
        return;
      }
      case "tie": {
        const id = freshId("tie", shot.ties);
        // Without a picked point the ground under the pixel is a first guess, to be typed over.
        const world = desk.tieWorld ?? (camera && pixelOnPlane(camera, pixel, groundPlane())) ?? [0, 0, 0];
        await finish(
          "Mark tie point",
          id,
          (d) => {
            d.ties[id] = {
              id,
              plate: MAIN_PLATE,
              pixel,
              world: world.map((v) => Number(v.toFixed(4))) as Vec3,
              muted: false,
            };
          },
          true,
        );
        return;
      }
      case "tape":
      case "line": {
        if (!ground(camera, pixel)) return;
        if (points.length < 2) break;
        const id = freshId(tool, shot.gauges);
        await finish(
          tool === "tape" ? "Lay tape" : "Draw line",
          id,
          (d) => {
            d.gauges[id] = { id, plate: MAIN_PLATE, kind: tool, points: [points[0], points[1]] };
          },
          true,
        );
        return;
      }
      case "division": {
        if (points.length < 4) break;
        const id = freshId("division", shot.gauges);
        await finish(
          "Divide",
          id,
          (d) => {
            d.gauges[id] = {
              id,
              plate: MAIN_PLATE,
              kind: "division",
              points: [points[0], points[1], points[2], points[3]],
              across: 2,
              down: 2,
            };
          },
          true,
        );
        return;
      }
      case "hold": {
        const world = camera && pickWorld(camera, pixel, facetsOf(shot.set));
        if (!world) {
          ground(camera, pixel);
          return;
        }
        await finish("Hold point", null, (d) => (d.match.held = { world, pixel }), true);
        return;
      }
      case "origin":
        await finish("Set origin", "origin", (d) => (d.origin = pixel), true);
        return;
      case "length": {
        if (points.length < 2) break;
        const id = freshId("length", shot.lengths);
        const { preset } = desk;
        await finish(
          "Mark known length",
          id,
          (d) => {
            d.lengths[id] = { ...newLength(id, points[0], points[1]), ...preset };
          },
          true,
        );
        desk.drawer = "scale";
        return;
      }
      case "span": {
        if (!pinning.span(shot, camera, points)) return;
        break;
      }
      case "align":
        await turning.align(shot, camera, pixel);
        return;
      case "pivot":
        turning.pivotAt(shot, camera && (surface?.(shot, plateSight(camera), pixel)?.world ?? null));
        return;
      case "pin": {
        if (!(await pinning.click(shot, camera, points))) return;
        break;
      }
      case "lamp-place":
      case "lamp-aim": {
        const lamp = shot.light.lamps[desk.selected ?? ""];
        if (!lamp || !camera) return;
        const to = pickWorld(camera, pixel, facetsOf(shot.set)) ?? ground(camera, pixel);
        if (!to) return;
        await finish(
          tool === "lamp-aim" ? `Aim ${lamp.name}` : `Place ${lamp.name}`,
          lamp.id,
          (d) => {
            const own = d.light.lamps[lamp.id];
            if (tool === "lamp-place") own.position = [to[0], to[1], own.position[2]];
            else Object.assign(own, facingTo(lamp.position, to));
          },
          true,
        );
        return;
      }
      case "lamp-hang":
        await hangLamp(shot, camera, pixel);
        return;
      case "lamp-window": {
        if (points.length < 2) break;
        await fillWindow(shot, camera, points);
        return;
      }
      case "lamp-highlight":
      case "lamp-shadow": {
        if (tool === "lamp-shadow" && points.length < 2) break;
        await placeLamp(shot, camera, points);
        return;
      }
      case "focus": {
        const found = await proof.pick(pixel);
        if (found.distance === null) {
          notices.say(
            "warn",
            "Nothing is there to focus on.",
            "Open the proof, and click a prop or a surface of the set.",
          );
          return;
        }
        const distance = Number(found.distance.toFixed(3));
        await finish(
          "Focus",
          null,
          (d) => {
            d.focus.on = true;
            d.focus.distance = distance;
          },
          true,
        );
        return;
      }
      case "closer": {
        if (points.length < 2) break;
        const [a, b] = points;
        const region = {
          x0: Math.floor(Math.min(a[0], b[0])),
          y0: Math.floor(Math.min(a[1], b[1])),
          x1: Math.ceil(Math.max(a[0], b[0])),
          y1: Math.ceil(Math.max(a[1], b[1])),
        };
        desk.started = [];
        desk.choose("pick");
        if (region.x1 - region.x0 < 8 || region.y1 - region.y0 < 8) {
          notices.say("warn", "That part is too small.", "Click two corners further apart.");
          return;
        }
        proof.region = region;
        proof.on = true;
        proof.render(shot);
        return;
      }
      case "penumbra": {
        if (points.length < 2) break;
        desk.started = [];
        if (!camera || !plate.shown) return;
        const blur = shot.comp.sharpness.sigmaPx ?? PLAIN_BLUR;
        const [a, b] = points;
        const found = sunRadiusFrom(plate.shown, camera, shot.set, sunDirection(shot), a, b, blur);
        if (typeof found === "string") {
          notices.say("warn", found);
          return;
        }
        const radiusDeg = Number(Math.min(20, Math.max(0.05, found.radiusDeg)).toFixed(3));
        await finish("Softness from a shadow's edge", null, (d) => (d.light.sun.radiusDeg = radiusDeg), true);
        notices.say(
          "good",
          `The sun's radius is ${radiusDeg}°: the edge is ${found.spreadPx.toFixed(1)} px soft, ${formatLength(found.distance, shot.unit)} from what throws it.`,
        );
        return;
      }
      case "neutral":
        desk.started = [];
        await takeNeutral(shot, pixel);
        return;
      case "level-line": {
        if (points.length < 2) break;
        desk.started = [];
        if (!camera) return;
        const slope = slopeOfHorizon(pixelDirection(camera, points[0]), pixelDirection(camera, points[1]));
        if (!slope) {
          notices.say(
            "warn",
            "The two places are too near each other.",
            "Click the horizon far to the left and right.",
          );
          return;
        }
        await finish(
          "Level by the horizon",
          null,
          (d) => (d.light.slope = { deg: tenth(slope.deg), towardsDeg: tenth(slope.towardsDeg) }),
          true,
        );
        notices.say(
          "good",
          `The ground falls by ${slope.deg.toFixed(1)}° towards ${slope.towardsDeg.toFixed(0)}°; sky and almanac stand level.`,
        );
        return;
      }
      case "lit":
      case "shaded":
      case "probe": {
        const id = freshId("probe", shot.light.probes);
        const sun = tool === "probe" ? "as set" : tool;
        const radius = patchRadius(shot);
        await finish(PROBE_EDITS[sun], id, (d) => (d.light.probes[id] = newProbe(id, pixel, radius, sun)), true);
        return;
      }
      case "soft-edge": {
        if (points.length < 2) break;
        desk.started = [];
        const found = await measuring.measureEdge(points);
        if (!found) {
          notices.say(
            "warn",
            "That is no clean step of light.",
            "Pick an edge between something dark and something bright.",
          );
          return;
        }
        await finish(
          "Sharpness by an edge",
          null,
          (d) => Object.assign(d.comp.sharpness, { on: true, sigmaPx: Number(found.sigmaPx.toFixed(3)) }),
          true,
        );
        return;
      }
      case "grain-area":
        if (points.length < 2) break;
        desk.started = [];
        await addGrainArea(shot, points);
        return;
      case "tone-pair":
        if (points.length < 2) break;
        desk.started = [];
        await mattes.pair(points);
        return;
      case "matte-colour":
        await mattes.addColour(pixel);
        return;
      case "matte-curve":
        if (points.length > 3 && near(points[0], pixel)) {
          desk.started = [];
          await mattes.closeCurve(points.slice(0, -1));
          return;
        }
        break;
      case "shadow":
        if (points.length > 3 && near(points[0], pixel)) {
          await closeShadow(points.slice(0, -1), shot);
          return;
        }
        break;
      default:
        return;
    }
    desk.started = points;
  }

  /** Adds a flat part of the plate, and measures its grain on all of them. */
  async function addGrainArea(shot: Shot, [a, b]: Vec2[]): Promise<void> {
    const area = [0, 1].map((k) => Math.min(a[k], b[k])).concat([0, 1].map((k) => Math.max(a[k], b[k]))) as Area;
    if (area[2] - area[0] < LEAST_AREA || area[3] - area[1] < LEAST_AREA) {
      notices.say("warn", `That part is smaller than ${LEAST_AREA} pixels.`, "Click two corners further apart.");
      return;
    }
    const areas = [...shot.comp.grain.areas, area];
    const found = await measuring.measureGrain(areas);
    await finish(
      "Grain by a flat part",
      null,
      (d) => {
        d.comp.grain.areas = areas;
        if (found) Object.assign(d.comp.grain, { on: true, model: found.model });
      },
      true,
    );
    if (!found) notices.say("warn", "There is hardly a flat patch in it yet.", "Add another part, or a larger one.");
  }

  /** Keeps the temperature of the plate's white, by something grey at a pixel. */
  async function takeNeutral(shot: Shot, pixel: Vec2): Promise<void> {
    if (!plate.shown) return;
    const { colour, clipped } = readPatch(plate.shown, pixel, patchRadius(shot) / 2);
    if (clipped > 0.01) {
      notices.say("warn", "The plate is clipped there, and shows no colour.", "Click a darker part of it.");
      return;
    }
    const white = whiteOfNeutral(colour, desk.greyUnder);
    if (white === null) {
      notices.say(
        "warn",
        "No white balance shows something grey in that colour.",
        "Click something that is grey or white, or mend the temperature of its light.",
      );
      return;
    }
    const kelvin = Math.round(white / 10) * 10;
    await finish("White balance by a grey thing", null, (d) => (d.light.whiteKelvin = kelvin), true);
    notices.say("good", `The plate shows light of ${kelvin} K as neutral.`);
  }

  /** Keeps a sighting, and has the sun stand where all of them together say. */
  async function sight(shot: Shot, camera: Camera | null, make: (id: string) => Sighting): Promise<void> {
    const id = freshId("sighting", shot.light.sightings);
    await finish(
      "Sight the sun",
      id,
      (d) => {
        d.light.sightings[id] = make(id);
        d.light.sun.on = true;
        if (camera) followSighting(d, camera);
      },
      true,
    );
  }

  /** What the set, a prop or the ground shows at a pixel of the plate; says so where that is nothing. */
  function shownAt(shot: Shot, camera: Camera, pixel: Vec2): { world: Vec3; normal: Vec3 } | null {
    const met = surface?.(shot, plateSight(camera), pixel) ?? null;
    if (!met) notices.say("warn", "Nothing is there.", "Click a prop, a part of the set, or the ground.");
    return met;
  }

  /** Hangs the chosen lamp on the face that is seen at a pixel. */
  async function hangLamp(shot: Shot, camera: Camera | null, pixel: Vec2): Promise<void> {
    const lamp = shot.light.lamps[desk.selected ?? ""];
    const on = lamp && camera && shownAt(shot, camera, pixel);
    if (!on) return;
    const hung = hungOn(lamp, on.world, on.normal);
    await finish(`Hang ${lamp.name}`, lamp.id, (d) => Object.assign(d.light.lamps[lamp.id], rounded(hung)), true);
  }

  /** Stretches the chosen lamp over a window, from corner to corner of it on its wall. */
  async function fillWindow(shot: Shot, camera: Camera | null, [a, b]: Vec2[]): Promise<void> {
    const lamp = shot.light.lamps[desk.selected ?? ""];
    desk.started = [];
    const on = lamp && camera && shownAt(shot, camera, a);
    if (!on) return;
    const { world, normal } = on;
    const across = pixelOnPlane(camera, b, { normal, offset: dot(normal, world) });
    const found = across && windowAcross(world, across, normal);
    if (!found) {
      notices.say(
        "warn",
        "The two corners span no window.",
        "Click one corner of it, and the one across, on one wall.",
      );
      return;
    }
    const size = found.size.map((m) => Number(m.toFixed(4))) as [number, number];
    await finish(
      `Fill a window with ${lamp.name}`,
      lamp.id,
      (d) => Object.assign(d.light.lamps[lamp.id], rounded(found), { size }),
      true,
    );
  }

  /** Hangs the chosen lamp where the clicked highlight or shadow asks for. */
  async function placeLamp(shot: Shot, camera: Camera | null, points: Vec2[]): Promise<void> {
    const lamp = shot.light.lamps[desk.selected ?? ""];
    if (!lamp || !camera) return;
    desk.started = [];
    const first = shownAt(shot, camera, points[0]);
    const last = first && (points.length > 1 ? shownAt(shot, camera, points[1]) : first);
    if (!last) return;
    const place =
      points.length === 1
        ? placeOfHighlight(camera.position, first.world, first.normal, lamp.position)
        : placeOfShadow(first.world, last.world, lamp.position);
    if (!place) {
      notices.say("warn", "No lamp does that.", "Click two points apart, on what faces the camera.");
      return;
    }
    const hung = withinSet(shot.set, first.world, place, Math.max(...lamp.size));
    await finish(
      points.length === 1 ? `Place the highlight of ${lamp.name}` : `Place the shadow of ${lamp.name}`,
      lamp.id,
      (d) => {
        Object.assign(d.light.lamps[lamp.id], rounded({ position: hung }), facingTo(hung, first.world));
      },
      true,
    );
  }

  const near = (a: Vec2, b: Vec2) => Math.hypot(a[0] - b[0], a[1] - b[1]) * desk.scale < 10;

  async function closeShadow(points: Vec2[], shot: Shot): Promise<void> {
    if (points.length < 3) return;
    const id = freshId("shade", shot.light.shadows);
    await finish("Mark shade", id, (d) => {
      d.light.shadows[id] = { id, plate: MAIN_PLATE, points, feather: 8, hidesSky: 1 };
    });
    desk.choose("pick");
  }

  async function closeCurve(points: Vec2[], shot: Shot): Promise<void> {
    if (points.length < 3) return;
    const id = freshId("curve", shot.edges);
    await finish("Mark curved edge", id, (d) => {
      d.edges[id] = newEdge(id, `free:${id}`, points);
    });
  }

  /** Enter: closes what takes any number of points. */
  async function close(shot: Shot): Promise<void> {
    if (desk.tool === "shadow") await closeShadow(desk.started, shot);
    if (desk.tool === "pin") await pinning.close(shot, shot.solved?.camera ?? null, desk.started);
    if (desk.tool === "curve") await closeCurve(desk.started, shot);
    if (desk.tool === "matte-curve") {
      const points = desk.started;
      desk.started = [];
      await mattes.closeCurve(points);
    }
  }

  return { click, close };
}
