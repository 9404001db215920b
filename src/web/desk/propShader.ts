import * as THREE from "three";
import type { Material } from "#core/props/model";
import { MIRRORED } from "./mirrored.ts";

/** What the props' shaders in the interactive view have beyond three's: shade from all around, and wear. */

type Shader = Pick<THREE.WebGLProgramParametersWithUniforms, "vertexShader" | "fragmentShader" | "uniforms">;

function after(source: string, chunk: string, text: string): string {
  const include = `#include <${chunk}>`;
  if (!source.includes(include)) throw new Error(`There is no ${chunk} in this shader.`);
  return source.replace(include, `${include}\n${text}`);
}

/**
 * Corners say in `shut` how much of the light from all around does not reach them, on their front and on their back (none
 * where nobody has said so yet), as an occlusion map would.
 */
function shutOut(shader: Shader): void {
  shader.vertexShader = after(shader.vertexShader, "common", "attribute vec2 shut; varying vec2 vShut;");
  shader.vertexShader = after(shader.vertexShader, "begin_vertex", "vShut = shut;");
  shader.fragmentShader = after(
    shader.fragmentShader,
    "common",
    // Through glass its far faces are seen from within: it is no shelter to itself.
    `varying vec2 vShut;
    #if defined(USE_TRANSMISSION) && defined(FLIP_SIDED)
      float openness() { return 1.0; }
    #else
      float openness() { return 1.0 - (gl_FrontFacing ? vShut.x : vShut.y); }
    #endif`,
  );
  shader.fragmentShader = after(
    shader.fragmentShader,
    "aomap_fragment",
    `float open = openness();
    reflectedLight.indirectDiffuse *= open;
    #ifdef USE_CLEARCOAT
      clearcoatSpecularIndirect *= open;
    #endif
    #ifdef USE_SHEEN
      sheenSpecularIndirect *= open;
    #endif
    reflectedLight.indirectSpecular *= computeSpecularOcclusion(saturate(dot(geometryNormal, geometryViewDir)), open, material.roughness);`,
  );
}

/** The kernel's wear (`src/kernel/wear.ts` and `wearSurface`), word for word: the same noise at the same places. */
const WEAR = `
varying vec3 vOwn; varying vec3 vOwnNormal;
uniform vec3 wear; // Strengths of dirt, rust, scratches.
uniform vec3 wearBody; // Lowest z, height and largest extent of the model.
float hash3(int x, int y, int z) {
  uint h = (uint(x) * 0x8da6b343u) ^ (uint(y) * 0xd8163841u) ^ (uint(z) * 0xcb1ab31fu);
  h ^= h >> 15; h *= 0x2c1b3c6du; h ^= h >> 12; h *= 0x297a2d39u; h ^= h >> 15;
  return float(h >> 8) / 16777216.0;
}
float wearNoise(vec3 p) {
  vec3 f = floor(p); ivec3 i = ivec3(f); vec3 u = p - f;
  u = u * u * (3.0 - 2.0 * u);
  vec4 low = vec4(hash3(i.x, i.y, i.z), hash3(i.x + 1, i.y, i.z), hash3(i.x, i.y + 1, i.z), hash3(i.x + 1, i.y + 1, i.z));
  vec4 high = vec4(hash3(i.x, i.y, i.z + 1), hash3(i.x + 1, i.y, i.z + 1), hash3(i.x, i.y + 1, i.z + 1), hash3(i.x + 1, i.y + 1, i.z + 1));
  vec4 c = mix(low, high, u.z);
  return mix(mix(c.x, c.y, u.x), mix(c.z, c.w, u.x), u.y);
}
float wearGrain(vec3 p) {
  float sum = 0.0, weight = 0.5, s = 1.0;
  for (int i = 0; i < 5; i++) { sum += weight * wearNoise(p * s + vec3(float(i) * 7.3, 0.0, 0.0)); weight *= 0.5; s *= 2.03; }
  return sum / 0.96875;
}
float dirtAt(vec3 p, float above, float open) {
  float patches = wearGrain(p * 7.0) - 0.5;
  float hollow = clamp((1.0 - open) * 1.5, 0.0, 1.0);
  return wear.x * smoothstep(0.3, 1.0, 0.75 * exp(-above * 4.0) + 0.85 * hollow + 0.36 + 1.1 * patches);
}
float rustAt(vec3 p) {
  float n = (wearGrain(p * 5.0 + vec3(31.0, 0.0, 0.0)) - 0.5) * 1.9 + 0.5;
  float border = 1.02 - wear.y;
  return smoothstep(border - 0.05, border + 0.05, n);
}
float scratchAt(vec3 p, vec3 n, float width) {
  vec3 a = abs(n);
  bool up = a.z >= a.x && a.z >= a.y;
  vec2 at = vec2(up || a.y > a.x ? p.x : p.y, up ? p.y : p.z);
  float most = 0.0;
  for (int k = 0; k < 7; k++) {
    float angle = float(k) * 2.4 + 0.35 + 0.4 * hash3(k, 3, 1);
    float c = cos(angle), s = sin(angle);
    float u = at.x * c + at.y * s, v = at.y * c - at.x * s;
    int cell = int(floor(v / 0.07));
    float long_ = 0.1 + 0.35 * hash3(cell, k, 11);
    float shifted = u / long_ + hash3(cell, k, 5) * 9.0;
    int number = int(floor(shifted));
    float along = shifted - floor(shifted);
    if (hash3(cell, number, 40 + k) > wear.z * 0.45) continue;
    float lean = (hash3(cell, number, 80 + k) - 0.5) * 0.9;
    float line = (float(cell) + 0.5 + lean * (along - 0.4)) * 0.07;
    float half_ = 0.0007 * (0.4 + hash3(cell, number, 20 + k));
    float across = 1.0 - smoothstep(half_, half_ + max(half_, width), abs(v - line));
    float ends = smoothstep(0.0, 0.12, along) * (1.0 - smoothstep(0.6, 1.0, along));
    most = max(most, across * ends * min(1.0, 2.0 * half_ / max(width, 2.0 * half_)));
  }
  return most;
}`;

