import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "#core/math/vec3";
import { normalize, toRadians } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { primitiveModel } from "#core/props/primitives";
import { standing } from "#core/props/transform";
import { ggxAlbedo } from "#core/trace/albedo";
import { developFilm } from "#core/trace/film";
import type { Lamp, TraceScene } from "#core/trace/scene";
import { seenByAll } from "#core/trace/scene";
import * as L from "#kernel/layout";
import { SIZE, emptyScene, lookAt, meanOf, meanRadiance, quadModel, withModels } from "../testing/render.ts";
import { renderScene } from "./renderScene.ts";

const BLACK: [number, number, number, number] = [0, 0, 0, 1];
const WHITE: [number, number, number, number] = [1, 1, 1, 1];

/** A square of two metres around the origin that faces up. */
const square = (material: Parameters<typeof quadModel>[3]) => quadModel([-1, -1, 0], [2, 0, 0], [0, 2, 0], material);

/** Seen from `degrees` off the vertical. */
const from = (degrees: number): Vec3 => [50 * Math.sin(toRadians(degrees)), 0, 50 * Math.cos(toRadians(degrees))];

const under = (eye: Vec3, sky: Vec3, models: Model[]): TraceScene =>
  withModels({ ...emptyScene(lookAt(eye, [0, 0, 0])), sky }, models);

