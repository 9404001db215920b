import * as THREE from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { srgbToLinear } from "#core/colour/srgb";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { normalize, sub } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { pixelToTangent } from "#core/optics/camera";
import type { Model } from "#core/props/model";
import { modelOf, placementOf } from "#core/props/placed";
import { sunDirection, unlitBy, weighed } from "#core/light/rig";
import { placementRotation } from "#core/props/transform";
import type { Face } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import type { Part } from "#core/set/parts/index";
import { kindOf } from "#core/set/parts/index";
import { materialAt } from "#core/set/surface";
import { frontMesh } from "#core/set/pieces";
import type { OutsideView } from "../stores/desk.ts";
import { ContactShades } from "./contactShades.ts";
import { onScreen } from "./shadeMesh.ts";
import { STILL_DETAIL, STILL_FRAMES, StillPicture, stillOffset, whenDrawn } from "./stillPicture.ts";
import type { Reach } from "./plateBehind.ts";
import { PlateBehind } from "./plateBehind.ts";
import { aimPlate, bendAs, CURVE } from "./plateShader.ts";
import { PropMeshes } from "./propMeshes.ts";
import { nextTask } from "./nextTask.ts";
import { lightFaces } from "./propShader.ts";
import { projectedMaterial } from "./projected.ts";
import type { Sight } from "./sight.ts";
import type { Around } from "./surroundings.ts";
import { Surroundings, placeName } from "./surroundings.ts";
import { TracedAround } from "./tracedAround.ts";
import type { Shot } from "#core/shot/schema";
import type { Picture } from "#core/trace/scene";

/**
 * The interactive view of props and set: an overscanned pinhole picture through the solved camera, warped through the
 * lens by a lookup texture of core's own projection. Drawn on demand only. From outside it shows set, props and camera.
 */

const LOOKUP = [96, 64] as const;
const OVERSCAN = 1.18;
/** What surrounds the props is taken anew when nothing has moved for so long. */
const CALM_MS = 150;
/**
 * The picture is drawn as a still when nothing was drawn for so long, or for as long as the still will take: where graphics
 * are slow, it would hold up the next thing that is done.
 */
const STILL_MS = [250, 6000] as const;
/** Props that have surroundings of their own; others share those of the first. */
const MOST_SURROUNDED = 12;

/** How bright ground is on a screen where the sun shines on it: what its shadow's colour is reckoned for. */
const GROUND_SHOWN = 0.6;

/** A plate as a picture for the set to wear, and as light, made small, that props mirror. */
export interface SeenPlate {
  canvas: HTMLCanvasElement;
  coarse: Picture;
}

/** How the view is looked at. */
export interface Looks {
  outside: boolean;
  plate: SeenPlate | null;
  look: OutsideView;
  /** The camera is being found: what surrounds the props is not taken anew for every mark that moves. */
  hurried: boolean;
  /** Height above which the set is cut off; null for whole. */
  cutAt: number | null;
}

/** A part's mesh, with what it was made for. */
interface KeptMesh {
  faces: Face[];
  looks: unknown[];
  mesh: THREE.Mesh;
}

/** The albedo of every corner's face: what is seen of it where the camera does not see it. */
function ownColours(shot: Pick<Shot, "set" | "materials">, part: Part, faces: Face[]): Float32Array {
  const colours: number[] = [];
  for (const face of faces) {
    const [r, g, b] = materialAt(shot, part, face.id)?.albedo.colour ?? [0.3, 0.3, 0.3];
    for (const ring of face.rings) for (let i = 0; i < ring.length; i++) colours.push(r, g, b);
  }
  return new Float32Array(colours);
}

export class View3d {
  private readonly renderer: THREE.WebGLRenderer;
  private readonly scene = new THREE.Scene();
  private readonly lens = new THREE.PerspectiveCamera();
  private readonly eye = new THREE.PerspectiveCamera(50, 1, 0.05, 2000);
  private readonly orbit: OrbitControls;
  private readonly sun = new THREE.DirectionalLight();
  private readonly things = new THREE.Group();
  private readonly outline = new THREE.Group();
  private readonly target: THREE.WebGLRenderTarget;
  private readonly warp: THREE.ShaderMaterial;
  private readonly behind: PlateBehind;
  private readonly still: StillPicture;
  private stilling = 0;
  /** Times that the view was drawn: a still of an older time is left. */
  private drawn = 0;
  private readonly screen = new THREE.Scene();
  private readonly flat = new THREE.OrthographicCamera(-1, 1, 1, -1, 0, 1);
  private outside = false;
  private gone = false;
  private queued = false;
  private look: OutsideView = "orbit";
  private readonly flatEye = new THREE.OrthographicCamera(-10, 10, 10, -10, -500, 500);
  private readonly flatOrbit: OrbitControls;
  private readonly seen = new THREE.WebGLRenderTarget(2048, 2048, { depthTexture: new THREE.DepthTexture(2048, 2048) });
  private plateTexture: THREE.CanvasTexture | null = null;
  private readonly surroundings: Surroundings;
  private readonly propMeshes = new PropMeshes();
  private readonly shades: ContactShades;
  private readonly plain = new THREE.MeshBasicMaterial({ side: THREE.DoubleSide });
  /** There are materials whose shaders are not made yet, and whether they are being made. */
  private fresh = true;
  private making = false;
  private hasSheets = false;
  /** Nothing is around the props yet: they would be black. */
  private unlit = false;
  /** Times that what is around the props was taken: an older one is left where a newer has begun. */
  private surrounds = 0;
  /** What the view was aimed for last. */
  private aimed: { key: unknown[]; reach: Reach } | null = null;
  /** Programs whose inputs are known. */
  private readonly read = new WeakSet<THREE.WebGLProgram>();
  /** What the tracer finds around the props. */
  private readonly traced: TracedAround;
  private surrounding = 0;
  private surroundedFor: unknown[] | null = null;
  /** What is around each prop, and how strongly it lights. */
  private readonly aroundProps = new Map<string, Around>();
  private aroundLevel = 1;
  private cutAt: number | null = null;
  private plate: SeenPlate | null = null;
  private readonly setMeshes = new Map<string, KeptMesh>();