const WORN = `
float coated = 1.0;
{
  vec3 own = vOwn / wearBody.z;
  if (wear.z > 0.0) {
    float share = scratchAt(own, vOwnNormal, length(fwidth(own)));
    diffuseColor.rgb = mix(diffuseColor.rgb, diffuseColor.rgb * 0.6 + 0.3, share);
    roughnessFactor = mix(roughnessFactor, max(roughnessFactor, 0.5), share);
    coated *= 1.0 - share;
  }
  if (wear.y > 0.0) {
    float share = rustAt(own);
    float t = wearGrain(own * 40.0);
    diffuseColor = mix(diffuseColor, vec4(mix(vec3(0.05, 0.018, 0.01), vec3(0.26, 0.085, 0.028), t), 1.0), share);
    roughnessFactor = mix(roughnessFactor, 0.9, share);
    metalnessFactor *= 1.0 - share;
    coated *= 1.0 - share;
  }
  if (wear.x > 0.0) {
    float above = max(0.0, vOwn.z - wearBody.x) / max(1e-6, wearBody.y);
    float share = 0.9 * dirtAt(own, above, openness());
    diffuseColor = mix(diffuseColor, vec4(0.1, 0.08, 0.058, 1.0), share);
    roughnessFactor = mix(roughnessFactor, 0.95, share);
    metalnessFactor *= 1.0 - share;
    coated *= 1.0 - share;
  }
}`;

function wornBy({ dirt, rust, scratches, low, height, size }: NonNullable<Material["wear"]>, shader: Shader): void {
  shader.uniforms.wear = { value: new THREE.Vector3(dirt, rust, scratches) };
  shader.uniforms.wearBody = { value: new THREE.Vector3(low, height, size) };
  shader.vertexShader = after(shader.vertexShader, "common", "varying vec3 vOwn; varying vec3 vOwnNormal;");
  shader.vertexShader = after(shader.vertexShader, "begin_vertex", "vOwn = position; vOwnNormal = normal;");
  shader.fragmentShader = shader.fragmentShader.replace("void main() {", `${WEAR}\nvoid main() {`);
  shader.fragmentShader = after(shader.fragmentShader, "metalnessmap_fragment", WORN);
  shader.fragmentShader = after(
    shader.fragmentShader,
    "lights_physical_fragment",
    "#ifdef USE_CLEARCOAT\n  material.clearcoat *= coated;\n#endif",
  );
}

/** The sun may leave a prop out: `sunlit` is then 0. It is the view's one light that is no surroundings. */
function sunOn(shader: Shader, sunlit: THREE.IUniform<number>): void {
  shader.uniforms.sunlit = sunlit;
  shader.fragmentShader = after(shader.fragmentShader, "common", "uniform float sunlit;");
  shader.fragmentShader = after(
    shader.fragmentShader,
    "lights_fragment_end",
    `reflectedLight.directDiffuse *= sunlit;
    reflectedLight.directSpecular *= sunlit;
    #ifdef USE_CLEARCOAT
      clearcoatSpecularDirect *= sunlit;
    #endif
    #ifdef USE_SHEEN
      sheenSpecularDirect *= sunlit;
    #endif`,
  );
}

