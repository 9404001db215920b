/**
 * What a glossy face mirrors, in GLSL: the picture all around, weighed by the lobe that the tracer has. Half vectors are
 * drawn from the visible normals of GGX (Heitz 2018, JCGT 7(4)) and each looks at the picture as coarsely as its density
 * wants ("filtered importance sampling", Krivanek and Colbert 2008, EGSR), so that few make a smooth picture. three's own
 * picture filtered by roughness lets bright windows reach too far, and knows no glance.
 */

/** Directions that a pixel of one frame looks along. */
const SAMPLES = 16;
/** Lobes narrower than this are looked at once: they are no wider than what the picture shows. */
const NARROW = 0.006;

/** `mirroredAlong(viewDir, normal, tangent, bitangent, alphas)`: mean radiance of the lobe, directions in view space. */
export const MIRRORED = `
uniform samplerCube mirrored;
uniform float mirroredSide; // of the picture's six faces, pixels
uniform float frame; // of a still picture, each of which looks along others
float smithLambda(vec2 alphas, vec3 w) {
  vec2 a = alphas * w.xy;
  return 0.5 * (sqrt(1.0 + dot(a, a) / max(w.z * w.z, 1e-12)) - 1.0);
}
vec3 mirroredAlong(vec3 viewDir, vec3 normal, vec3 tangent, vec3 bitangent, vec2 alphas) {
  mat3 toWorld = transpose(mat3(viewMatrix)) * mat3(tangent, bitangent, normal);
  vec3 v = vec3(dot(viewDir, tangent), dot(viewDir, bitangent), max(dot(viewDir, normal), 1e-3));
  if (max(alphas.x, alphas.y) < ${NARROW}) return textureLod(mirrored, toWorld * vec3(-v.xy, v.z), 0.0).rgb;
  vec3 s = normalize(vec3(alphas * v.xy, v.z));
  float flat_ = dot(s.xy, s.xy);
  vec3 t = flat_ > 0.0 ? vec3(-s.y, s.x, 0.0) * inversesqrt(flat_) : vec3(1.0, 0.0, 0.0);
  vec3 b = cross(s, t);
  float lv = smithLambda(alphas, v);
  // Steps of the golden ratio's like in two dimensions, in a still begun elsewhere in each pixel and frame. One frame alone
  // has the same ones in every pixel, and looks coarser: it is smooth rather than grainy.
  vec2 start = vec2(0.5);
  if (detail < 0.0) start = fract(vec2(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715))), 0.5) + frame * vec2(0.618034, 0.381966));
  float coarser = detail < 0.0 ? 0.0 : 1.0;
  float texels = 6.0 * mirroredSide * mirroredSide / 12.566370614;
  // No coarser than the lobe is narrow: a brushed face spreads light along its grain only.
  float coarsest = log2(mirroredSide * min(alphas.x, alphas.y) / 1.57);
  vec3 sum = vec3(0.0);
  float weights = 0.0;
  for (int i = 0; i < ${SAMPLES}; i++) {
    vec2 u = fract(start + float(i) * vec2(0.7548776662466927, 0.5698402909980532));
    float r = sqrt(u.x);
    float p = r * cos(6.28318530718 * u.y);
    float q = r * sin(6.28318530718 * u.y);
    float half_ = 0.5 * (1.0 + s.z);
    q = (1.0 - half_) * sqrt(max(0.0, 1.0 - p * p)) + half_ * q;
    vec3 h = p * t + q * b + sqrt(max(0.0, 1.0 - p * p - q * q)) * s;
    h = normalize(vec3(alphas * h.xy, max(1e-6, h.z)));
    vec3 l = 2.0 * dot(v, h) * h - v;
    if (l.z <= 0.0) continue;
    float weight = (1.0 + lv) / (1.0 + lv + smithLambda(alphas, l));
    vec3 e = vec3(h.xy / alphas, h.z);
    float density = 0.318309886 / (alphas.x * alphas.y * dot(e, e) * dot(e, e)) / ((1.0 + lv) * 4.0 * v.z);
    float level = min(coarsest, 0.5 * log2(texels / (float(${SAMPLES}) * density))) + coarser;
    sum += weight * textureLod(mirrored, toWorld * l, max(0.0, level)).rgb;
    weights += weight;
  }
  return weights > 0.0 ? sum / weights : vec3(0.0);
}
vec3 mirroredAround(vec3 viewDir, vec3 normal, float roughness) {
  vec3 tangent = normalize(cross(abs(normal.z) < 0.9 ? vec3(0.0, 0.0, 1.0) : vec3(1.0, 0.0, 0.0), normal));
  return mirroredAlong(viewDir, normal, tangent, cross(normal, tangent), vec2(roughness * roughness));
}
`;
