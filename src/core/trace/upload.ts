import * as L from "../../kernel/layout.ts";
import type { Model } from "../props/model.ts";
import { buildInstanceBvh, buildTriangleBvh } from "./bvh.ts";
import type { FilmChoice, FilmLayout } from "./film.ts";
import { BARE_SUMS } from "./film.ts";
import type { PixelFilter } from "./filter.ts";
import { BOX, filterTable } from "./filter.ts";
import type { Kernel } from "./kernel.ts";
import { lampRows } from "./lamps.ts";
import type { SceneMemory } from "./memory.ts";
import { GENERATION_ADDRESS } from "./memory.ts";
import type { Caster, Picture, Portal, TraceScene } from "./scene.ts";
import type { Resident } from "./resident.ts";
import { buildResident } from "./resident.ts";
import type { SetSoup } from "./setSoup.ts";
import { joinSet, putSet } from "./setSoup.ts";
import { putInstances, shiningTriangles } from "./instances.ts";
import { sceneLayout } from "./sceneLayout.ts";

/** Pixels of the render, which may differ from the plate's by a scale, never in shape. */
export interface RenderSettings {
  width: number;
  height: number;
  seed: number;
  maxDepth: number;
  filter?: PixelFilter;
  sums?: FilmChoice;
  /** Distance in metres that ambient occlusion looks; 0 or missing leaves it out. */
  occlusion?: number;
  /**
   * Most that light by way of a matt surface may add to one sample, in multiples of the radiance of a white surface
   * under all lights; 0 or missing for no limit. Samples that were limited are counted.
   */
  limit?: number;
  /** Rows that the film holds at a time, all of them if missing; see `aimFilm`. */
  filmRows?: number;
}

/** Addresses of an uploaded scene. */
export interface LoadedScene {
  params: number;
  film: number;
  filmRows: number;
  width: number;
  height: number;
  layout: FilmLayout;
  triangles: number;
  setRoot: number;
  propRoot: number;
}

const EXTENTS = { sphere: L.EXTENT_IS_SPHERE, box: L.EXTENT_IS_BOX, dome: L.EXTENT_IS_DOME };

/** Address of the table of casters, 0 without any. */
function putCasters(memory: SceneMemory, casters: Caster[]): number {
  if (casters.length === 0) return 0;
  const cells = casters.map((c) => memory.putF32(c.hides));
  const table = memory.reserve(casters.length * L.CASTER_BYTES);
  casters.forEach((c, i) => {
    const at = table + i * L.CASTER_BYTES;
    const f = memory.f32(at, L.CASTER_BYTES / 4);
    f.set([...c.toSun, c.foot, c.slant, c.left, c.span, c.ground, c.tall, ...c.radiance]);
    memory.u32(at + L.CASTER_CELLS, 3).set([cells[i], c.width, c.height]);
  });
  return table;
}

/** Most openings that are drawn through; those beyond are found by chance. */
const MOST_PORTALS = 24;

/** Address of the table of portals, 0 without any. */
function putPortals(memory: SceneMemory, portals: readonly Portal[]): number {
  if (portals.length === 0) return 0;
  const table = memory.reserve(portals.length * L.PORTAL_BYTES);
  portals.forEach(({ corner, sides: [u, v], inwards, low, high }, i) => {
    const area = Math.hypot(...u) * Math.hypot(...v);
    const f = memory.f32(table + i * L.PORTAL_BYTES, L.PORTAL_BYTES / 4);
    f.set([...corner, ...u, ...v, ...inwards, ...low, ...high, area]);
  });
  return table;
}

/**
 * Puts scenes into the kernel's memory. Models, their trees and textures stay there from one scene to the next, so that
 * a moved prop, another camera or another light rebuild only the set's tree and the tree of instances.
 */
export class SceneLoader {
  private resident: Resident | null = null;

  constructor(
    private readonly kernel: Kernel,
    private readonly memory: SceneMemory,
  ) {}

  /** Forgets what is resident: the next scene is built afresh, as finals are. */
  forget(): void {
    this.resident = null;
  }