/** Textures are as fine as `detail` levels more or less would have them. */
function detailed(shader: Shader, detail: THREE.IUniform<number>): void {
  shader.uniforms.detail = detail;
  shader.fragmentShader = `uniform float detail;
#undef texture2D
#define texture2D(map, at) texture(map, at, detail)
${shader.fragmentShader}`;
}

/** What of a prop's shader may change at any time. */
export interface PropLight {
  /** 0 where the sun leaves the prop out. */
  sunlit: THREE.IUniform<number>;
  /** Levels by which textures are coarser than the screen asks for; below 0 finer. */
  detail: THREE.IUniform<number>;
  /** Number of the frame of a still picture. */
  frame: THREE.IUniform<number>;
  /** Irradiance of faces by where they look, as `core/render/around` has it, and whether there is one. */
  irradiance: THREE.IUniform<THREE.Texture | null>;
  hasIrradiance: THREE.IUniform<number>;
  /** What is mirrored, as a cube of pictures with their coarser levels, and the side of each. */
  mirrored: THREE.IUniform<THREE.CubeTexture | null>;
  mirroredSide: THREE.IUniform<number>;
}

/** What changes for all props from frame to frame of a still picture. */
export interface StillLight {
  detail: THREE.IUniform<number>;
  frame: THREE.IUniform<number>;
}

export const newPropLight = (
  { detail, frame }: StillLight = { detail: { value: 0 }, frame: { value: 0 } },
): PropLight => ({
  sunlit: { value: 1 },
  detail,
  frame,
  mirrored: { value: null },
  mirroredSide: { value: 1 },
  irradiance: { value: null },
  hasIrradiance: { value: 0 },
});

/** Has a material mirror that cube, and its faces lit by that irradiance; as three has it from the cube where there is none. */
export function lightFaces(
  material: THREE.Material,
  mirrored: THREE.CubeTexture | null,
  irradiance: THREE.Texture | null,
): void {
  const light = material.userData.light as PropLight;
  light.mirrored.value = mirrored;
  light.mirroredSide.value = (mirrored?.images[0] as { width: number } | undefined)?.width ?? 1;
  light.irradiance.value = irradiance;
  light.hasIrradiance.value = irradiance ? 1 : 0;
}

function replaced(source: string, from: string, to: string): string {
  if (!source.includes(from)) throw new Error(`three's shader has changed: it has no "${from}".`);
  return source.replace(from, to);
}

/**
 * Takes light from all around on matt faces from its own picture, and on glossy ones by their own lobe: three's filtered
 * picture lets bright windows reach around edges.
 */
function litAround(shader: Shader, { irradiance, hasIrradiance, mirrored, mirroredSide, frame }: PropLight): void {
  Object.assign(shader.uniforms, { irradianceAround: irradiance, hasIrradiance, mirrored, mirroredSide, frame });
  let own = THREE.ShaderChunk.lights_fragment_maps;
  own = replaced(own, "getIBLIrradiance( geometryNormal )", "facesIrradiance( geometryNormal )");
  own = replaced(
    own,
    "getIBLAnisotropyRadiance( geometryViewDir, geometryNormal, material.roughness, material.anisotropyB, material.anisotropy )",
    "envMapIntensity * mirroredAlong( geometryViewDir, geometryNormal, material.anisotropyT, material.anisotropyB, vec2( material.alphaT, pow2( material.roughness ) ) )",
  );
  own = replaced(
    own,
    "getIBLRadiance( geometryViewDir, geometryNormal, material.roughness )",
    "envMapIntensity * mirroredAround( geometryViewDir, geometryNormal, material.roughness )",
  );
  own = replaced(
    own,
    "getIBLRadiance( geometryViewDir, geometryClearcoatNormal, material.clearcoatRoughness )",
    "envMapIntensity * mirroredAround( geometryViewDir, geometryClearcoatNormal, material.clearcoatRoughness )",
  );
  shader.fragmentShader = shader.fragmentShader.replace("#include <lights_fragment_maps>", own);
  shader.fragmentShader = after(
    shader.fragmentShader,
    "envmap_physical_pars_fragment",
    `uniform sampler2D irradianceAround; uniform float hasIrradiance;
    #ifdef USE_ENVMAP
    ${MIRRORED}
    vec3 facesIrradiance( const in vec3 normal ) {
      if (hasIrradiance < 0.5) return getIBLIrradiance( normal );
      vec3 n = transformNormalByInverseViewMatrix( normal, viewMatrix );
      vec2 at = vec2(atan(n.x, n.y) / 6.28318530718 + 0.5, acos(clamp(n.z, -1.0, 1.0)) / 3.14159265359);
      return textureLod(irradianceAround, at, 0.0).rgb * envMapIntensity;
    }
    #endif`,
  );
}

