import * as THREE from "three";
import type { Vec3 } from "#core/math/vec3";
import type { Face } from "#core/set/face";
import { frontMesh } from "#core/set/pieces";
import type { Sheet } from "#core/trace/ambient";

/** A sheet of shade that is laid over a face of the set in the view. */

/** The shade lies so far above what it is on, metres. */
const LIFT = 0.001;
/** Shares of linear light become shares of a picture that is shown on a screen. */
const SCREEN_GAMMA = 2.2;

export type SheetMesh = THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;

/** A share of linear light that is taken away, as one of a picture on a screen. */
export const onScreen = (share: number): number => 1 - (1 - Math.min(1, share)) ** (1 / SCREEN_GAMMA);

/** Has sheets lie over linear light, as in what props mirror, or over a picture as a screen has it. */
export function layOver(sheets: THREE.Group, linear: boolean): void {
  for (const { material } of sheets.children as SheetMesh[]) material.uniforms.screen.value = linear ? 1 : SCREEN_GAMMA;
}

/** A sheet without its picture yet: `uniforms.picture` holds shares of light, `shift` how far its prop has moved since. */
export function newSheet(face: Face, sheet: Sheet): SheetMesh {
  const { positions, indices } = frontMesh([face]);
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setIndex(new THREE.BufferAttribute(indices, 1));
  const vector = (p: Vec3) => new THREE.Vector3(p[0], p[1], p[2]);
  const material = new THREE.ShaderMaterial({
    uniforms: {
      picture: { value: null },
      strength: { value: 0 },
      screen: { value: SCREEN_GAMMA },
      corner: { value: vector(sheet.corner) },
      across: { value: vector(sheet.across).divideScalar(sheet.size[0]) },
      along: { value: vector(sheet.along).divideScalar(sheet.size[1]) },
      lift: { value: vector(sheet.normal).multiplyScalar(LIFT) },
      shift: { value: new THREE.Vector3() },
    },
    vertexShader: `uniform vec3 corner; uniform vec3 across; uniform vec3 along; uniform vec3 lift; uniform vec3 shift; varying vec2 at;
      void main() {
        vec3 from = position - shift - corner;
        at = vec2(dot(from, across), dot(from, along));
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position + lift, 1.0);
      }`,
    fragmentShader: `uniform sampler2D picture; uniform float strength; uniform float screen; varying vec2 at;
      void main() {
        if (at.x < 0.0 || at.y < 0.0 || at.x > 1.0 || at.y > 1.0) discard;
        vec2 edge = smoothstep(0.0, 0.15, at) * smoothstep(0.0, 0.15, 1.0 - at);
        float left = 1.0 - strength * edge.x * edge.y * texture2D(picture, at).r;
        gl_FragColor = vec4(0.0, 0.0, 0.0, 1.0 - pow(left, 1.0 / screen));
      }`,
    side: THREE.DoubleSide,
    transparent: true,
    depthWrite: false,
    polygonOffset: true,
    polygonOffsetFactor: -2,
    polygonOffsetUnits: -8,
  });
  return new THREE.Mesh(geometry, material);
}

/** Lets go of a sheet, but for a material that is to stay. */
export function discard(mesh: SheetMesh, stays: THREE.Material | null = null): void {
  mesh.geometry.dispose();
  (mesh.material.uniforms.picture.value as THREE.Texture | null)?.dispose();
  if (mesh.material !== stays) mesh.material.dispose();
}
