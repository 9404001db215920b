import { describe, expect, test } from "@jest/globals";
import type { Vec3 } from "../math/vec3.ts";
import { add, cross, distance, dot, normalize, scale, sub } from "../math/vec3.ts";
import { candelaAt, profileOf, readIes } from "./ies.ts";
import { LAMP_NAMES } from "./lamps.ts";
import {
  exposureValue,
  fluxOverRadiance,
  levelOfLumens,
  levelOfLux,
  lumensOf,
  luxAhead,
  daylightOfExposure,
  whiteOfExposure,
} from "./photometry.ts";
import { balancedColour, kelvinColour, whiteOfNeutral } from "./kelvin.ts";
import { facingTo, hungOn, placeOfHighlight, placeOfShadow, windowAcross, withinSet } from "./placing.ts";
import { acrossOf } from "./rig.ts";
import { newLamp } from "./schema.ts";
import { makePart } from "../set/parts/make.ts";
import { typedVertex } from "../set/vertex.ts";

const bytes = (text: string) => Uint8Array.from(Buffer.from(text, "latin1"));

/** A photometric file of candelas by horizontal, then vertical angles. */
const ies = (vertical: number[], horizontal: number[], candela: number[][], over = "1 1000 1") =>
  bytes(
    [
      "IESNA:LM-63-2002",
      "[TEST] made up",
      "[LUMINAIRE] Quay lantern, made up",
      "TILT=NONE",
      `${over} ${vertical.length} ${horizontal.length} 1 2 0.2 0.3 0`,
      "1 1 40",
      vertical.join(" "),
      horizontal.join(" "),
      ...candela.map((row) => row.join(" ")),
    ].join("\r\n"),
  );

const DOWN = Array.from({ length: 37 }, (_, i) => i * 5);
const cosine = (d: number) => Math.max(0, Math.cos((d * Math.PI) / 180));

describe("photometric files", () => {
  test("candelas at the file's angles are its own, between them they are mixed", () => {
    const file = readIes(ies([0, 30, 60, 90], [0], [[800, 600, 200, 0]]));
    expect(file.name).toBe("Quay lantern, made up");
    expect(file.opening).toEqual([0.2, 0.3, 0]);
    for (const [angle, cd] of [
      [0, 800],
      [30, 600],
      [45, 400],
      [60, 200],
      [90, 0],
      [120, 0],
    ])
      expect(candelaAt(file, angle, 77)).toBeCloseTo(cd, 9);
  });

  test("multiplier, ballast and feet count", () => {
    const text = "IESNA91\nTILT=NONE\n1 -1 2.5 2 1 1 1 0.5 0.5 0.5\n0.9 1 20\n0 90\n0\n100 40\n";
    const file = readIes(bytes(text));
    expect(file.candela[0][0]).toBeCloseTo(225, 9);
    expect(file.opening[0]).toBeCloseTo(0.1524, 9);
  });

  test.each([
    // What LM-63 leaves out by symmetry: quarters, halves about 0°, halves about 90°.
    [
      [0, 90],
      [
        [10, 20],
        [10, 20],
        [10, 20],
        [10, 20],
      ],
    ],
    [
      [0, 90, 180],
      [
        [10, 20],
        [30, 20],
      ],
    ],
    [
      [90, 180, 270],
      [
        [20, 10],
        [20, 30],
      ],
    ],
  ])("a file of %j is the same on the sides that it leaves out", (horizontal) => {
    const rows = horizontal.map((_, i) => [10 + 10 * i, 5 + 10 * i]);
    const file = readIes(ies([0, 90], horizontal, rows));
    const half = horizontal[0] === 90 ? (a: number) => 180 - a : (a: number) => -a;
    for (const a of [20, 100, 170, 250, 310])
      expect(candelaAt(file, 40, a)).toBeCloseTo(candelaAt(file, 40, half(a)), 9);
    if (horizontal.length === 2) expect(candelaAt(file, 40, 60)).toBeCloseTo(candelaAt(file, 40, 120), 9);
  });

  test("a lamp of a cosine sends out π lumens a candela, and its profile is four cosines", () => {
    // Lambert: the flux of I0 cos θ is π I0; the mean of cos θ over the sphere, dark above, is 1/4.
    const profile = profileOf(readIes(ies(DOWN, [0], [DOWN.map((d) => 100 * cosine(d))])));
    expect(Math.abs(profile.lumens / (100 * Math.PI) - 1)).toBeLessThan(0.002);
    for (const d of [0, 20, 45, 70, 100]) expect(profile.values[d]).toBeCloseTo(4 * cosine(d), 1);
  });

  test.each([
    ["a note", "hello, is this a lamp?", "no line TILT="],
    ["another file's tilt", "IESNA\nTILT=lamp.tlt\n1 1 1 1 1 1 1 0 0 0\n", "another file for its tilt"],
    ["type B", "IESNA\nTILT=NONE\n1 1 1 2 1 2 1 0 0 0\n1 1 1\n0 90\n0\n1 1\n", "type A or B"],
    ["a billion angles", "IESNA\nTILT=NONE\n1 1 1 1e9 1 1 1 0 0 0\n", "1000000000 vertical angles"],
    ["angles that go back", "IESNA\nTILT=NONE\n1 1 1 2 1 1 1 0 0 0\n1 1 1\n90 0\n0\n1 1\n", "do not go up"],
    ["a cut file", "IESNA\nTILT=NONE\n1 1 1 3 1 1 1 0 0 0\n1 1 1\n0 45 90\n0\n1 1\n", "its candelas is missing"],
  ])("%s is refused with a sentence", (_what, text, sentence) => {
    expect(() => readIes(bytes(text))).toThrow(sentence);
  });
});