describe("materials against closed forms", () => {
  test.each([0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1])(
    "white furnace: a metal of reflectance 1 and roughness %p returns all light, at 0, 50 and 75 degrees",
    async (roughness) => {
      // Energy conservation. What single scattering loses is given back (Turquin 2019).
      for (const degrees of [0, 50, 75]) {
        const scene = under(from(degrees), [1, 1, 1], [square({ baseColor: WHITE, metallic: 1, roughness })]);
        const mean = await meanRadiance(scene, 256);
        mean.forEach((v) => expect(Math.abs(v - 1)).toBeLessThan(0.005));
      }
    },
    60_000,
  );

  test("single scattering of GGX at roughness 1 is 1 - ln 2 at normal incidence", () => {
    // Heitz 2014, JCGT 3(2): height-correlated Smith masking, integrated by hand.
    const table = ggxAlbedo();
    expect(Math.abs(table[table.length - 1] - (1 - Math.LN2))).toBeLessThan(0.003);
  });

  test.each([
    // Reflectances at normal incidence as handbooks give them for water, crown glass and diamond.
    [1.333, 0.0204],
    [1.52, 0.0426],
    [2.417, 0.172],
  ])("Fresnel reflection of a smooth surface of index %p", async (index, normal) => {
    const material = { baseColor: BLACK, roughness: 0, specular: 1, index };
    for (const degrees of [0, 45, 70]) {
      // Fresnel's equations (Born and Wolf, Principles of Optics, section 1.5).
      const c = Math.cos(toRadians(degrees));
      const t = Math.sqrt(1 - (1 - c * c) / (index * index));
      const [s, p] = [(c - index * t) / (c + index * t), (t - index * c) / (t + index * c)];
      const mean = await meanRadiance(under(from(degrees), [1, 1, 1], [square(material)]), 512);
      expect(Math.abs(mean[0] / ((s * s + p * p) / 2) - 1)).toBeLessThan(0.03);
      if (degrees === 0) expect(Math.abs(mean[0] - normal)).toBeLessThan(0.002);
    }
  });

  /** A pane 10 cm thick, tilted about the y axis, with the sky behind it. */
  const pane = (material: object, degrees: number) => {
    const box = primitiveModel("box", [1, 1, 1], 0, 0);
    box.materials = [
      { ...box.materials[0], baseColor: WHITE, roughness: 0, transmission: 1, thin: false, specular: 1, ...material },
    ];
    const placement = { ...standing(), lean: [0, toRadians(degrees)] as [number, number], scale: [4, 4, 0.1] as Vec3 };
    return { model: box, placement };
  };

  test("Beer-Lambert: light through absorbing glass, with its reflections", async () => {
    // T = (1 - R)² exp(-a d) / (1 - R² exp(-2 a d)) of a plane-parallel plate (Born and Wolf).
    const absorption: Vec3 = [2, 7, 20];
    const scene = {
      ...emptyScene(lookAt([0, 0, 50], [0, 0, 0])),
      props: [
        pane({ absorption, index: 1.5 }, 0),
        {
          model: quadModel([-3, -3, -1], [6, 0, 0], [0, 6, 0], { baseColor: BLACK, emissive: [1, 1, 1] }),
          placement: standing(),
        },
      ],
    };
    const mean = await meanRadiance(scene, 1024, 12);
    absorption.forEach((a, k) => {
      const [r, e] = [0.04, Math.exp(-a * 0.1)];
      const expected = ((1 - r) ** 2 * e) / (1 - r * r * e * e);
      expect(Math.abs(mean[k] / expected - 1)).toBeLessThan(0.01);
    });
  });

  test("a ray through a tilted pane is shifted as Snell's law says", async () => {
    // Shift of a plane-parallel plate: d sin θ (1 - cos θ / sqrt(n² - sin² θ)) (Hecht, Optics, problem section on Snell).
    const [n, degrees] = [1.5, 40];
    const [s, c] = [Math.sin(toRadians(degrees)), Math.cos(toRadians(degrees))];
    const shift = 0.1 * s * (1 - c / Math.sqrt(n * n - s * s));
    const camera = lookAt([0, 0, 50], [0, 0, 0], 16 * 500);
    const edgeOf = async (props: TraceScene["props"]) => {
      const lit = quadModel([0, -3, -1], [6, 0, 0], [0, 6, 0], { baseColor: BLACK, emissive: [1, 1, 1] });
      const scene = { ...emptyScene(camera), props: [...props, { model: lit, placement: standing() }] };
      const film = await renderScene(scene, { width: 512, height: 8, seed: 1, maxDepth: 8 }, { samples: 64 });
      // Camera right is world +x or -x; brightness summed along the row tells where the edge is.
      // Ghosts by light that runs to and fro in the pane are weaker than half.
      let bright = 0;
      for (let f = 0; f < film.pixels.length; f += film.layout.stride) {
        if (film.pixels[f] > 0.45 * film.pixels[f + L.FILM_SAMPLES]) bright++;
      }
      return (bright / 8 / 512) * SIZE;
    };
    const [open, through] = [await edgeOf([]), await edgeOf([pane({ index: n }, degrees)])];
    const metres = (Math.abs(through - open) * 51) / camera.focalPx;
    // The edge is a metre behind the pane: perspective changes the shift by less than a tenth of a per cent.
    expect(Math.abs(metres / shift - 1)).toBeLessThan(0.02);
  });

  /** Reflectance and transmittance of a plate whose faces reflect `r` and that keeps `tint` of light on one way (Born and Wolf, section 1.6, without interference). */
  const plate = (r: number, tint: number) => {
    const through = ((1 - r) ** 2 * tint) / (1 - (r * tint) ** 2);
    return [r + r * tint * through, through];
  };

  test.each([
    // Both faces of a clear pane reflect: 2 R / (1 + R), 7.7 % for index 1.5 (window glass has 8 %: handbooks of glazing).
    [0, 1, 0.04],
    [0, 0.5, 0.04],
    // Fresnel's equations at 60 degrees for index 1.5: 17.7 % across and 0.2 % along the plane of incidence.
    [60, 1, 0.08925],
  ])("a thin pane at %p degrees with tint %p reflects and lets through as a plate does", async (degrees, tint, r) => {
    const glass = square({
      baseColor: [tint, tint, tint, 1],
      transmission: 1,
      thin: true,
      roughness: 0,
      specular: 1,
      index: 1.5,
    });
    const behind = quadModel([-200, -200, -1], [400, 0, 0], [0, 400, 0], { baseColor: BLACK, emissive: [1, 1, 1] });
    const black = { ...behind, materials: [{ ...behind.materials[0], emissive: [0, 0, 0] as Vec3 }] };
    const [reflected, through] = plate(r, tint);
    const seen = async (sky: number, model: Model) =>
      (await meanRadiance(under(from(degrees), [sky, sky, sky], [glass, model]), 1024))[0];
    expect(Math.abs((await seen(1, black)) / reflected - 1)).toBeLessThan(0.03);
    expect(Math.abs((await seen(0, behind)) / through - 1)).toBeLessThan(0.01);
    // A furnace: what a clear pane does not let through comes back.
    if (tint === 1) expect(Math.abs((await seen(1, behind)) - 1)).toBeLessThan(0.005);
  });

  test("a thin tinted pane throws a coloured shadow: its tint times what is not reflected", async () => {
    const glass = quadModel([-2, -2, 1], [4, 0, 0], [0, 4, 0], {
      baseColor: [0.9, 0.5, 0.2, 1],
      transmission: 1,
      thin: true,
      roughness: 0,
      specular: 1,
      index: 1.5,
    });
    // So dark that what goes to and fro between it and the pane does not matter.
    const ground = square({ baseColor: [0.02, 0.02, 0.02, 1], roughness: 1 });
    const sun = { direction: [0, 0, 1] as Vec3, irradiance: [2, 2, 2] as Vec3, angularRadius: 0.005 };
    const at = async (props: TraceScene["props"]) =>
      meanRadiance(
        {
          ...emptyScene(lookAt([0, 30, 8], [0, 0, 0])),
          sun,
          props: [{ model: ground, placement: standing() }, ...props],
        },
        64,
        3,
      );
    const open = await at([]);
    const below = await at([{ model: glass, placement: standing(), visibility: { ...seenByAll(), camera: false } }]);
    [0.9, 0.5, 0.2].forEach((tint, k) =>
      expect(Math.abs(below[k] / open[k] / plate(0.04, tint)[1] - 1)).toBeLessThan(0.005),
    );
  });
});

