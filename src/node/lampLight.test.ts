import { expect, test } from "@jest/globals";
import { profileOf, readIes } from "#core/light/ies";
import { LAMP_NAMES } from "#core/light/lamps";
import { levelOfLumens, luxAhead } from "#core/light/photometry";
import { lampsOf } from "#core/light/rig";
import type { ShotLamp } from "#core/light/schema";
import { newLamp } from "#core/light/schema";
import type { Vec3 } from "#core/math/vec3";
import { normalize, sub } from "#core/math/vec3";
import { emptyScene, lookAt, meanRadiance, quadModel, withModels } from "../testing/render.ts";
import { testShot } from "../testing/shots.ts";

const WHITE_CD = 250;
const lit = (lamp: ShotLamp) => {
  const shot = testShot(64, 48);
  shot.light.lamps = { [lamp.id]: lamp };
  return lampsOf(shot);
};

/** Lux that a lamp brings to a small white square at a place, which faces a direction. */
async function luxAt(lamp: ShotLamp, place: Vec3, facing: Vec3): Promise<number> {
  const n = normalize(facing);
  const u: Vec3 = Math.abs(n[2]) > 0.9 ? [1, 0, 0] : normalize([n[1], -n[0], 0]);
  const v: Vec3 = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
  const corner = place.map((p, k) => p - 0.01 * (u[k] + v[k])) as Vec3;
  const scaled = (a: Vec3) => a.map((x) => 0.02 * x) as Vec3;
  const material = { baseColor: [1, 1, 1, 1] as [number, number, number, number], roughness: 1 };
  const eye = place.map((p, k) => p + 0.3 * n[k] + 0.12 * u[k]) as Vec3;
  const scene = withModels(emptyScene(lookAt(eye, place, 8000)), [quadModel(corner, scaled(u), scaled(v), material)]);
  const radiance = await meanRadiance({ ...scene, lamps: lit(lamp) }, 64, 2);
  return radiance[1] * Math.PI * WHITE_CD;
}

test.each(LAMP_NAMES)("a lamp of kind %s brings the lux ahead that it is said to", async (kind) => {
  const lamp = { ...newLamp("a", kind, [0, 0, 1.5]), colour: [1, 1, 1] as Vec3, level: 6 };
  const measured = await luxAt(lamp, [0, 0, 0.5], [0, 0, 1]);
  expect(Math.abs(measured / luxAhead(lamp, 1, WHITE_CD) - 1)).toBeLessThan(0.01);
});

test("a photometric lamp of so many lumens brings its file's candelas over the distance squared, in every direction", async () => {
  // A luminaire that throws to one side: what the file says at (down, around) is what arrives there.
  const vertical = Array.from({ length: 19 }, (_, i) => i * 10);
  const horizontal = Array.from({ length: 13 }, (_, i) => i * 30);
  const cd = (down: number, around: number) =>
    Math.max(0, Math.cos((down * Math.PI) / 300)) *
    (200 + 150 * Math.cos((around * Math.PI) / 180) * Math.sin((down * Math.PI) / 180));
  const text = [
    "IESNA:LM-63-1995",
    "TILT=NONE",
    `1 -1 1 ${vertical.length} ${horizontal.length} 1 2 0 0 0`,
    "1 1 20",
    vertical.join(" "),
    horizontal.join(" "),
    ...horizontal.map((a) => vertical.map((d) => cd(d, a).toFixed(4)).join(" ")),
  ].join("\n");
  const profile = profileOf(readIes(Uint8Array.from(Buffer.from(text))));
  const at: Vec3 = [0.3, -0.2, 2];
  const lamp: ShotLamp = { ...newLamp("a", "photometric", at), colour: [1, 1, 1], profile, size: [0.05, 0.05] };
  lamp.level = levelOfLumens(lamp, profile.lumens, WHITE_CD);
  for (const [down, around] of [
    [0, 0],
    [40, 0],
    [40, 90],
    [60, 180],
    [70, 270],
    [120, 30],
  ]) {
    const [d, a] = [down, around].map((x) => (x * Math.PI) / 180);
    // The lamp points down: its width lies along +X, and angles around go from there over its height, which is −Y then.
    const way: Vec3 = [Math.sin(d) * Math.cos(a), -Math.sin(d) * Math.sin(a), -Math.cos(d)];
    const place = at.map((x, k) => x + 1.5 * way[k]) as Vec3;
    const lux = await luxAt(lamp, place, sub(at, place));
    expect(Math.abs(lux / (cd(down, around) / 2.25) - 1)).toBeLessThan(0.015);
  }
});