describe("photometry", () => {
  test("the exposure tells the plate's white: sunny sixteen sees a sunlit white wall", () => {
    // 78 N² / (0.65 S t) of ISO 12232; the rule of f/16 and 1/ISO is common practice, no published source.
    const sunny = { seconds: 1 / 125, aperture: 16, iso: 125 };
    expect(whiteOfExposure(sunny)).toBeCloseTo((78 * 256) / 0.65, 6);
    // 100 klx on white of Lambert: 31 800 cd/m².
    expect(Math.abs(whiteOfExposure(sunny) / (100_000 / Math.PI) - 1)).toBeLessThan(0.05);
    expect(exposureValue(sunny)).toBeCloseTo(14.64, 1);
  });

  test("daylight by the exposure: sunny sixteen shows a white wall in the sun near white, an overcast day at its own exposure", () => {
    const sun: Vec3 = [0, -Math.cos(Math.PI / 3), Math.sin(Math.PI / 3)];
    const whiteCd = whiteOfExposure({ seconds: 1 / 125, aperture: 16, iso: 125 });
    const clear = daylightOfExposure(2.5, sun, { whiteCd, whiteKelvin: null, overcast: false });
    const lit = 0.2126 * clear.sun[0] + 0.7152 * clear.sun[1] + 0.0722 * clear.sun[2];
    // Within half a stop: the rule is common practice, no published source.
    expect(Math.abs(Math.log2((0.9 * lit) / Math.PI))).toBeLessThan(0.5);
    // Three stops more for heavy overcast (the same rule: f/5.6), the ground then as a grey card or brighter.
    const wide = whiteOfExposure({ seconds: 1 / 125, aperture: 5.6, iso: 125 });
    const dull = daylightOfExposure(2.5, sun, { whiteCd: wide, whiteKelvin: 6500, overcast: true });
    expect(dull.sun).toEqual([0, 0, 0]);
    expect(Math.abs(Math.log2(dull.sky[1]))).toBeLessThan(1.5);
  });

  test("a light of the temperature that the plate is balanced for is neutral on it, a warmer one is warm", () => {
    balancedColour(5600, 5600).forEach((c) => expect(c).toBeCloseTo(1, 6));
    const [r, , b] = balancedColour(3200, 5600);
    expect(r / b).toBeGreaterThan(1.8);
    expect(balancedColour(5000, null)).toEqual(kelvinColour(5000));
    const [red, , blue] = balancedColour(5600, 3200);
    expect((r / b) * (red / blue)).toBeCloseTo(1, 6);
  });

  test("a grey thing under a known light tells what the plate was balanced for, by the illuminants' own white points", () => {
    // CIE 15: chromaticities of illuminants A, D50 and D65, here as linear sRGB by the matrix of IEC 61966-2-1.
    const linear = ([x, y]: [number, number]): Vec3 => {
      const [X, Z] = [x / y, (1 - x - y) / y];
      return [3.2406 * X - 1.5372 - 0.4986 * Z, -0.9689 * X + 1.8758 + 0.0415 * Z, 0.0557 * X - 0.204 + 1.057 * Z];
    };
    const [a, d50, d65] = [linear([0.44758, 0.40745]), linear([0.34567, 0.3585]), linear([0.31271, 0.32902])];
    const seen = (light: Vec3, white: Vec3) => light.map((c, k) => (0.18 * c) / white[k]) as Vec3;
    for (const [light, kelvin] of [
      [a, 2856],
      [d50, 5003],
      [d65, 6504],
    ] as const)
      for (const [white, wanted] of [
        [a, 2856],
        [d50, 5003],
        [d65, 6504],
      ] as const)
        expect(Math.abs(whiteOfNeutral(seen(light, white), kelvin)! / wanted - 1)).toBeLessThan(0.015);
    expect(whiteOfNeutral([0.9, 0.3, 0.02], 9000)).toBeNull();
    expect(whiteOfNeutral([0, 0.2, 0.2], 5000)).toBeNull();
  });

  test("lumens and lux of every kind go there and back", () => {
    for (const kind of LAMP_NAMES) {
      const lamp = newLamp("a", kind, [0, 0, 2]);
      expect(lumensOf({ ...lamp, level: levelOfLumens(lamp, 800, 250) }, 250)).toBeCloseTo(800, 6);
      expect(luxAhead({ ...lamp, level: levelOfLux(lamp, 120, 1, 250) }, 1, 250)).toBeCloseTo(120, 6);
    }
  });

  test("flux in closed form: Lambert's disc, the sphere, and a spot's cone", () => {
    const disc = { ...newLamp("a", "disc", [0, 0, 0]), size: [0.4, 0.4] as [number, number] };
    expect(fluxOverRadiance(disc)).toBeCloseTo(Math.PI * Math.PI * 0.04, 9);
    const sphere = { ...newLamp("a", "sphere", [0, 0, 0]), size: [0.4, 0.4] as [number, number] };
    expect(fluxOverRadiance(sphere)).toBeCloseTo(4 * Math.PI * Math.PI * 0.04, 9);
    // A cone with a hard edge at α: area times π sin² α.
    const spot = { ...newLamp("a", "spot", [0, 0, 0]), size: [0.4, 0.4] as [number, number] };
    const hard = { ...spot, cone: { innerDeg: 40, outerDeg: 40.001 } };
    expect(fluxOverRadiance(hard) / (Math.PI * 0.04 * Math.PI * Math.sin((40 * Math.PI) / 180) ** 2)).toBeCloseTo(1, 3);
  });

  test("lux ahead: all of the radiance up close, intensity over distance squared far away", () => {
    for (const kind of ["rectangle", "disc", "line"] as const) {
      const lamp = { ...newLamp("a", kind, [0, 0, 0]), colour: [1, 1, 1] as Vec3, level: 1 };
      expect(luxAhead(lamp, 1e-6, 100) / (Math.PI * 100)).toBeCloseTo(1, 4);
      // Lambert: the intensity ahead is the flux over π.
      expect((luxAhead(lamp, 100, 100) * 1e4) / (lumensOf(lamp, 100) / Math.PI)).toBeCloseTo(1, 3);
    }
  });
});