describe("layers of a material against their specifications", () => {
  test("a smooth clear coat over black reflects as Schlick's curve from 0.04 says", async () => {
    // KHR_materials_clearcoat: fresnel_coat(0.04, V·N).
    for (const degrees of [0, 60, 75]) {
      const material = { baseColor: BLACK, roughness: 1, coat: 1, coatRoughness: 0 };
      const mean = await meanRadiance(under(from(degrees), [1, 1, 1], [square(material)]), 256);
      const expected = 0.04 + 0.96 * (1 - Math.cos(toRadians(degrees))) ** 5;
      mean.forEach((v) => expect(Math.abs(v / expected - 1)).toBeLessThan(0.01));
    }
  });

  test.each([0, 60])(
    "a coat and what it leaves to white paint below make up all light, at %p degrees",
    async (degrees) => {
      // The same: the base is scaled by 1 - coat × fresnel_coat.
      const material = { baseColor: WHITE, roughness: 1, coat: 0.8, coatRoughness: 0 };
      const mean = await meanRadiance(under(from(degrees), [1, 1, 1], [square(material)]), 512);
      mean.forEach((v) => expect(Math.abs(v - 1)).toBeLessThan(0.01));
    },
  );

  /** Share of even light from all around that the sheen returns: distribution and visibility of KHR_materials_sheen. */
  function sheenAlbedo(roughness: number, degrees: number): number {
    const alpha = roughness ** 2;
    const view: Vec3 = [Math.sin(toRadians(degrees)), 0, Math.cos(toRadians(degrees))];
    const [rows, turns] = [400, 400];
    let sum = 0;
    for (let i = 0; i < rows; i++) {
      const z = (i + 0.5) / rows;
      for (let j = 0; j < turns; j++) {
        const a = ((j + 0.5) / turns) * 2 * Math.PI;
        const s = Math.sqrt(1 - z * z);
        const h = normalize([view[0] + s * Math.cos(a), s * Math.sin(a), view[2] + z]);
        const d = ((2 + 1 / alpha) * (1 - h[2] ** 2) ** (0.5 / alpha)) / (2 * Math.PI);
        sum += (d * z) / (4 * (z + view[2] - z * view[2]));
      }
    }
    return (sum / (rows * turns)) * 2 * Math.PI;
  }

  test.each([
    [0.5, 30],
    [0.5, 70],
    [0.9, 60],
  ])(
    "sheen of roughness %p at %p degrees: over black its own albedo, over white all light",
    async (roughness, degrees) => {
      const sheen = { roughness: 1, sheenColor: [1, 0.5, 0] as Vec3, sheenRoughness: roughness };
      const albedo = sheenAlbedo(roughness, degrees);
      const black = await meanRadiance(under(from(degrees), [1, 1, 1], [square({ baseColor: BLACK, ...sheen })]), 1024);
      [1, 0.5, 0].forEach((c, k) => expect(Math.abs(black[k] - c * albedo)).toBeLessThan(0.01 * albedo + 1e-6));
      // The base is scaled by 1 - max(sheenColor) × E, in all channels alike.
      const white = await meanRadiance(under(from(degrees), [1, 1, 1], [square({ baseColor: WHITE, ...sheen })]), 1024);
      [1, 0.5, 0].forEach((c, k) => expect(Math.abs(white[k] - (1 - (1 - c) * albedo))).toBeLessThan(0.01));
    },
  );

  test("a brushed metal spreads a light along its grain as the anisotropic distribution says", async () => {
    // KHR_materials_anisotropy: αt = mix(α, 1, strength²), αb = α; GGX and Smith's masking along each.
    const [roughness, strength, tilt] = [0.5, 0.6, toRadians(15)];
    const alphaB = roughness ** 2;
    const alphaT = alphaB + (1 - alphaB) * strength ** 2;
    const model = square({ baseColor: WHITE, metallic: 1, roughness, anisotropy: strength });
    model.meshes[0].uvs = new Float32Array([0, 0, 1, 0, 1, 1, 0, 1]);
    const seen = async (turn: number) => {
      const lamp: Lamp = {
        name: "lamp",
        kind: "disc",
        position: [
          20 * Math.sin(2 * tilt) * Math.cos(turn),
          20 * Math.sin(2 * tilt) * Math.sin(turn),
          20 * Math.cos(2 * tilt),
        ],
        facing: [-Math.sin(2 * tilt) * Math.cos(turn), -Math.sin(2 * tilt) * Math.sin(turn), -Math.cos(2 * tilt)],
        across: [-Math.sin(turn), Math.cos(turn), 0],
        size: [0.5, 0.5],
        radiance: [100, 100, 100],
      };
      const scene = withModels(emptyScene(lookAt([0, 0, 50], [0, 0, 0])), [model]);
      return (await meanRadiance({ ...scene, lamps: [lamp] }, 512, 1))[0];
    };
    const value = (turn: number) => {
      const [x, y] = [Math.cos(turn), Math.sin(turn)];
      const t = Math.tan(tilt);
      const d = 1 / (Math.cos(tilt) ** 4 * (1 + t * t * ((x / alphaT) ** 2 + (y / alphaB) ** 2)) ** 2);
      const masking = Math.sqrt(1 + Math.tan(2 * tilt) ** 2 * ((alphaT * x) ** 2 + (alphaB * y) ** 2));
      return d / (1 + masking);
    };
    const along = await seen(0);
    for (const turn of [45, 90].map(toRadians)) {
      expect(Math.abs((await seen(turn)) / along / (value(turn) / value(0)) - 1)).toBeLessThan(0.02);
    }
  });
});