/** Roughness that stands for how far a face is bent within a pixel: a still picture has its pixels from many instead. */
function bent(shader: Shader): void {
  const own = replaced(
    THREE.ShaderChunk.lights_physical_fragment,
    "float geometryRoughness = max( max( dxy.x, dxy.y ), dxy.z );",
    "float geometryRoughness = step( 0.0, detail ) * max( max( dxy.x, dxy.y ), dxy.z );",
  );
  shader.fragmentShader = shader.fragmentShader.replace("#include <lights_physical_fragment>", own);
}

/**
 * Every face of glass reflects. A thin pane's second one is reckoned with its first (the tracer's `paneReturn`). Of a body of
 * glass three draws the far faces into the picture that is seen through it: here they add what they mirror, and nothing else.
 * What is seen through bulky bodies is bent twice, so that it stands on its head, and is taken from the picture all around.
 */
function pane(shader: Shader, bulky: boolean): void {
  shader.uniforms.bulky = { value: bulky ? 1 : 0 };
  shader.fragmentShader = after(shader.fragmentShader, "common", "uniform float bulky;");
  shader.fragmentShader = shader.fragmentShader.replace(
    "#include <transmission_fragment>",
    "vec3 mattDiffuse = totalDiffuse;\n#include <transmission_fragment>",
  );
  shader.fragmentShader = after(
    shader.fragmentShader,
    "transmission_fragment",
    `#ifdef USE_TRANSMISSION
    {
      vec3 single = vec3(0.0), multi = vec3(0.0);
      computeMultiscattering( material.dfg, material.specularColor, material.specularF90, single, multi );
      vec3 face = single + multi;
      float chord = material.thickness * length(modelMatrix[0].xyz);
      vec3 tint = diffuseColor.rgb * volumeAttenuation( chord, material.attenuationColor, material.attenuationDistance );
      vec3 pass = (1.0 - face) / (1.0 - face * face * tint * tint);
      bool thin = material.thickness == 0.0;
      #ifdef FLIP_SIDED
        // What is seen through is tinted by the near faces once more, at the mean of all depths by half.
        totalDiffuse = vec3(0.0);
        totalSpecular *= material.transmission * (1.0 - face) * sqrt(tint);
        if (thin) totalSpecular *= 1.0 + tint * tint * (1.0 - face) * pass;
      #else
        #ifdef USE_ENVMAP
        if (bulky > 0.5) {
          // As through a ball: in, out at the far side, and what is turned back there once.
          vec3 within = refract(-v, n, 1.0 / material.ior);
          float steep = max(0.0, -dot(n, within));
          vec3 far = n + 2.0 * steep * within;
          vec3 back = reflect(within, far);
          vec3 way = diffuseColor.rgb * volumeAttenuation( 1.5 * steep * chord, material.attenuationColor, material.attenuationDistance );
          float level = log2(mirroredSide) * applyIorToRoughness( material.roughness, material.ior );
          vec3 through = textureLod(mirrored, refract(within, -far, material.ior), level).rgb;
          vec3 returned = textureLod(mirrored, refract(back, -(far + 2.0 * steep * back), material.ior), level).rgb;
          totalDiffuse = mix(mattDiffuse, (1.0 - face) * way * (through + face * way * returned), material.transmission);
        }
        #endif
        if (thin) totalSpecular *= 1.0 + material.transmission * tint * tint * (1.0 - face) * pass;
        totalDiffuse *= mix(vec3(1.0), pass, material.transmission);
      #endif
    }
    #endif`,
  );
}

/** Has a material's far faces added to what is seen through its near ones: three draws those, turned about, first. */
function addFarFaces(material: THREE.MeshPhysicalMaterial): void {
  const { blending, depthWrite } = material;
  material.onBeforeRender = () => {
    const far = material.side === THREE.BackSide;
    material.blending = far ? THREE.AdditiveBlending : blending;
    material.depthWrite = far ? false : depthWrite;
  };
}

/** Gives a prop's material what it has beyond three's own; `bulky` bodies of glass are seen through as a ball is. */
export function dressShader(
  material: THREE.MeshPhysicalMaterial,
  wear: Material["wear"],
  light: PropLight,
  bulky = false,
): void {
  material.userData.light = light;
  if (material.transmission > 0) addFarFaces(material);
  material.onBeforeCompile = (shader) => {
    detailed(shader, light.detail);
    litAround(shader, light);
    shutOut(shader);
    sunOn(shader, light.sunlit);
    pane(shader, bulky);
    if (wear) wornBy(wear, shader);
    bent(shader);
  };
  material.customProgramCacheKey = () => (wear ? "prop worn" : "prop");
}