describe("lamps by what is seen of them", () => {
  const eye: Vec3 = [0, -4, 1.6];

  test("a highlight: eye, point and lamp obey the law of reflection", () => {
    const point: Vec3 = [0.4, 1, 0.5];
    const normal = normalize([0.2, -0.7, 0.6]);
    const lamp: Vec3 = [2, 3, 4];
    const place = placeOfHighlight(eye, point, normal, lamp)!;
    expect(distance(place, point)).toBeCloseTo(distance(lamp, point), 9);
    const half = normalize(
      [0, 1, 2].map((k) => normalize(sub(eye, point))[k] + normalize(sub(place, point))[k]) as Vec3,
    );
    expect(dot(half, normal)).toBeCloseTo(1, 9);
    expect(placeOfHighlight(eye, point, [0, 1, 0], lamp)).toBeNull();
  });

  test("a shadow: lamp, thrower and shadow lie on one line, the lamp as far away as before, and it faces the thrower", () => {
    const [thrower, shadow, lamp]: Vec3[] = [
      [0, 2, 1],
      [0.8, 2.6, 0],
      [3, 0, 3],
    ];
    const place = placeOfShadow(thrower, shadow, lamp)!;
    expect(dot(normalize(sub(place, thrower)), normalize(sub(thrower, shadow)))).toBeCloseTo(1, 9);
    expect(distance(place, thrower)).toBeCloseTo(distance(lamp, thrower), 9);
    const { azimuthDeg, tiltDeg } = facingTo(place, thrower);
    const [a, t] = [azimuthDeg, tiltDeg].map((d) => (d * Math.PI) / 180);
    const way: Vec3 = [Math.cos(t) * Math.sin(a), Math.cos(t) * Math.cos(a), Math.sin(t)];
    expect(dot(way, normalize(sub(thrower, place)))).toBeCloseTo(1, 6);
    expect(placeOfShadow(thrower, thrower, lamp)).toBeNull();
  });

  /** The corners at which a rectangle lamp is traced. */
  const corners = (lamp: NonNullable<ReturnType<typeof windowAcross>>): Vec3[] => {
    const facing = facingOf(lamp);
    const across = acrossOf(lamp, facing);
    const up = cross(facing, across);
    return [-1, 1].flatMap((i) =>
      [-1, 1].map((j) =>
        add(lamp.position, add(scale(across, (i * lamp.size[0]) / 2), scale(up, (j * lamp.size[1]) / 2))),
      ),
    );
  };
  const facingOf = (lamp: { azimuthDeg: number; tiltDeg: number }): Vec3 => {
    const [a, t] = [lamp.azimuthDeg, lamp.tiltDeg].map((d) => (d * Math.PI) / 180);
    return [Math.cos(t) * Math.sin(a), Math.cos(t) * Math.cos(a), Math.sin(t)];
  };

  test.each([
    ["an upright wall", [0.6, -0.8, 0], [-0.8, -0.6, 0], [0, 0, 1]],
    ["a sloping roof", [0, -0.6, -0.8], [1, 0, 0], [0, -0.8, 0.6]],
    ["a ceiling", [0, 0, -1], [1, 0, 0], [0, 1, 0]],
  ] as [string, Vec3, Vec3, Vec3][])("a window on %s is filled from corner to corner", (_, normal, level, up) => {
    const a: Vec3 = [1, 2, 0.9];
    const b = add(a, add(scale(level, 1.3), scale(up, -0.7)));
    const lamp = windowAcross(a, b, normal)!;
    expect(dot(facingOf(lamp), normal)).toBeCloseTo(1, 6);
    expect([...lamp.size].map((x) => Number(x.toFixed(4)))).toEqual([1.3, 0.7]);
    // A centimetre off the wall, which the lamp would otherwise lie in.
    const found = corners(lamp);
    for (const corner of [a, b, add(a, scale(level, 1.3)), add(a, scale(up, -0.7))])
      expect(Math.min(...found.map((c) => distance(c, add(corner, scale(normal, 0.01)))))).toBeLessThan(2e-4);
    expect(windowAcross(a, add(a, scale(level, 1)), normal)).toBeNull();
  });

  test("a lamp hung on a wall touches it and shines into the room", () => {
    const normal = normalize([1, 2, 0]);
    const at: Vec3 = [0.5, 3, 1.8];
    const flat = hungOn({ kind: "disc", size: [0.3, 0.3] }, at, normal);
    expect(dot(sub(flat.position, at), normal)).toBeCloseTo(0.01, 9);
    expect(dot(facingOf(flat), normal)).toBeCloseTo(1, 6);
    // A globe lies before the wall, whole.
    const globe = hungOn({ kind: "sphere", size: [0.3, 0.3] }, at, normal);
    expect(distance(globe.position, at)).toBeCloseTo(0.16, 9);
  });

  test("where the highlight would want it behind a wall, the lamp stays before the wall", () => {
    const corners = [
      [0, 0],
      [4, 0],
      [4, 4],
      [0, 4],
    ].map(([x, y]) => typedVertex([x, y, 0]));
    const room = makePart("room-1", "Room", { kind: "room", floor: corners, height: 3 }, "plain");
    const floor: Vec3 = [2, 2, 0];
    // 3-4-5: the ray up to (5, 2, 4) meets the wall at 8/3 of height, 10/3 along; half of 0.3 m and a centimetre before that.
    const hung = withinSet({ "room-1": room }, floor, [5, 2, 4], 0.3);
    expect(distance(hung, floor)).toBeCloseTo(10 / 3 - 0.16, 6);
    expect((hung[0] - 2) / hung[2]).toBeCloseTo(3 / 4, 9);
    expect(withinSet({ "room-1": room }, floor, [3, 2, 1], 0.3)).toEqual([3, 2, 1]);
    // What throws no shadow keeps no lamp back.
    const open = { ...room, flags: { ...room.flags, shadow: false } };
    expect(withinSet({ "room-1": open }, floor, [5, 2, 4], 0.3)).toEqual([5, 2, 4]);
  });
});