describe("lamps against closed forms", () => {
  const matt = square({ baseColor: [0.5, 0.5, 0.5, 1], roughness: 1 });
  const lit = async (lamp: Partial<Lamp>) => {
    const whole: Lamp = {
      name: "lamp",
      kind: "disc",
      position: [0, 0, 1.2],
      facing: [0, 0, -1],
      across: [1, 0, 0],
      size: [1, 1],
      radiance: [3, 2, 1],
      ...lamp,
    };
    const mean = await meanRadiance(
      {
        ...emptyScene(lookAt([0, 20, 9], [0, 0, 0], 40000)),
        ...withModels(emptyScene(lookAt([0, 20, 9], [0, 0, 0], 40000)), [matt]),
        lamps: [whole],
      },
      512,
      2,
    );
    return (mean[0] / 0.5) * Math.PI;
  };

  test("irradiance below the middle of a rectangle", async () => {
    // Four corners of Hamilton and Morgan 1952, NACA TN 2836.
    const [x, y] = [0.75 / 1.2, 0.4 / 1.2];
    const [rx, ry] = [Math.sqrt(1 + x * x), Math.sqrt(1 + y * y)];
    const factor = (4 * ((x / rx) * Math.atan(y / rx) + (y / ry) * Math.atan(x / ry))) / (2 * Math.PI);
    expect((await lit({ kind: "rectangle", size: [1.5, 0.8] })) / (3 * Math.PI * factor)).toBeCloseTo(1, 2);
  });

  test("irradiance below a disc and a sphere", async () => {
    // A round source whose border is seen α off the normal gives ∫ L cos θ dω = π L sin²α: for a disc sin²α is
    // r² / (r² + h²), for a sphere (r / d)².
    expect((await lit({ kind: "disc", size: [1, 1] })) / (3 * Math.PI * (0.25 / (0.25 + 1.44)))).toBeCloseTo(1, 2);
    expect((await lit({ kind: "sphere", size: [1, 1] })) / (3 * Math.PI * (0.25 / 1.44))).toBeCloseTo(1, 2);
  });

  test("a small spot on its axis follows the inverse square of the distance, and is dark outside its cone", async () => {
    const cone = { inner: 0.3, outer: 0.4 };
    const near = await lit({ kind: "spot", size: [0.02, 0.02], cone });
    const far = await lit({ kind: "spot", size: [0.02, 0.02], cone, position: [0, 0, 2.4] });
    expect(near / far).toBeCloseTo(4, 1);
    expect(await lit({ kind: "spot", size: [0.02, 0.02], cone, facing: normalize([1, 0, -1]) })).toBe(0);
  });

  test.each([3, 11])("%p lamps and a shining prop give what each of them gives alone", async (count) => {
    // Light adds up. A few lamps are all drawn at what the camera sees, of many one is; a glossy ground finds them as well.
    const ground = square({ baseColor: [0.5, 0.5, 0.5, 1], roughness: 0.35, specular: 1 });
    const shining = quadModel([-0.9, 0.8, 0.1], [0.4, 0, 0], [0, 0, 0.4], { baseColor: BLACK, emissive: [4, 3, 2] });
    const kinds = ["rectangle", "disc", "sphere"] as const;
    const lamps = Array.from({ length: count }, (_, i): Lamp => {
      const angle = (2 * Math.PI * i) / count;
      return {
        name: `lamp ${i}`,
        kind: kinds[i % 3],
        position: [Math.cos(angle), Math.sin(angle), 0.5 + 0.1 * i],
        facing: normalize([-Math.cos(angle), -Math.sin(angle), -0.8]),
        across: [0, 0, 1].map((v, k) => v - [Math.sin(angle), -Math.cos(angle), 0][k]) as Vec3,
        size: [0.2 + 0.03 * i, 0.3],
        radiance: [1 + i, 2, 3 - 0.2 * i],
      };
    });
    const eye = lookAt([0, -20, 9], [0, 0, 0], 500);
    const mean = (models: Model[], some: Lamp[]) =>
      meanRadiance({ ...withModels(emptyScene(eye), models), lamps: some }, 256, 2);
    const together = await mean([ground, shining], lamps);
    const sum = await mean([ground, shining], []);
    const none = quadModel([-0.9, 0.8, 0.1], [0.4, 0, 0], [0, 0, 0.4], { baseColor: BLACK });
    for (const lamp of lamps) (await mean([ground, none], [lamp])).forEach((v, k) => (sum[k] += v));
    together.forEach((v, k) => expect(Math.abs(v / sum[k] - 1)).toBeLessThan(0.01));
  });

  test.each([
    // Unit squares a unit apart, and sharing an edge at right angles: 0.1998 and 0.2000 (Howell's catalogue C-11, C-14).
    ["facing", 0.1998, quadModel([-0.5, -0.5, 1], [0, 1, 0], [1, 0, 0], { baseColor: BLACK, emissive: [1, 1, 1] })],
    [
      "perpendicular",
      0.20004,
      quadModel([-0.5, -0.5, 0], [0, 1, 0], [0, 0, 1], { baseColor: BLACK, emissive: [1, 1, 1] }),
    ],
  ])("configuration factor of %s squares", async (_, factor, shining) => {
    // The camera sees just the receiving square, evenly, through the lamp.
    const receiver = quadModel([-0.5, -0.5, 0], [1, 0, 0], [0, 1, 0], { baseColor: [0.5, 0.5, 0.5, 1], roughness: 1 });
    const scene: TraceScene = {
      ...emptyScene(lookAt([0, 0, 60], [0, 0, 0], 60 * SIZE)),
      props: [
        { model: receiver, placement: standing() },
        { model: shining, placement: standing(), visibility: { ...seenByAll(), camera: false } },
      ],
    };
    const mean = await meanRadiance(scene, 1024, 2);
    expect(Math.abs(mean[0] / 0.5 / factor - 1)).toBeLessThan(0.01);
  });

  test("irradiance from an environment equals numeric integration over its pixels", async () => {
    const [width, height] = [64, 32];
    const pixels = new Float32Array(width * height * 3);
    let irradiance = 0;
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const value = 0.2 + (x === 40 && y === 6 ? 60 : 0) + 0.5 * Math.sin((x / width) * 2 * Math.PI) ** 2;
        pixels.fill(value, (y * width + x) * 3, (y * width + x) * 3 + 3);
        // ∫ cos θ sin θ dθ over the row, times the column's width.
        const [a, b] = [(y / height) * Math.PI, ((y + 1) / height) * Math.PI];
        if (b <= Math.PI / 2 + 1e-9)
          irradiance += (value * (Math.sin(b) ** 2 - Math.sin(a) ** 2) * 0.5 * 2 * Math.PI) / width;
      }
    }
    const scene = { ...under([0, 30, 12], [0, 0, 0], [matt]), environment: { width, height, pixels } };
    const mean = await meanRadiance(scene, 1024, 2);
    // Pixels are interpolated, so the horizon's row leaks a little.
    expect(Math.abs(mean[0] / ((0.5 / Math.PI) * irradiance) - 1)).toBeLessThan(0.02);
  });
});

