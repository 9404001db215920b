import * as THREE from "three";
import { CURVE, ON_PLATE, plateUniforms } from "./plateShader.ts";

/** Lamps that light what the camera does not see. */
export const MOST_LAMPS = 6;
/** Share of a room's light that comes from all around where lamps light it (common practice, no published source). */
export const AROUND = 0.3;

/**
 * Material of the set as seen from outside: it wears the plate as the camera projects it; what the camera does not see
 * is hatched over its material's own colour, which is what mirrors and bounced light find there. Lit from all around, so
 * that it is never dark.
 */
export function projectedMaterial(side: THREE.Side): THREE.ShaderMaterial {
  return new THREE.ShaderMaterial({
    side,
    uniforms: {
      plate: { value: null },
      hasPlate: { value: 0 },
      depth: { value: null },
      lens: { value: new THREE.Matrix4() },
      toCamera: { value: new THREE.Matrix4() },
      ...plateUniforms(),
      cutAt: { value: 1e9 },
      unseen: { value: 0 },
      lampAt: { value: Array.from({ length: MOST_LAMPS }, () => new THREE.Vector3()) },
      lampFacing: { value: Array.from({ length: MOST_LAMPS }, () => new THREE.Vector3()) },
      lampPower: { value: new Array<number>(MOST_LAMPS).fill(0) },
    },
    vertexShader: `attribute vec3 own; varying vec3 world; varying vec3 facing; varying vec3 filled;
      void main() { filled = own; vec4 p = modelMatrix * vec4(position, 1.0); world = p.xyz; facing = normalize(mat3(modelMatrix) * normal); gl_Position = projectionMatrix * viewMatrix * p; }`,
    fragmentShader: `uniform sampler2D plate; uniform sampler2D depth; uniform mat4 lens; uniform mat4 toCamera; uniform float hasPlate; uniform float cutAt; uniform float unseen;
      uniform vec3 lampAt[${MOST_LAMPS}]; uniform vec3 lampFacing[${MOST_LAMPS}]; uniform float lampPower[${MOST_LAMPS}];
      varying vec3 world; varying vec3 facing; varying vec3 filled;
      ${ON_PLATE}
      ${CURVE}
      void main() {
        if (world.z > cutAt) discard;
        vec3 c = (toCamera * vec4(world, 1.0)).xyz;
        vec3 n = normalize(facing);
        float shade = 0.62 + 0.38 * abs(dot(n, vec3(0.36, 0.48, 0.8)));
        // As light it is as bright as its albedo makes it; to look at it is lit from all around.
        float lit = 1.0;
        // Of lamps, shares of what they bring where the camera sees the set.
        if (lampPower[0] > 0.0) {
          lit = ${AROUND.toFixed(2)};
          for (int i = 0; i < ${MOST_LAMPS}; i++) {
            vec3 way = lampAt[i] - world;
            float d2 = max(0.04, dot(way, way));
            lit += (1.0 - ${AROUND.toFixed(2)}) * lampPower[i] * abs(dot(way, n)) * max(0.0, -dot(way, lampFacing[i])) / (d2 * d2);
          }
          lit = min(lit, 3.0);
        }
        vec3 colour = unseen > 0.0 ? filled * unseen * lit : filled * shade * 1.3;
        bool seen = false;
        if (hasPlate > 0.5 && c.z > 0.02) {
          vec2 at = onPlate(c.xy / c.z);
          vec4 q = lens * vec4(world, 1.0);
          vec3 p = q.xyz / q.w * 0.5 + 0.5;
          float near = texture2D(depth, p.xy).x;
          bool open = p.z <= near + 0.0004;
          // Far beside the frame a lens's polynomial may turn back into it.
          bool ahead = p.x > 0.0 && p.y > 0.0 && p.x < 1.0 && p.y < 1.0;
          if (ahead && at.x > 0.0 && at.y > 0.0 && at.x < 1.0 && at.y < 1.0 && open) {
            colour = texture2D(plate, vec2(at.x, 1.0 - at.y)).rgb;
            if (unseen > 0.0) colour = toScene(colour);
            seen = true;
          }
        }
        if (!seen && unseen <= 0.0) {
          float stripe = fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0);
          colour *= stripe < 0.28 ? 0.72 : 1.0;
        }
        gl_FragColor = vec4(colour, 1.0);
        #include <colorspace_fragment>
      }`,
  });
}
