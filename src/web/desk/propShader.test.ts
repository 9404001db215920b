import { expect, test } from "@jest/globals";
import * as THREE from "three";
import { dressShader, lightFaces, newPropLight } from "./propShader.ts";

const WEAR = { dirt: 0.5, rust: 0.25, scratches: 0.1, low: -0.2, height: 0.7, size: 1.4 };

/** What a material makes of three's own shader of its kind. */
function shaderOf(wear?: typeof WEAR) {
  const material = new THREE.MeshPhysicalMaterial();
  const light = newPropLight();
  dressShader(material, wear, light);
  const { vertexShader, fragmentShader } = THREE.ShaderLib.physical;
  const shader = { vertexShader, fragmentShader, uniforms: {} as Record<string, THREE.IUniform> };
  material.onBeforeCompile(shader as never, null as never);
  return { ...shader, material, sunlit: light.sunlit, key: material.customProgramCacheKey() };
}

test("every place of three's shader that props need is there, and wear has a program of its own with its own strengths", () => {
  const [plain, worn] = [shaderOf(), shaderOf(WEAR)];
  for (const { vertexShader, fragmentShader } of [plain, worn]) {
    expect(vertexShader).toContain("vShut = shut;");
    expect(fragmentShader.indexOf("reflectedLight.indirectDiffuse *= open;")).toBeGreaterThan(
      fragmentShader.indexOf("#include <aomap_fragment>"),
    );
  }
  // The sun's part is weighed after all of it is there, by a number that may change at any time.
  for (const { fragmentShader, uniforms, sunlit } of [plain, worn]) {
    expect(fragmentShader.indexOf("reflectedLight.directDiffuse *= sunlit;")).toBeGreaterThan(
      fragmentShader.indexOf("#include <lights_fragment_end>"),
    );
    expect(uniforms.sunlit).toBe(sunlit);
    // Every texture of three's own chunks is read by the macro, which is there before the first of them.
    expect(fragmentShader.indexOf("#define texture2D(map, at)")).toBeLessThan(fragmentShader.indexOf("#include"));
  }
  expect(plain.fragmentShader).not.toContain("dirtAt");
  expect(worn.fragmentShader.indexOf("dirtAt(own")).toBeGreaterThan(worn.fragmentShader.indexOf("float dirtAt("));
  expect(plain.key).not.toBe(worn.key);
  expect(worn.uniforms.wear.value).toEqual(new THREE.Vector3(0.5, 0.25, 0.1));
  expect(worn.uniforms.wearBody.value).toEqual(new THREE.Vector3(-0.2, 0.7, 1.4));
});

test("glossy faces, coats and brushed ones mirror by the tracer's lobe, and nothing asks for three's filtered picture", () => {
  const { fragmentShader } = shaderOf();
  expect(fragmentShader).not.toMatch(/ iblRadiance = getIBL|clearcoatRadiance \+= getIBL/);
  for (const asked of [
    "mirroredAlong( geometryViewDir, geometryNormal, material.anisotropyT",
    "mirroredAround( geometryViewDir, geometryNormal, material.roughness )",
    "mirroredAround( geometryViewDir, geometryClearcoatNormal, material.clearcoatRoughness )",
  ])
    expect(fragmentShader).toContain(asked);
  expect(fragmentShader.indexOf("vec3 mirroredAlong(")).toBeLessThan(
    fragmentShader.indexOf("mirroredAlong( geometryViewDir"),
  );
  // The bend of a face within a pixel widens no lobe in a still picture, whose textures are finer than the screen asks for.
  expect(fragmentShader).toContain("float geometryRoughness = step( 0.0, detail )");
});

test("far faces of glass are added to what is seen through it, and its near ones drawn as ever", () => {
  const material = new THREE.MeshPhysicalMaterial({ transmission: 1 });
  dressShader(material, undefined, newPropLight(), true);
  const drawn = (side: THREE.Side) => {
    material.side = side;
    material.onBeforeRender(null as never, null as never, null as never, null as never, null as never, null as never);
    return [material.blending, material.depthWrite];
  };
  expect(drawn(THREE.BackSide)).toEqual([THREE.AdditiveBlending, false]);
  expect(drawn(THREE.DoubleSide)).toEqual([THREE.NormalBlending, true]);
});

test("faces are lit by their own irradiance where it is known, in place of three's", () => {
  const { fragmentShader, uniforms, material } = shaderOf();
  expect(fragmentShader).toContain("iblIrradiance += facesIrradiance( geometryNormal );");
  // It is written where three's own, which it falls back on, stands already.
  expect(fragmentShader.indexOf("vec3 facesIrradiance(")).toBeGreaterThan(
    fragmentShader.indexOf("#include <envmap_physical_pars_fragment>"),
  );
  const picture = new THREE.Texture();
  const cube = new THREE.WebGLCubeRenderTarget(64).texture;
  lightFaces(material, cube, picture);
  expect([uniforms.mirrored.value, uniforms.mirroredSide.value]).toEqual([cube, 64]);
  expect([uniforms.irradianceAround.value, uniforms.hasIrradiance.value]).toEqual([picture, 1]);
  lightFaces(material, null, null);
  expect(uniforms.hasIrradiance.value).toBe(0);
});