describe("sampling", () => {
  test("the squared error falls faster than that of random numbers", async () => {
    // Owen 1997: the variance of scrambled nets falls nearly as n^-3 for smooth integrands; random numbers give n^-1.
    const lamp: Lamp = {
      name: "l",
      kind: "rectangle",
      position: [0, 0, 1],
      facing: [0, 0, -1],
      across: [1, 0, 0],
      size: [1, 1],
      radiance: [1, 1, 1],
    };
    const scene = { ...under([0, 30, 12], [0, 0, 0], [square({ baseColor: WHITE, roughness: 1 })]), lamps: [lamp] };
    const variance = async (samples: number) => {
      const film = await renderScene(scene, { width: SIZE, height: SIZE, seed: 5, maxDepth: 2 }, { samples });
      const values: number[] = [];
      for (let f = 0; f < film.pixels.length; f += film.layout.stride) values.push(film.pixels[f] / samples);
      const mean = values.reduce((a, b) => a + b) / values.length;
      return values.reduce((s, v) => s + (v - mean) ** 2, 0) / values.length;
    };
    expect((await variance(4)) / (await variance(256))).toBeGreaterThan(1.25 * 64);
  });

  test("Russian roulette keeps the mean: a closed box with and without it", async () => {
    const box = primitiveModel("box", [0, 0, 0], 1, 0);
    box.materials = [{ ...box.materials[0], baseColor: [0.7, 0.7, 0.7, 1], emissive: [0.3, 0.3, 0.3], specular: 0 }];
    const scene = withModels(emptyScene(lookAt([0.1, 0.05, 0.5], [0.5, 0.2, 0.4], 20)), [box]);
    const mean = await meanRadiance(scene, 1024, 60);
    // e / (1 - r), energy balance of an enclosure.
    expect(Math.abs(mean[0] - 1)).toBeLessThan(0.01);
  });
});