  /** Writes a scene. The film is cleared. Throws RangeError with advice if it does not fit. */
  load(scene: TraceScene, settings: RenderSettings): LoadedScene {
    const { memory, kernel } = this;
    const models = [...new Set(scene.props.map((p) => p.model))];
    const set = joinSet(scene.set);
    const r = this.keep(scene, models, set);
    memory.release(r.end);
    const params = memory.reserve(L.PARAM_BYTES);
    putSet(memory, r, set, scene.set);
    const setTree = buildTriangleBvh(kernel, memory, r, 0, set.triangles.length / 4);
    const instances = putInstances(memory, r, scene.props, models);
    const propTree = buildInstanceBvh(kernel, memory, instances.boxes);
    const lamps = lampRows(scene.lamps ?? [], shiningTriangles(memory, r, scene.props, models));
    const lampTable = memory.reserve(Math.max(1, lamps.count) * L.LAMP_BYTES);
    memory.u8(lampTable, lamps.bytes.length).set(lamps.bytes);
    scene.lamps?.forEach(({ profile }, i) => {
      if (!profile) return;
      const at = memory.putF32(Float32Array.from(profile.values));
      memory.u32(lampTable + i * L.LAMP_BYTES + L.LAMP_PROFILE, 2).set([at, profile.columns]);
    });
    const layout = sceneLayout(scene, settings.sums ?? BARE_SUMS);
    const filter = memory.putF32(filterTable(settings.filter ?? BOX));
    const mask = scene.mask ? memory.putF32(scene.mask.values) : 0;
    const casters = putCasters(memory, scene.casters ?? []);
    const portals = (scene.portals ?? []).slice(0, MOST_PORTALS);
    const portalTable = putPortals(memory, portals);
    const filmRows = settings.filmRows ?? settings.height;
    const film = memory.reserve(settings.width * filmRows * layout.stride * 4);

    const u = memory.u32(params, L.PARAM_BYTES / 4);
    const f = memory.f32(params, L.PARAM_BYTES / 4);
    u.fill(0);
    const setU = (offset: number, value: number) => (u[offset / 4] = value);
    const setF = (offset: number, ...values: number[]) => f.set(values, offset / 4);
    setU(L.PARAM_SET_ROOT, setTree.root);
    setU(L.PARAM_PROP_ROOT, propTree.root);
    setU(L.PARAM_INSTANCES, instances.table);
    setU(L.PARAM_POSITIONS, r.positions);
    setU(L.PARAM_NORMALS, r.normals);
    setU(L.PARAM_TANGENTS, r.tangents);
    setU(L.PARAM_COLOURS, r.colours);
    setU(L.PARAM_UVS, r.uvs);
    setU(L.PARAM_TRIANGLES, r.triangles);
    setU(L.PARAM_PARTS, r.parts);
    setU(L.PARAM_MATERIALS, r.materials);
    setU(L.PARAM_TEXTURES, r.textures);
    setU(L.PARAM_SRGB_TABLE, r.srgb);
    setU(L.PARAM_ALBEDO_TABLE, r.albedo);
    setU(L.PARAM_SHEEN_TABLE, r.sheen);
    setU(L.PARAM_FILM, film);
    setU(L.PARAM_WIDTH, settings.width);
    setU(L.PARAM_HEIGHT, settings.height);
    setU(L.PARAM_SEED, settings.seed >>> 0);
    setU(L.PARAM_MAX_DEPTH, settings.maxDepth);
    setU(L.PARAM_FILTER, filter);
    setU(L.PARAM_PICTURE, scene.picture ? 1 : 0);
    const picture = (offset: number, address: number, p: Picture | null | undefined) => {
      if (p) u.set([address, p.width, p.height], offset / 4);
    };
    picture(L.PARAM_PLATE, r.plateAt, scene.plate);
    picture(L.PARAM_BACKDROP, r.backdropAt, scene.backdrop);
    if (scene.environment && r.environmentAt) {
      picture(L.PARAM_ENVIRONMENT, r.environmentAt.pixels, scene.environment);
      setU(L.PARAM_ENVIRONMENT_ALIAS, r.environmentAt.alias);
      setU(L.PARAM_ENVIRONMENT_WEIGHT, r.environmentAt.weight);
      if (scene.surround) {
        const { turn, gain, extent } = scene.surround;
        setU(L.PARAM_TURNED, 1);
        setF(L.PARAM_TURN, ...turn);
        setF(L.PARAM_ENVIRONMENT_GAIN, ...gain);
        if (extent) {
          setU(L.PARAM_EXTENT, EXTENTS[extent.kind]);
          setF(L.PARAM_EXTENT_CENTRE, ...extent.centre);
          setF(L.PARAM_EXTENT_HALF, ...extent.half);
        }
      }
    }
    if (casters) u.set([casters, scene.casters!.length], L.PARAM_CASTERS / 4);
    if (portalTable) u.set([portalTable, portals.length], L.PARAM_PORTALS / 4);
    if (scene.mask) u.set([mask, scene.mask.width, scene.mask.height], L.PARAM_MASK / 4);
    setU(L.PARAM_LAMPS, lampTable);
    setU(L.PARAM_LAMP_COUNT, lamps.count);
    setU(L.PARAM_LAMP_PROPER, lamps.proper);
    setF(L.PARAM_LAMP_POWER, lamps.power);
    const { camera } = scene;
    setF(L.PARAM_FRAME_WIDTH, scene.frame.width);
    setF(L.PARAM_FRAME_HEIGHT, scene.frame.height);
    setF(L.PARAM_FOCAL, camera.focalPx);
    setF(L.PARAM_PRINCIPAL, ...camera.principal);
    const d = camera.distortion;
    setF(L.PARAM_DISTORTION, d.k1, d.k2, d.k3, d.p1, d.p2);
    setF(L.PARAM_ROTATION, ...camera.rotation.flat());
    setF(L.PARAM_POSITION, ...camera.position);
    setF(L.PARAM_SPREAD, scene.frame.width / settings.width / camera.focalPx);
    if (scene.aperture && scene.aperture.radius > 0) {
      setF(L.PARAM_LENS_RADIUS, scene.aperture.radius);
      setF(L.PARAM_FOCUS, scene.aperture.focus);
      setU(L.PARAM_BLADES, scene.aperture.blades);
      setF(L.PARAM_BLADE_TURN, scene.aperture.turn);
    }
    setU(L.PARAM_SHUTTER, instances.moving ? 1 : 0);
    setF(L.PARAM_SUN_DIRECTION, ...(scene.sun?.direction ?? [0, 0, 1]));
    setF(L.PARAM_SUN_COS, Math.cos(scene.sun?.angularRadius ?? 0.005));
    setF(L.PARAM_SUN_IRRADIANCE, ...(scene.sun?.irradiance ?? [0, 0, 0]));
    setF(L.PARAM_SKY, ...scene.sky);
    if (scene.floor) {
      setU(L.PARAM_FLOOR_ON, 1);
      setF(L.PARAM_FLOOR_HEIGHT, scene.floor.height);
      setF(L.PARAM_FLOOR_ALBEDO, ...scene.floor.albedo);
    }
    setF(L.PARAM_OCCLUSION, settings.occlusion ?? 0);
    setF(L.PARAM_LIMIT, (settings.limit ?? 0) * whiteLevel(scene, lamps));
    setU(L.PARAM_FILM_STRIDE, layout.stride);
    setU(L.PARAM_FILM_LIGHTS, layout.lights);
    setU(L.PARAM_FILM_HALF, layout.half);
    setU(L.PARAM_FILM_FEATURES, layout.features);
    setU(L.PARAM_FILM_EXTRAS, layout.extras);
    setU(L.PARAM_FILM_PROPS, layout.props);
    setU(L.PARAM_FILM_MATERIALS, layout.materials);
    setU(L.PARAM_FILM_PROP_LIGHTS, layout.propLights);
    setU(L.PARAM_CANCEL, GENERATION_ADDRESS);
    setU(L.PARAM_GENERATION, Atomics.load(new Int32Array(memory.buffer, GENERATION_ADDRESS, 1), 0));
    const loaded = {
      params,
      film,
      filmRows,
      width: settings.width,
      height: settings.height,
      layout,
      triangles: set.triangles.length / 4 + r.ranges.reduce((n, x) => n + x.count, 0),
      setRoot: setTree.root,
      propRoot: propTree.root,
    };
    clearFilm(memory, loaded);
    return loaded;
  }

