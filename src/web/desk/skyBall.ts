import * as THREE from "three";
import { skyOf } from "#core/light/rig";
import type { Vec3 } from "#core/math/vec3";
import { sub } from "#core/math/vec3";
import type { Picture } from "#core/trace/scene";
import type { Shot } from "#core/shot/schema";

/** Numbers of the shapes that near surroundings have; 0 is endless. */
const EXTENTS = { sphere: 1, box: 2, dome: 3 };

/** Where a ray from within near surroundings leaves them, from their centre: as the tracer's `lookAround` has it. */
const LEAVE = `uniform int extent; uniform vec3 halves; uniform vec3 place; // from the centre
  vec3 leave(vec3 d) {
    if (extent == 0) return d;
    if (extent == 2) {
      if (any(greaterThanEqual(abs(place), halves))) return d;
      vec3 far = (halves * sign(d) - place) / (d + vec3(equal(d, vec3(0.0))) * 1e-9);
      return place + min(far.x, min(far.y, far.z)) * d;
    }
    float c = dot(place, place) - halves.x * halves.x;
    if (c >= 0.0 || (extent == 3 && place.z <= -halves.z)) return d;
    float b = dot(place, d);
    float t = sqrt(b * b - c) - b;
    if (extent == 3 && d.z < 0.0) t = min(t, (-halves.z - place.z) / d.z);
    return place + t * d;
  }`;

/** A picture all around as a ball around a place: the sky as the light step has it, or all that was found there. */
export class SkyBall {
  readonly mesh: THREE.Mesh<THREE.SphereGeometry, THREE.ShaderMaterial>;
  private shown: Picture | null = null;

  constructor() {
    const material = new THREE.ShaderMaterial({
      side: THREE.BackSide,
      depthWrite: false,
      uniforms: {
        picture: { value: null },
        turn: { value: new THREE.Matrix3() },
        gain: { value: new THREE.Vector3() },
        extent: { value: 0 },
        halves: { value: new THREE.Vector3() },
        place: { value: new THREE.Vector3() },
      },
      vertexShader: `varying vec3 way;
        void main() { way = position; gl_Position = projectionMatrix * modelViewMatrix * vec4(position, 1.0); }`,
      fragmentShader: `uniform sampler2D picture; uniform mat3 turn; uniform vec3 gain; varying vec3 way;
        ${LEAVE}
        void main() {
          vec3 d = turn * normalize(leave(normalize(way)));
          vec2 at = vec2(atan(d.x, d.y) / 6.28318530718 + 0.5, acos(clamp(d.z, -1.0, 1.0)) / 3.14159265359);
          gl_FragColor = vec4(min(gain * texture2D(picture, at).rgb, vec3(6e4)), 1.0);
        }`,
    });
    this.mesh = new THREE.Mesh(new THREE.SphereGeometry(400, 48, 24), material);
    this.mesh.frustumCulled = false;
    this.mesh.renderOrder = -1;
  }

  /** Wears the shot's sky as it is seen from a place, at its strength and tint; false for one that is the same everywhere. */
  wear(shot: Shot, place: Vec3): boolean {
    this.mesh.position.set(...place);
    const { sky } = shot.light;
    const { environment, surround } = skyOf(shot);
    this.mesh.visible = environment !== null && sky.lights !== "set";
    if (!environment) return false;
    const { uniforms } = this.mesh.material;
    this.take(environment);
    const [a, b, c, d, e, f, g, h, i] = surround?.turn ?? [1, 0, 0, 0, 1, 0, 0, 0, 1];
    (uniforms.turn.value as THREE.Matrix3).set(a, b, c, d, e, f, g, h, i);
    const gain = [0, 1, 2].map((k) => (surround?.gain[k] ?? 1) * sky.strength * sky.tint[k]);
    (uniforms.gain.value as THREE.Vector3).set(gain[0], gain[1], gain[2]);
    const extent = surround?.extent ?? null;
    uniforms.extent.value = extent ? EXTENTS[extent.kind] : 0;
    if (extent) {
      (uniforms.halves.value as THREE.Vector3).set(...extent.half);
      (uniforms.place.value as THREE.Vector3).set(...sub(place, extent.centre));
    }
    return true;
  }

  /** Wears a picture as it is, its rows from the zenith down, around a place. */
  wearAll(picture: Picture, place: Vec3): void {
    this.mesh.position.set(...place);
    this.mesh.visible = true;
    const { uniforms } = this.mesh.material;
    this.take(picture);
    (uniforms.turn.value as THREE.Matrix3).identity();
    (uniforms.gain.value as THREE.Vector3).set(1, 1, 1);
    uniforms.extent.value = 0;
  }

  private take(picture: Picture): void {
    const { uniforms } = this.mesh.material;
    if (this.shown === picture) return;
    this.shown = picture;
    (uniforms.picture.value as THREE.Texture | null)?.dispose();
    uniforms.picture.value = textureOf(picture);
  }

  dispose(): void {
    (this.mesh.material.uniforms.picture.value as THREE.Texture | null)?.dispose();
    this.mesh.geometry.dispose();
    this.mesh.material.dispose();
  }
}

/** A picture all around, of linear light, as a texture. */
export function textureOf({ width, height, pixels }: Picture): THREE.DataTexture {
  const halves = new Uint16Array(width * height * 4);
  for (let i = 0; i < width * height; i++) {
    for (let k = 0; k < 3; k++) halves[i * 4 + k] = THREE.DataUtils.toHalfFloat(Math.min(65_504, pixels[i * 3 + k]));
    halves[i * 4 + 3] = 0x3c00;
  }
  const texture = new THREE.DataTexture(halves, width, height, THREE.RGBAFormat, THREE.HalfFloatType);
  texture.wrapS = THREE.RepeatWrapping;
  [texture.minFilter, texture.magFilter] = [THREE.LinearFilter, THREE.LinearFilter];
  texture.needsUpdate = true;
  return texture;
}