  /** `onGuess` is told when what is around the props cannot be looked at, so that they mirror a guess. */
  constructor(canvas: HTMLCanvasElement, onTurn: () => void, onGuess: () => void) {
    this.traced = new TracedAround(() => this.surroundLast(), onGuess);
    this.shades = new ContactShades(() => this.again());
    this.renderer = new THREE.WebGLRenderer({ canvas, alpha: true, premultipliedAlpha: true, antialias: false });
    this.renderer.setClearColor(0, 0);
    // Asking each shader how it went would wait for the graphics card.
    this.renderer.debug.checkShaderErrors = false;
    this.surroundings = new Surroundings(this.renderer);
    this.renderer.shadowMap.enabled = true;
    this.target = new THREE.WebGLRenderTarget(8, 8, { samples: 0, type: THREE.HalfFloatType });
    this.warp = new THREE.ShaderMaterial({
      uniforms: {
        picture: { value: this.target.texture },
        lookup: { value: null },
        shoulder: { value: 1 },
        contrast: { value: 1 },
      },
      vertexShader: "varying vec2 at; void main() { at = uv; gl_Position = vec4(position.xy, 0.0, 1.0); }",
      fragmentShader: `uniform sampler2D picture; uniform sampler2D lookup; varying vec2 at;
        ${CURVE}
        void main() {
          vec4 seen = texture2D(picture, texture2D(lookup, at).xy);
          vec3 own = seen.a > 0.0 ? seen.rgb / seen.a : vec3(0.0);
          gl_FragColor = vec4(seen.a * vec3(toPlate(own.r), toPlate(own.g), toPlate(own.b)), seen.a);
          #include <colorspace_fragment>
        }`,
      transparent: true,
      depthTest: false,
    });
    this.screen.add(new THREE.Mesh(new THREE.PlaneGeometry(2, 2), this.warp));
    this.sun.castShadow = true;
    this.sun.shadow.mapSize.set(2048, 2048);
    this.behind = new PlateBehind(this.target);
    this.still = new StillPicture(this.target);
    this.scene.add(this.behind.mesh, this.sun, this.sun.target, this.things, this.shades.sheets, this.outline);
    this.eye.up.set(0, 0, 1);
    this.orbit = new OrbitControls(this.eye, canvas);
    this.orbit.enabled = false;
    this.flatEye.up.set(0, 0, 1);
    this.flatOrbit = new OrbitControls(this.flatEye, canvas);
    this.flatOrbit.enabled = false;
    this.flatOrbit.enableRotate = false;
    this.flatOrbit.mouseButtons.LEFT = THREE.MOUSE.PAN;
    for (const orbit of [this.orbit, this.flatOrbit])
      orbit.addEventListener("change", () => {
        this.draw();
        onTurn();
      });
  }

  /** Looks whether what is around the props has to be taken anew, with what was shown last. */
  private surroundAgain: () => void = () => undefined;
  /** What was shown last, for showing it again when something about it has come. */
  private shown: [Shot, Map<string, Model>] | null = null;

  /** The shades of what is shown have come. */
  private again(): void {
    if (!this.shown) return;
    const [shot, models] = this.shown;
    this.shade(shot, models);
    // The first sheets bring a shader of their own; later ones, and what props lack of light, need no other.
    if (!this.hasSheets && this.shades.sheets.children.length > 0) this.fresh = this.hasSheets = true;
    this.surroundAgain();
    this.draw();
  }

  /** Shows a shot through its camera, or from outside, at a size in canvas pixels. */
  show(
    shot: Shot,
    camera: Camera,
    models: Map<string, Model>,
    size: { width: number; height: number },
    { outside, plate, look, cutAt, hurried }: Looks,
  ): void {
    const frame: Frame = { width: shot.plates.main.width, height: shot.plates.main.height };
    this.renderer.setSize(size.width, size.height, false);
    const { response } = shot.plates.main.encoding;
    bendAs(this.warp.uniforms, response);
    this.behind.aim(camera, frame, this.aim(camera, frame, size), response);
    const stepsOut = outside && !this.outside;
    if (outside !== this.outside) {
      // What is drawn onto the page has other shaders than what is drawn for the lens; until they are made nothing is shown.
      this.fresh = true;
      this.renderer.setRenderTarget(null);
      this.renderer.clear();
    }
    this.outside = outside;
    this.cutAt = cutAt;
    this.plate = plate;
    this.shown = [shot, models];
    this.fill(shot, models);
    this.light(shot);
    this.showOutline(camera, frame, outside, plate);
    if (outside) this.wearPlate(shot, camera, frame, plate, cutAt);
    this.surroundAgain = () => this.surroundSoon(shot, camera, frame, plate, hurried);
    this.surroundAgain();
    if (stepsOut) this.stepBack(camera, shot);
    if (look !== this.look || stepsOut) this.lookFrom(look, size);
    this.orbit.enabled = outside && look === "orbit";
    this.flatOrbit.enabled = outside && look !== "orbit";
    const half = (this.flatEye.top - this.flatEye.bottom) / 2;
    this.flatEye.left = (-half * size.width) / size.height;
    this.flatEye.right = (half * size.width) / size.height;
    this.flatEye.updateProjectionMatrix();
    this.eye.aspect = size.width / size.height;
    this.eye.updateProjectionMatrix();
    this.draw();
  }