describe("camera", () => {
  test("motion blur: coverage is the share of the time that a pixel is covered", async () => {
    // A square a metre wide moves three metres: a point of the way is covered for a third of the time, less at its ends.
    const quad = quadModel([-0.5, -0.5, 0], [1, 0, 0], [0, 1, 0], { baseColor: WHITE });
    const camera = lookAt([0, 0, 40], [0, 0, 0], (40 * SIZE) / 8);
    const scene: TraceScene = {
      ...emptyScene(camera),
      picture: false,
      plate: { width: SIZE, height: SIZE, pixels: new Float32Array(SIZE * SIZE * 3).fill(0.2) },
      props: [{ model: quad, placement: standing([-1.5, 0, 0]), end: standing([1.5, 0, 0]) }],
    };
    const film = await renderScene(scene, { width: 128, height: 128, seed: 2, maxDepth: 2 }, { samples: 256 });
    const { prop } = developFilm(film.pixels, 128, 128, film.layout);
    const right = Math.sign(camera.rotation[0][0]);
    for (const x of [-1.75, -1.25, 0, 0.6, 1.5, 1.9]) {
      const covered = Math.max(0, Math.min(1.5, x + 0.5) - Math.max(-1.5, x - 0.5)) / 3;
      const column = Math.floor(64 + right * x * 16);
      const across = (column + 0.5 - 64) / 16 / right;
      const exact = Math.max(0, Math.min(1.5, across + 0.5) - Math.max(-1.5, across - 0.5)) / 3;
      expect(Math.abs(covered - exact)).toBeLessThan(0.02);
      expect(Math.abs(prop[(64 * 128 + column) * 4 + 3] - exact)).toBeLessThan(0.012);
    }
  });

  test("an edge out of focus is as soft as the thin lens makes it", async () => {
    // Blur circle in the picture: aperture × focal length × |1/d - 1/focus| (thin-lens geometry). An edge is spread over it.
    const half = quadModel([0, -5, 0], [5, 0, 0], [0, 10, 0], { baseColor: BLACK, emissive: [1, 1, 1] });
    const camera = lookAt([0, 0, 10], [0, 0, 0], 200);
    const scene: TraceScene = {
      ...under([0, 0, 10], [0, 0, 0], [half]),
      camera,
      aperture: { radius: 0.1, focus: 5, blades: 0, turn: 0 },
    };
    const film = await renderScene(scene, { width: 512, height: 8, seed: 2, maxDepth: 2 }, { samples: 1024 });
    const column = (x: number) => {
      let sum = 0;
      for (let y = 0; y < 8; y++) sum += film.pixels[(y * 512 + x) * film.layout.stride] / 1024 / 8;
      return sum;
    };
    const diameter = ((0.2 * 200 * Math.abs(1 / 10 - 1 / 5)) / SIZE) * 512;
    const profile = (t: number) =>
      Math.abs(t) >= 1 ? (t > 0 ? 1 : 0) : 0.5 + (Math.asin(t) + t * Math.sqrt(1 - t * t)) / Math.PI;
    const right = camera.rotation[0][0] > 0 ? 1 : -1;
    for (const part of [-0.8, -0.4, 0, 0.3, 0.7]) {
      const x = Math.round(256 + right * part * (diameter / 2));
      expect(Math.abs(column(x) - profile((right * (x + 0.5 - 256)) / (diameter / 2)))).toBeLessThan(0.02);
    }
  });

  test("penumbra below an edge is the part of the sun's disc that it leaves", async () => {
    // Area of a circular segment; the whole width is 2 h tan(radius).
    const [h, radius] = [2, toRadians(3)];
    const roof = quadModel([0, -9, h], [9, 0, 0], [0, 18, 0], { baseColor: BLACK });
    const ground = quadModel([-9, -9, 0], [18, 0, 0], [0, 18, 0], { baseColor: WHITE, roughness: 1 });
    const camera = lookAt([0, 0, 40], [0, 0, 0], (40 * SIZE) / 1);
    const scene: TraceScene = {
      ...emptyScene(camera),
      sun: { direction: [0, 0, 1], irradiance: [Math.PI, Math.PI, Math.PI], angularRadius: radius },
      props: [
        { model: ground, placement: standing() },
        { model: roof, placement: standing(), visibility: { ...seenByAll(), camera: false } },
      ],
    };
    const film = await renderScene(scene, { width: 256, height: 8, seed: 2, maxDepth: 2 }, { samples: 512 });
    const right = camera.rotation[0][0] > 0 ? 1 : -1;
    for (const column of [100, 112, 120, 128, 137, 146, 156]) {
      let sum = 0;
      for (let y = 0; y < 8; y++) sum += film.pixels[(y * 256 + column) * film.layout.stride] / 512 / 8;
      const x = (right * (column + 0.5 - 128)) / 256;
      const t = Math.max(-1, Math.min(1, x / (h * Math.tan(radius))));
      expect(Math.abs(sum - (Math.acos(t) - t * Math.sqrt(1 - t * t)) / Math.PI)).toBeLessThan(0.015);
    }
  });

  test("cut-out textures let through what their alpha says, to the eye and to light", async () => {
    const texels = new Uint8Array(64 * 64 * 4).fill(255);
    for (let y = 0; y < 64; y++) for (let x = 0; x < 64; x++) texels[(y * 64 + x) * 4 + 3] = x < 16 ? 255 : 0;
    for (const alpha of ["mask", "blend"] as const) {
      const leaf = quadModel([-1, -1, 1], [2, 0, 0], [0, 2, 0], {
        baseColor: BLACK,
        alpha,
        alphaCutoff: 0.5,
        baseTexture: 0,
      });
      leaf.meshes[0].uvs = new Float32Array([0, 0, 8, 0, 8, 8, 0, 8]);
      leaf.textures = [{ width: 64, height: 64, texels }];
      const scene: TraceScene = {
        ...emptyScene(lookAt([0, 0, 40], [0, 0, 0], 16 * 39)),
        picture: false,
        plate: { width: SIZE, height: SIZE, pixels: new Float32Array(SIZE * SIZE * 3).fill(0.2) },
        props: [{ model: leaf, placement: standing() }],
      };
      const film = await renderScene(scene, { width: 64, height: 64, seed: 2, maxDepth: 2 }, { samples: 64 });
      let covered = 0;
      for (let y = 24; y < 40; y++)
        for (let x = 24; x < 40; x++)
          covered += film.pixels[(y * 64 + x) * film.layout.stride + L.FILM_ALPHA] / 64 / 256;
      expect(Math.abs(covered - 0.25)).toBeLessThan(0.03);
      const ground = square({ baseColor: WHITE, roughness: 1 });
      const sun = {
        direction: [0, 0, 1] as Vec3,
        irradiance: [Math.PI, Math.PI, Math.PI] as Vec3,
        angularRadius: 0.005,
      };
      const lit: TraceScene = {
        ...emptyScene(lookAt([0, 20, 20], [0, 0, 0], 400)),
        sun,
        props: [
          { model: ground, placement: standing() },
          { model: leaf, placement: standing(), visibility: { ...seenByAll(), camera: false } },
        ],
      };
      expect(
        Math.abs(
          meanOf(await renderScene(lit, { width: 64, height: 64, seed: 1, maxDepth: 2 }, { samples: 64 }))[0] - 0.75,
        ),
      ).toBeLessThan(0.03);
    }
  });
});
