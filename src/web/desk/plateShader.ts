import type * as THREE from "three";
import { Vector2, Vector3 } from "three";
import type { Response } from "#core/image/response";
import type { Camera, Frame } from "#core/optics/camera";

/** What shaders of the interactive view know of the plate: where on it something is seen, and its curve, as core has both. */

/** `onPlate`: the place on the plate, 0 to 1 from its upper left corner, of what lies along a tangent of the camera. */
export const ON_PLATE = `uniform float focal; uniform vec2 principal; uniform vec2 frame; uniform vec3 radial; uniform vec2 tangential;
  vec2 onPlate(vec2 t) {
    float r2 = dot(t, t);
    float k = 1.0 + r2 * (radial.x + r2 * (radial.y + r2 * radial.z));
    vec2 d = t * k + vec2(2.0 * tangential.x * t.x * t.y + tangential.y * (r2 + 2.0 * t.x * t.x), tangential.x * (r2 + 2.0 * t.y * t.y) + 2.0 * tangential.y * t.x * t.y);
    return (d * focal + principal) / frame;
  }`;

/** `toPlate` and `toScene` of `core/image/response`: what is rendered is bent as the camera bent the place's light, and back. */
export const CURVE = `uniform float shoulder; uniform float contrast;
  float toPlate(float x) {
    float y = contrast == 1.0 || x <= 0.0 ? x : 0.18 * pow(x / 0.18, contrast);
    float rest = 1.0 - shoulder;
    return rest > 0.0 && y > shoulder ? shoulder + rest * (1.0 - exp((shoulder - y) / rest)) : y;
  }
  float toScene(float y) {
    float x = y;
    float rest = 1.0 - shoulder;
    if (rest > 0.0 && y > shoulder) x = shoulder - rest * log(1.0 - min(0.995, (y - shoulder) / rest));
    return contrast == 1.0 || x <= 0.0 ? x : 0.18 * pow(x / 0.18, 1.0 / contrast);
  }
  vec3 toScene(vec3 c) { return vec3(toScene(c.r), toScene(c.g), toScene(c.b)); }`;

type Uniforms = Record<string, THREE.IUniform>;

/** The uniforms of `ON_PLATE` and `CURVE`, of no camera yet. */
export function plateUniforms(): Uniforms {
  return {
    focal: { value: 1 },
    principal: { value: new Vector2() },
    frame: { value: new Vector2(1, 1) },
    radial: { value: new Vector3() },
    tangential: { value: new Vector2() },
    shoulder: { value: 1 },
    contrast: { value: 1 },
  };
}

/** Gives them a camera and its frame. */
export function aimPlate(u: Uniforms, camera: Camera, frame: Frame): void {
  u.focal.value = camera.focalPx;
  (u.principal.value as Vector2).set(...camera.principal);
  (u.frame.value as Vector2).set(frame.width, frame.height);
  (u.radial.value as Vector3).set(camera.distortion.k1, camera.distortion.k2, camera.distortion.k3);
  (u.tangential.value as Vector2).set(camera.distortion.p1, camera.distortion.p2);
}

/** Gives them the plate's curve; none is straight. */
export function bendAs(u: Uniforms, response: Response | null | undefined): void {
  u.shoulder.value = response?.shoulder ?? 1;
  u.contrast.value = response?.contrast ?? 1;
}