  /** The resident part, rebuilt if anything of it changed or the set outgrew its place. */
  private keep(scene: TraceScene, models: Model[], set: SetSoup): Resident {
    const before = this.resident;
    const [environment, backdrop] = [scene.environment ?? null, scene.backdrop];
    const same =
      before !== null &&
      before.models.length === models.length &&
      models.every((m, i) => before.models[i] === m) &&
      before.plate === scene.plate &&
      before.environment === environment &&
      before.backdrop === backdrop &&
      set.positions.length / 3 <= before.capacity.vertices &&
      set.triangles.length / 4 <= before.capacity.triangles &&
      scene.set.length <= before.capacity.parts;
    if (same) return before;
    this.resident = null;
    this.memory.release();
    this.resident = buildResident(this.kernel, this.memory, scene, models, set);
    return this.resident;
  }
}

/** Writes a single scene. */
export function uploadScene(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  settings: RenderSettings,
): LoadedScene {
  return new SceneLoader(kernel, memory).load(scene, settings);
}

/** Radiance of a white surface that faces all lights at once: the unit of the limit. */
function whiteLevel(scene: TraceScene, lamps: { power: number }): number {
  const sun = scene.sun ? Math.max(...scene.sun.irradiance) / Math.PI : 0;
  let sky = Math.max(...scene.sky);
  if (scene.environment) {
    const { pixels } = scene.environment;
    const gain = scene.surround?.gain ?? [1, 1, 1];
    let sum = 0;
    for (let i = 0; i < pixels.length; i++) sum += pixels[i] * gain[i % 3];
    sky = sum / pixels.length;
  }
  // Lamps seen from a metre away.
  return sun + sky + lamps.power / Math.PI;
}

export function clearFilm(
  memory: SceneMemory,
  loaded: Pick<LoadedScene, "film" | "width" | "filmRows" | "layout">,
): void {
  memory.f32(loaded.film, loaded.width * loaded.filmRows * loaded.layout.stride).fill(0);
}

/**
 * Puts the first row of a film of few rows at row `y0` of the render, so that pictures of any size are rendered band by
 * band in little memory. The kernel's addresses count from the render's own first row and wrap. What the film held stays
 * until a pixel's sample 0 is drawn.
 */
export function aimFilm(memory: SceneMemory, loaded: LoadedScene, y0: number): void {
  const address = loaded.film - y0 * loaded.width * loaded.layout.stride * 4;
  memory.u32(loaded.params, L.PARAM_BYTES / 4)[L.PARAM_FILM / 4] = address >>> 0;
}