  private aim(camera: Camera, frame: Frame, size: { width: number; height: number }): Reach {
    const key = [camera, frame.width, frame.height, size.width, size.height];
    if (this.aimed && key.every((part, i) => part === this.aimed!.key[i])) return this.aimed.reach;
    const reach = { left: 0, right: 0, top: 0, bottom: 0 };
    const [nx, ny] = LOOKUP;
    const tangents = new Float32Array(nx * ny * 2);
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++) {
        const [x, y] = pixelToTangent(camera, [((i + 0.5) / nx) * frame.width, ((j + 0.5) / ny) * frame.height]);
        tangents.set([x, y], (j * nx + i) * 2);
        reach.left = Math.min(reach.left, x);
        reach.right = Math.max(reach.right, x);
        reach.top = Math.min(reach.top, y);
        reach.bottom = Math.max(reach.bottom, y);
      }
    }
    for (const key of ["left", "right", "top", "bottom"] as const) reach[key] *= OVERSCAN;
    const near = 0.05;
    this.lens.projectionMatrix.makePerspective(
      reach.left * near,
      reach.right * near,
      -reach.top * near,
      -reach.bottom * near,
      near,
      2000,
    );
    this.lens.projectionMatrixInverse.copy(this.lens.projectionMatrix).invert();
    const [r, d, f] = camera.rotation;
    const [x, y, z] = camera.position;
    // prettier-ignore
    this.lens.matrixWorld.set(
      r[0], -d[0], -f[0], x,
      r[1], -d[1], -f[1], y,
      r[2], -d[2], -f[2], z,
      0, 0, 0, 1,
    );
    this.lens.matrixWorldInverse.copy(this.lens.matrixWorld).invert();
    this.lens.matrixAutoUpdate = false;
    this.lens.matrixWorldAutoUpdate = false;
    this.target.setSize(Math.round(size.width * OVERSCAN), Math.round(size.height * OVERSCAN));
    const data = new Float32Array(nx * ny * 4);
    for (let j = 0; j < ny; j++) {
      for (let i = 0; i < nx; i++) {
        const at = (j * nx + i) * 2;
        const to = ((ny - 1 - j) * nx + i) * 4;
        data[to] = (tangents[at] - reach.left) / (reach.right - reach.left);
        data[to + 1] = 1 - (tangents[at + 1] - reach.top) / (reach.bottom - reach.top);
        data[to + 3] = 1;
      }
    }
    const lookup = new THREE.DataTexture(data, nx, ny, THREE.RGBAFormat, THREE.FloatType);
    lookup.magFilter = lookup.minFilter = THREE.LinearFilter;
    lookup.needsUpdate = true;
    (this.warp.uniforms.lookup.value as THREE.DataTexture | null)?.dispose();
    this.warp.uniforms.lookup.value = lookup;
    this.aimed = { key, reach };
    return reach;
  }

  private light(shot: Shot): void {
    const d = sunDirection(shot);
    const { sun, propLevel } = shot.light;
    const e = weighed(sun.irradiance, sun);
    const strength = Math.max(...e, 1e-6);
    this.sun.visible = shot.light.sun.on;
    this.sun.color.setRGB(e[0] / strength, e[1] / strength, e[2] / strength);
    this.sun.intensity = strength * propLevel;
    // The shadow's box holds all props with the length of their shadows.
    const box = new THREE.Box3();
    for (const thing of this.things.children) if (thing.userData.prop) box.expandByObject(thing);
    if (box.isEmpty()) box.set(new THREE.Vector3(-3, -3, 0), new THREE.Vector3(3, 3, 2));
    const c = box.getCenter(new THREE.Vector3());
    const tall = box.max.z - box.min.z;
    const shadowLength = Math.min(8 * tall, (tall * Math.hypot(d[0], d[1])) / Math.max(0.05, d[2]));
    const radius = box.getSize(new THREE.Vector3()).length() / 2 + shadowLength + 0.5;
    this.sun.target.position.copy(c);
    this.sun.position.set(c.x + d[0] * 2 * radius, c.y + d[1] * 2 * radius, c.z + d[2] * 2 * radius);
    const shadow = this.sun.shadow.camera;
    shadow.left = shadow.bottom = -radius;
    shadow.right = shadow.top = radius;
    shadow.far = 4 * radius;
    // A texel of the shadow's picture, so that faces do not darken themselves.
    this.sun.shadow.normalBias = (2.5 * 2 * radius) / this.sun.shadow.mapSize.x;
    shadow.updateProjectionMatrix();
  }

  private fill(shot: Shot, models: Map<string, Model>): void {
    this.things.clear();
    this.fillSet(shot);
    this.propMeshes.begin();
    for (const prop of Object.values(shot.props)) {
      const model = prop.hidden ? null : modelOf(prop, models);
      if (!model) continue;
      const group = this.propMeshes.groupFor(prop.id, model, !unlitBy(shot, prop.id)?.sun);
      const placement = placementOf(prop);
      const m = placementRotation(placement);
      const [sx, sy, sz] = placement.scale;
      group.matrixAutoUpdate = false;
      // prettier-ignore
      group.matrix.set(
        m[0][0] * sx, m[0][1] * sy, m[0][2] * sz, placement.position[0],
        m[1][0] * sx, m[1][1] * sy, m[1][2] * sz, placement.position[1],
        m[2][0] * sx, m[2][1] * sy, m[2][2] * sz, placement.position[2],
        0, 0, 0, 1,
      );
      group.userData.prop = prop.id;
      group.updateMatrixWorld(true);
      this.things.add(group);
    }
    this.propMeshes.sweep();
    if (this.propMeshes.takeFresh()) this.fresh = true;
    this.shade(shot, models);
  }

  /** Lays the shade of the light from all around where props come near something, and makes the sun's as dark as its share is. */
  private shade(shot: Shot, models: Map<string, Model>): void {
    const { sun, sky } = shot.light;
    const mean = (c: readonly number[]) => (c[0] + c[1] + c[2]) / 3;
    const direct = sun.on ? mean(weighed(sun.irradiance, sun)) * Math.max(0, sunDirection(shot)[2]) : 0;
    const around = sky.on ? Math.PI * mean(weighed(sky.radiance, sky)) : 0;
    const strength = direct > 0 ? around / (around + direct) : 1;
    this.tintSunShadow(shot);
    const props = this.things.children.filter((thing) => thing.userData.prop);
    this.shades.show(shot, models, props, strength);
  }

  /** Makes the sun's shadow on the set as dark, and of the colour, as what is left there is of all light. */
  private tintSunShadow({ light, ...shot }: Shot): void {
    const sun = weighed(light.sun.irradiance, light.sun).map(
      (x) => x * Math.max(0, sunDirection({ light, ...shot })[2]),
    );
    const sky = light.sky.on ? weighed(light.sky.radiance, light.sky).map((x) => Math.PI * x) : [0, 0, 0];
    // Shares that are left, as a screen shows them; the channel that is left least is the shadow's darkness.
    const left = sky.map((x, k) => 1 - onScreen(sun[k] / Math.max(1e-9, x + sun[k])));
    const least = Math.min(...left);
    const opacity = 1 - least;
    const colour = left.map((x) => srgbToLinear(GROUND_SHOWN * (x - least)) / Math.max(0.01, opacity));
    for (const { mesh } of this.setMeshes.values())
      if (mesh.material instanceof THREE.ShadowMaterial) {
        mesh.material.opacity = opacity;
        mesh.material.color.setRGB(colour[0], colour[1], colour[2]);
      }
  }

  /** Meshes of the set; those of parts whose faces and looks stay are kept. */
  private fillSet({ set, materials }: Shot): void {
    const gone = new Set(this.setMeshes.keys());
    for (const part of Object.values(set)) {
      const faces = facesOf(set, part.id);
      if (part.muted || faces.length === 0) continue;
      gone.delete(part.id);
      const looks = [this.outside, part.flags.catches, part, materials];
      const kept = this.setMeshes.get(part.id);
      if (kept?.faces === faces && kept.looks.every((look, i) => look === looks[i])) {
        this.things.add(kept.mesh);
        continue;
      }
      if (kept) discard(kept.mesh);
      const { positions, indices } = frontMesh(faces);
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
      geometry.setIndex(new THREE.BufferAttribute(indices, 1));
      geometry.computeVertexNormals();
      geometry.setAttribute("own", new THREE.BufferAttribute(ownColours({ set, materials }, part, faces), 3));
      const mesh = new THREE.Mesh(geometry, this.setMaterial(part));
      mesh.receiveShadow = true;
      mesh.userData.pictured = part.flags.seen;
      if (!part.flags.catches) mesh.renderOrder = -1;
      this.setMeshes.set(part.id, { faces, looks, mesh });
      this.things.add(mesh);
    }
    for (const id of gone) {
      discard(this.setMeshes.get(id)!.mesh);
      this.setMeshes.delete(id);
    }
  }

  private setMaterial(part: Part): THREE.Material {
    const { flags } = part;
    // Walls of what is closed are seen from the side that they face: one looks into a room.
    const side = kindOf(part).frontOnly ? THREE.FrontSide : THREE.DoubleSide;
    if (this.outside) return projectedMaterial(side);
    return flags.catches
      ? new THREE.ShadowMaterial({ side: THREE.DoubleSide })
      : new THREE.MeshBasicMaterial({ colorWrite: false, side: THREE.DoubleSide });
  }

  /** The camera's pyramid and a metre grid, for the view from outside. */
  private showOutline(camera: Camera, frame: Frame, outside: boolean, plate: SeenPlate | null): void {
    this.outline.clear();
    if (!outside) return;
    const points: THREE.Vector3[] = [];
    const eye = new THREE.Vector3(...camera.position);
    const corners = (
      [
        [0, 0],
        [frame.width, 0],
        [frame.width, frame.height],
        [0, frame.height],
      ] as [number, number][]
    ).map((p) => {
      const [x, y] = pixelToTangent(camera, p);
      const [r, d, f] = camera.rotation;
      return new THREE.Vector3(
        ...([0, 1, 2].map((k) => camera.position[k] + r[k] * x + d[k] * y + f[k]) as [number, number, number]),
      );
    });
    corners.forEach((c, i) => points.push(eye, c, c, corners[(i + 1) % 4]));
    const lines = new THREE.LineSegments(
      new THREE.BufferGeometry().setFromPoints(points),
      new THREE.LineBasicMaterial({ color: 0xd8674d }),
    );
    const grid = new THREE.GridHelper(40, 40, 0xb0aca6, 0x84817d);
    grid.rotation.x = Math.PI / 2;
    this.outline.add(lines, grid);
    if (!plate) return;
    // The plate itself in the mouth of the pyramid.
    const mouth = new THREE.BufferGeometry().setFromPoints([
      corners[0],
      corners[3],
      corners[2],
      corners[0],
      corners[2],
      corners[1],
    ]);
    mouth.setAttribute("uv", new THREE.Float32BufferAttribute([0, 1, 0, 0, 1, 0, 0, 1, 1, 0, 1, 1], 2));
    const picture = new THREE.MeshBasicMaterial({
      map: this.textureOf(plate.canvas),
      side: THREE.DoubleSide,
      transparent: true,
      opacity: 0.85,
    });
    this.outline.add(new THREE.Mesh(mouth, picture));
  }

  private textureOf(plate: HTMLCanvasElement): THREE.CanvasTexture {
    if (this.plateTexture?.image !== plate) {
      this.plateTexture?.dispose();
      this.plateTexture = new THREE.CanvasTexture(plate);
      this.plateTexture.colorSpace = THREE.SRGBColorSpace;
      this.plateTexture.generateMipmaps = false;
      this.plateTexture.minFilter = THREE.LinearFilter;
    }
    return this.plateTexture;
  }

  /** Gives the set's materials the plate as the camera projects it, and what the camera sees first. */
  private wearPlate(
    shot: Shot,
    camera: Camera,
    frame: Frame,
    plate: SeenPlate | null,
    cutAt: number | null,
  ): (uniforms: THREE.ShaderMaterial["uniforms"], pictured: boolean) => void {
    const wearing: [THREE.ShaderMaterial, boolean][] = [];
    for (const thing of this.things.children)
      if (thing instanceof THREE.Mesh && thing.material instanceof THREE.ShaderMaterial)
        wearing.push([thing.material, thing.userData.pictured === true]);
    const lens = new THREE.Matrix4().multiplyMatrices(this.lens.projectionMatrix, this.lens.matrixWorldInverse);
    const [r, d, f] = camera.rotation;
    const move = camera.rotation.map(
      (row) => -(row[0] * camera.position[0] + row[1] * camera.position[1] + row[2] * camera.position[2]),
    );
    // prettier-ignore
    const toCamera = new THREE.Matrix4().set(
      r[0], r[1], r[2], move[0],
      d[0], d[1], d[2], move[1],
      f[0], f[1], f[2], move[2],
      0, 0, 0, 1,
    );
    const aim = (u: THREE.ShaderMaterial["uniforms"], pictured: boolean) => {
      u.hasPlate.value = plate && pictured ? 1 : 0;
      u.plate.value = plate ? this.textureOf(plate.canvas) : null;
      u.depth.value = this.seen.depthTexture;
      u.lens.value = lens;
      u.toCamera.value = toCamera;
      aimPlate(u, camera, frame);
      bendAs(u, shot.plates.main.encoding.response);
    };
    for (const [{ uniforms }, pictured] of wearing) {
      aim(uniforms, pictured);
      uniforms.cutAt.value = cutAt ?? 1e9;
    }
    this.lookAsCamera();
    return aim;
  }

  /** Keeps how far the camera sees to the set that is in the picture. */
  private lookAsCamera(): void {
    // What stands before what, as the camera has it.
    this.scene.overrideMaterial = this.plain;
    this.outline.visible = false;
    this.shades.sheets.visible = false;
    // Props are not in the photograph, nor is what stands there for light alone: they hide nothing of it.
    const absent = this.things.children.filter((thing) => !thing.userData.pictured);
    for (const thing of absent) thing.visible = false;
    this.renderer.setRenderTarget(this.seen);
    this.renderer.clear();
    this.renderer.render(this.scene, this.lens);
    this.renderer.setRenderTarget(null);
    for (const thing of absent) thing.visible = true;
    this.outline.visible = true;
    this.shades.sheets.visible = true;
    this.scene.overrideMaterial = null;
  }

  /**
   * Has the props lit by what is around them once nothing moves any more: it is taken anew where set, light, plate, camera
   * or the first prop's place have changed.
   */
  private surroundSoon(shot: Shot, camera: Camera, frame: Frame, plate: SeenPlate | null, hurried: boolean): void {
    // One whose model is still on its way stands nowhere yet.
    const standing = this.propsShown();
    if (standing.length === 0 || (hurried && this.scene.environment)) {
      this.unlit = false;
      this.giveSurroundings(standing);
      return;
    }
    const places = standing.map(({ id }) => shot.props[id].placement);
    const key = [shot.set, shot.materials, shot.light, plate, camera, this.shades.laidAnew, ...places];
    if (key.length === this.surroundedFor?.length && this.surroundedFor.every((part, i) => part === key[i])) {
      this.giveSurroundings(standing);
      return;
    }
    this.surroundedFor = key;
    this.unlit = this.scene.environment === null;
    this.giveSurroundings(standing);
    clearTimeout(this.surrounding);
    this.surrounding = window.setTimeout(
      () => {
        const wear = this.wearPlate(shot, camera, frame, plate, this.cutAt);
        const meshes = [...this.setMeshes.values()].map(({ mesh }) => ({
          geometry: mesh.geometry,
          pictured: mesh.userData.pictured === true,
        }));
        this.surroundings.prepare({ shot, camera, plate: plate && plate.coarse, meshes, wear, shades: this.shades });
        const standing = this.propsShown();
        const places = standing.slice(0, MOST_SURROUNDED).map(({ id, thing }) => {
          const [at, unlit] = [middleOf(thing), unlitBy(shot, id)];
          return { name: placeName(at, unlit), at, unlit: unlit ?? undefined };
        });
        this.traced.ask(shot, camera, plate && plate.coarse, [
          ...new Map(places.map((place) => [place.name, place])).values(),
        ]);
        this.surround(shot, standing).catch(() => {
          // Better dark than nothing.
          this.unlit = false;
          this.draw();
        });
      },
      this.scene.environment ? CALM_MS : 0,
    );
  }

  /** The props as they stand in the view. */
  private propsShown(): { id: string; thing: THREE.Object3D }[] {
    return this.things.children.flatMap((thing) =>
      typeof thing.userData.prop === "string" ? [{ id: thing.userData.prop, thing }] : [],
    );
  }

  /** Takes again what is around the props that are shown, where more of it is known by now. */
  private surroundLast(): void {
    if (!this.shown || this.surroundedFor === null) return;
    clearTimeout(this.surrounding);
    void this.surround(this.shown[0], this.propsShown());
  }

  /** Takes what is around each prop, one after the other so that the page is not held up; of very many only some have their own. */
  private async surround(shot: Shot, props: { id: string; thing: THREE.Object3D }[]): Promise<void> {
    const mine = ++this.surrounds;
    const names = new Set<string>();
    // What has to be made for it is made beside the page.
    await this.surroundings.compile();
    await this.readPrograms();
    await nextTask();
    for (const [i, { id, thing }] of props.slice(0, MOST_SURROUNDED).entries()) {
      if (mine !== this.surrounds || this.gone) return;
      const [place, spared] = [middleOf(thing), unlitBy(shot, id)];
      const { name, ...around } = this.surroundings.at(place, shot, spared, this.traced.of(placeName(place, spared)));
      names.add(name);
      this.aroundProps.set(id, around);
      if (i === 0) {
        // Shaders that know of surroundings are others than those that do not.
        if (!this.scene.environment) this.fresh = true;
        this.scene.environment = around.filtered;
        this.scene.environmentIntensity = shot.light.propLevel;
        this.unlit = false;
      }
      this.aroundLevel = shot.light.propLevel;
      this.giveSurroundings(this.propsShown());
      await nextTask();
    }
    if (mine !== this.surrounds || this.gone) return;
    for (const id of this.aroundProps.keys()) if (!props.some((prop) => prop.id === id)) this.aroundProps.delete(id);
    this.surroundings.keep(names);
    this.unlit = false;
    this.draw();
  }

  /** Lights each prop by what is around it, as far as that is known. */
  private giveSurroundings(props: { id: string; thing: THREE.Object3D }[]): void {
    // What has none of its own, or not yet, shares that of another.
    const shared = this.aroundProps.values().next().value;
    for (const { id, thing } of props) {
      const around = this.aroundProps.get(id) ?? shared;
      for (const mesh of thing.children as THREE.Mesh<THREE.BufferGeometry, THREE.MeshPhysicalMaterial>[]) {
        mesh.material.envMap = around?.filtered ?? null;
        mesh.material.envMapIntensity = this.aroundLevel;
        lightFaces(mesh.material, around?.mirrored ?? null, around?.irradiance ?? null);
      }
    }
  }

  /** Takes the view from outside to one of its directions, with the set in the middle. */
  private lookFrom(look: OutsideView, size: { width: number; height: number }): void {
    this.look = look;
    if (look === "orbit") return;
    const box = new THREE.Box3();
    for (const thing of this.things.children) box.expandByObject(thing);
    if (box.isEmpty()) box.set(new THREE.Vector3(-4, -4, 0), new THREE.Vector3(4, 4, 3));
    // The far ground would make everything else small.
    const reach = 30;
    const eye = this.lens.matrixWorld;
    const at = new THREE.Vector3().setFromMatrixPosition(eye);
    box.intersect(new THREE.Box3(at.clone().subScalar(reach), at.clone().addScalar(reach)));
    box.expandByPoint(at);
    const centre = box.getCenter(new THREE.Vector3());
    const span = box.getSize(new THREE.Vector3());
    const [across, up] = look === "plan" ? [span.x, span.y] : look === "front" ? [span.x, span.z] : [span.y, span.z];
    const half = 0.58 * Math.max(up, (across * size.height) / size.width, 1);
    this.flatEye.top = half;
    this.flatEye.bottom = -half;
    this.flatEye.zoom = 1;
    const way = { plan: [0, 0, 1], front: [0, -1, 0], side: [1, 0, 0] }[look] as [number, number, number];
    this.flatEye.up.set(0, look === "plan" ? 1 : 0, look === "plan" ? 0 : 1);
    this.flatEye.position.copy(centre).addScaledVector(new THREE.Vector3(...way), 100);
    this.flatOrbit.target.copy(centre);
    this.flatOrbit.object.up.copy(this.flatEye.up);
    this.flatEye.lookAt(centre);
    this.flatOrbit.update();
  }

  private get outer(): THREE.PerspectiveCamera | THREE.OrthographicCamera {
    return this.look === "orbit" ? this.eye : this.flatEye;
  }

  /** How the world is seen and pointed at from outside, in a window of that size. */
  sight([width, height]: Vec2): Sight {
    const camera = this.outer;
    camera.updateMatrixWorld();
    const all = new THREE.Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    const back = all.clone().invert();
    const flat = camera instanceof THREE.OrthographicCamera;
    const toScreen = (p: THREE.Vector4): Vec2 => [
      ((p.x / p.w) * 0.5 + 0.5) * width,
      (0.5 - (p.y / p.w) * 0.5) * height,
    ];
    const clip = (w: Vec3) => new THREE.Vector4(w[0], w[1], w[2], 1).applyMatrix4(all);
    const near = (p: THREE.Vector4) => flat || p.w > 0.05;
    const at = (x: number, y: number, z: number): Vec3 => {
      const p = new THREE.Vector4(x, y, z, 1).applyMatrix4(back);
      return [p.x / p.w, p.y / p.w, p.z / p.w];
    };
    return {
      plate: false,
      eye: [camera.position.x, camera.position.y, camera.position.z],
      project: (world) => {
        const p = clip(world);
        return near(p) ? toScreen(p) : null;
      },
      ray: ([x, y]) => {
        const [u, v] = [(x / width) * 2 - 1, 1 - (y / height) * 2];
        const [from, to] = [at(u, v, -1), at(u, v, 1)];
        return { from, direction: normalize(sub(to, from)) };
      },
      line: (a, b) => {
        let [p, q] = [clip(a), clip(b)];
        if (!near(p) && !near(q)) return [];
        if (!near(p)) p = q.clone().lerp(p, (q.w - 0.05) / (q.w - p.w));
        else if (!near(q)) q = p.clone().lerp(q, (p.w - 0.05) / (p.w - q.w));
        return [toScreen(p), toScreen(q)];
      },
    };
  }

  /** The corner of a model nearest to where a ray from outside meets it; x and y from −1 to 1. Null beside all models. */
  vertexAt(x: number, y: number): Vec3 | null {
    const ray = new THREE.Raycaster();
    ray.setFromCamera(new THREE.Vector2(x, y), this.outer);
    const [hit] = ray.intersectObjects(this.things.children, true);
    if (!hit?.face || !(hit.object instanceof THREE.Mesh)) return null;
    const positions = (hit.object.geometry as THREE.BufferGeometry).getAttribute("position");
    const place = hit.object.matrixWorld.clone();
    if (hit.object instanceof THREE.InstancedMesh && hit.instanceId !== undefined) {
      const own = new THREE.Matrix4();
      hit.object.getMatrixAt(hit.instanceId, own);
      place.multiply(own);
    }
    let best: THREE.Vector3 | null = null;
    for (const i of [hit.face.a, hit.face.b, hit.face.c]) {
      const p = new THREE.Vector3().fromBufferAttribute(positions, i).applyMatrix4(place);
      if (!best || p.distanceTo(hit.point) < best.distanceTo(hit.point)) best = p;
    }
    return best ? [best.x, best.y, best.z] : null;
  }

  /** Id of the prop that is seen at a pixel of the plate; null beside all. */
  propAt(camera: Camera, pixel: Vec2): string | null {
    const [x, y] = pixelToTangent(camera, pixel);
    const [r, down, f] = camera.rotation;
    const direction = new THREE.Vector3(
      ...([0, 1, 2].map((k) => r[k] * x + down[k] * y + f[k]) as [number, number, number]),
    ).normalize();
    const ray = new THREE.Raycaster(new THREE.Vector3(...camera.position), direction);
    const props = this.things.children.filter((thing) => thing.userData.prop);
    const [hit] = ray.intersectObjects(props, true);
    let thing: THREE.Object3D | null = hit?.object ?? null;
    while (thing && !thing.userData.prop) thing = thing.parent;
    return thing ? (thing.userData.prop as string) : null;
  }

  /** The nearest prop that a ray in the world meets; null beside all. */
  meetsProp(
    from: Vec3,
    direction: Vec3,
    without: readonly string[],
  ): { id: string; world: Vec3; normal: Vec3; distance: number } | null {
    const ray = new THREE.Raycaster(new THREE.Vector3(...from), new THREE.Vector3(...direction));
    const props = this.things.children.filter(
      ({ userData }) => typeof userData.prop === "string" && !without.includes(userData.prop),
    );
    const [hit] = ray.intersectObjects(props, true);
    if (!hit?.face) return null;
    let thing: THREE.Object3D | null = hit.object;
    while (thing && !thing.userData.prop) thing = thing.parent;
    const normal = hit.face.normal.clone().transformDirection(hit.object.matrixWorld);
    return {
      id: thing!.userData.prop as string,
      world: [hit.point.x, hit.point.y, hit.point.z],
      normal: [normal.x, normal.y, normal.z],
      distance: hit.distance,
    };
  }

  /** Turns the view from outside to props, so that they fill it; all of the set where none is named. */
  frame(ids: readonly string[]): void {
    const box = new THREE.Box3();
    for (const thing of this.things.children)
      if (ids.length === 0 || ids.includes(thing.userData.prop as string)) box.expandByObject(thing);
    if (box.isEmpty()) return;
    const middle = box.getCenter(new THREE.Vector3());
    const radius = Math.max(0.1, box.getSize(new THREE.Vector3()).length() / 2);
    const way = this.eye.position.clone().sub(this.orbit.target).normalize();
    this.orbit.target.copy(middle);
    this.eye.position.copy(middle).addScaledVector(way, (1.6 * radius) / Math.tan((this.eye.fov * Math.PI) / 360));
    this.orbit.update();
    const shift = middle.clone().sub(this.flatOrbit.target);
    this.flatOrbit.target.add(shift);
    this.flatEye.position.add(shift);
    this.flatEye.zoom = this.flatEye.top / (1.6 * radius);
    this.flatEye.updateProjectionMatrix();
    this.flatOrbit.update();
    this.draw();
  }

  private stepBack(camera: Camera, shot: Shot): void {
    const props = Object.values(shot.props);
    const f = camera.rotation[2];
    const c: [number, number, number] =
      props.length > 0
        ? props[0].placement.position
        : [camera.position[0] + f[0] * 8, camera.position[1] + f[1] * 8, 0];
    this.orbit.target.set(...c);
    this.eye.position.set(camera.position[0] - f[0] * 6 + 4, camera.position[1] - f[1] * 6, camera.position[2] + 7);
    this.orbit.update();
  }

  private draw(): void {
    if (this.queued) return;
    this.queued = true;
    requestAnimationFrame(() => {
      this.queued = false;
      if (this.making || this.unlit) return;
      if (this.fresh) void this.makeShaders();
      else this.drawNow();
    });
  }

  /** Makes the shaders of new materials without holding up the page, and draws then. */
  private async makeShaders(): Promise<void> {
    this.making = true;
    while (this.fresh) {
      this.fresh = false;
      this.renderer.setRenderTarget(this.outside ? null : this.target);
      const eye = this.outside ? this.outer : this.lens;
      await this.renderer.compileAsync(this.scene, eye);
      // What lets light through is drawn from behind as well.
      const through = this.letThrough();
      if (through.length > 0) {
        for (const material of through) turn(material, THREE.BackSide);
        const made = this.renderer.compileAsync(this.scene, eye);
        for (const material of through) turn(material, THREE.DoubleSide);
        await made;
      }
      await this.readPrograms();
    }
    this.making = false;
    this.drawNow();
  }

  /**
   * Asks for what new programs take in before they are drawn with: an answer waits for all that the graphics card was told
   * before, so it is asked while that is idle, program by program.
   */
  private async readPrograms(): Promise<void> {
    const unread = (this.renderer.info.programs ?? []).filter((program) => !this.read.has(program));
    if (unread.length === 0) return;
    await whenDrawn(this.renderer);
    for (const program of unread) {
      if (this.gone) return;
      this.read.add(program);
      program.getUniforms();
      program.getAttributes();
      await nextTask();
    }
  }

  /** Materials that light goes through. */
  private letThrough(): THREE.Material[] {
    return this.propsShown().flatMap(({ thing }) =>
      (thing.children as THREE.Mesh<THREE.BufferGeometry, THREE.MeshPhysicalMaterial>[])
        .map(({ material }) => material)
        .filter(({ transmission }) => transmission > 0),
    );
  }

  private drawNow(): void {
    const { renderer } = this;
    const mine = ++this.drawn;
    clearTimeout(this.stilling);
    if (this.outside) {
      renderer.setRenderTarget(null);
      renderer.render(this.scene, this.outer);
      return;
    }
    this.drawFrame();
    this.present(this.target.texture);
    void this.stillSoon(mine);
  }

  private async stillSoon(mine: number): Promise<void> {
    const begun = performance.now();
    await whenDrawn(this.renderer);
    if (mine !== this.drawn || this.gone) return;
    const wait = STILL_FRAMES * (performance.now() - begun);
    const [least, most] = STILL_MS;
    this.stilling = window.setTimeout(() => void this.drawStill(mine), Math.min(most, Math.max(least, wait)));
  }

  /** The world through the camera, into the frame. */
  private drawFrame(): void {
    const { renderer } = this;
    renderer.setRenderTarget(this.target);
    renderer.clear();
    this.behind.during(this.plate && this.textureOf(this.plate.canvas), () => renderer.render(this.scene, this.lens));
  }

  /** Shows a picture of the world through the camera, bent as its lens bends it. */
  private present(picture: THREE.Texture): void {
    const { renderer } = this;
    this.warp.uniforms.picture.value = picture;
    renderer.setRenderTarget(null);
    renderer.clear();
    renderer.render(this.screen, this.flat);
  }

  /** Frame after frame, as long as nothing else is drawn. */
  private async drawStill(mine: number): Promise<void> {
    const { elements } = this.lens.projectionMatrix;
    for (let frame = 0; frame < STILL_FRAMES; frame++) {
      const [x, y] = stillOffset(frame);
      const [dx, dy] = [(2 * x) / this.target.width, (2 * y) / this.target.height];
      elements[8] += dx;
      elements[9] += dy;
      const { still } = this.propMeshes;
      still.detail.value = STILL_DETAIL;
      still.frame.value = frame;
      this.drawFrame();
      still.detail.value = 0;
      still.frame.value = 0;
      elements[8] -= dx;
      elements[9] -= dy;
      this.still.take(this.renderer, frame);
      await whenDrawn(this.renderer);
      // Something was shown or drawn anew meanwhile, or will be.
      if (mine !== this.drawn || this.queued || this.making || this.gone) return;
    }
    this.present(this.still.target.texture);
  }

  dispose(): void {
    this.gone = true;
    clearTimeout(this.stilling);
    this.still.dispose();
    this.plain.dispose();
    this.shades.dispose();
    clearTimeout(this.surrounding);
    this.orbit.dispose();
    this.flatOrbit.dispose();
    this.seen.dispose();
    this.traced.dispose();
    this.surroundings.dispose();
    this.propMeshes.begin();
    this.propMeshes.sweep();
    this.plateTexture?.dispose();
    this.behind.dispose();
    this.target.dispose();
    this.renderer.dispose();
  }
}

/** The middle of a thing's box, in the world. */
function middleOf(thing: THREE.Object3D): Vec3 {
  const { x, y, z } = new THREE.Box3().setFromObject(thing).getCenter(new THREE.Vector3());
  return [x, y, z];
}

function turn(material: THREE.Material, side: THREE.Side): void {
  material.side = side;
  material.needsUpdate = true;
}

function discard(mesh: THREE.Mesh): void {
  mesh.geometry.dispose();
  (mesh.material as THREE.Material).dispose();
}
