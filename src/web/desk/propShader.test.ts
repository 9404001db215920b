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

test("faces are lit by their own irradiance where it is known, in place of three's", () => {
  const { fragmentShader, uniforms, material } = shaderOf();
  expect(fragmentShader).toContain("iblIrradiance += facesIrradiance( geometryNormal );");
  // It is written where three's own, which it falls back on, stands already.
  expect(fragmentShader.indexOf("vec3 facesIrradiance(")).toBeGreaterThan(
    fragmentShader.indexOf("#include <envmap_physical_pars_fragment>"),
  );
  const picture = new THREE.Texture();
  lightFaces(material, picture);
  expect([uniforms.irradianceAround.value, uniforms.hasIrradiance.value]).toEqual([picture, 1]);
  lightFaces(material, null);
  expect(uniforms.hasIrradiance.value).toBe(0);
});
