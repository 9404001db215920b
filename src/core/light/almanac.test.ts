import { describe, expect, test } from "@jest/globals";
import { getSpa } from "nrel-spa";
import { toRadians } from "#core/math/vec3";
import { almanacSun, compareSuns, dayArc, momentOf, northFrom, sunAt, timesOfSun, worldAzimuth } from "./almanac.ts";
import type { Almanac } from "./schema.ts";
import { directionFromAngles } from "./sun.ts";

const almanac: Almanac = {
  latitude: 58.2,
  longitude: 6.6,
  clock: "2026-06-18T09:42",
  zoneMinutes: 120,
  northDeg: 25,
};

describe("the sun by place and time", () => {
  test("the worked example of Reda and Andreas (2004)", () => {
    // 17 October 2003, 12:30:30 at UTC−7, 39.742476° N, 105.1786° W, 1830.14 m.
    const { bearingDeg, elevationDeg } = sunAt(39.742476, -105.1786, new Date("2003-10-17T19:30:30Z"), 1830.14);
    expect(Math.abs(90 - elevationDeg - 50.11162)).toBeLessThan(0.01);
    expect(Math.abs(bearingDeg - 194.34024)).toBeLessThan(0.01);
  });

  test("twelve times over year and globe against an independent library", () => {
    const cases: [string, number, number][] = [
      ["2026-01-15T12:00:00Z", 51.5, -0.1],
      ["2026-02-10T15:30:00Z", 40.7, -74],
      ["2026-03-20T09:00:00Z", 0, 30],
      ["2026-04-25T03:00:00Z", 35.7, 139.7],
      ["2026-05-30T18:00:00Z", -22.9, -43.2],
      ["2026-06-21T12:00:00Z", 69.6, 18.9],
      ["2026-07-04T00:00:00Z", 21.3, -157.8],
      ["2026-08-12T06:00:00Z", 28.6, 77.2],
      ["2026-09-22T01:00:00Z", -33.9, 151.2],
      ["2026-10-31T10:00:00Z", -1.3, 36.8],
      ["2026-11-18T13:00:00Z", 60.2, 5.3],
      ["2026-12-21T17:00:00Z", -54.8, -68.3],
    ];
    for (const [time, latitude, longitude] of cases) {
      const moment = new Date(time);
      const own = sunAt(latitude, longitude, moment);
      const other = getSpa(moment, latitude, longitude, 0, { pressure: 1010, temperature: 10, delta_t: 69 });
      expect(own.elevationDeg).toBeGreaterThan(0);
      expect(Math.abs(90 - own.elevationDeg - other.zenith)).toBeLessThan(0.01);
      const turn = ((own.bearingDeg - other.azimuth + 540) % 360) - 180;
      expect(Math.abs(turn * Math.cos(toRadians(own.elevationDeg)))).toBeLessThan(0.01);
    }
  });

  test("the clock and its zone give the moment", () => {
    expect(momentOf(almanac).toISOString()).toBe("2026-06-18T07:42:00.000Z");
  });

  test("the arc is highest at the middle of the day, and its bearing turns with north", () => {
    const arc = dayArc(almanac, 10);
    const highest = arc.reduce((a, b) => (b.elevationDeg > a.elevationDeg ? b : a));
    // Noon by the sun: 12:00 UTC less 4 minutes a degree east; the equation of time is about a minute in mid-June.
    expect(highest.clock).toBe("2026-06-18T13:30");
    expect(Math.abs(highest.elevationDeg - (90 - 58.2 + 23.4))).toBeLessThan(0.1);
    expect(worldAzimuth(almanac, 100)).toBe(75);
    expect(worldAzimuth({ ...almanac, northDeg: null }, 100)).toBeNull();
  });
});

describe("sighting and almanac", () => {
  const { bearingDeg, elevationDeg } = almanacSun(almanac);
  const sighted = (height: number) => {
    const elevation = toRadians(height);
    return {
      direction: directionFromAngles(1, elevation),
      azimuth: 1,
      elevation,
      sigma: { azimuth: 0.01, elevation: toRadians(0.4) },
      each: [],
      odd: null,
    };
  };

  test("either fills what the other does not know: north, and the time", () => {
    expect(northFrom(almanac, bearingDeg - 25)).toBeCloseTo(25, 9);
    const seen = { azimuthDeg: bearingDeg - 25, elevationDeg };
    expect(timesOfSun({ ...almanac, clock: "2026-06-18T15:00" }, seen)).toEqual(["2026-06-18T09:42"]);
    // Without north the height alone has a time before and one after noon, the nearer first.
    const both = timesOfSun({ ...almanac, northDeg: null }, seen);
    expect(both).toHaveLength(2);
    expect(both[0]).toBe("2026-06-18T09:42");
    expect(timesOfSun({ ...almanac, northDeg: null }, { azimuthDeg: 0, elevationDeg: 80 })).toEqual([]);
  });

  test("they check each other, and an hour's difference is named", () => {
    expect(compareSuns(almanac, sighted(elevationDeg + 0.3)).agrees).toBe(true);
    const anHourLater = sunAt(almanac.latitude, almanac.longitude, new Date(momentOf(almanac).getTime() + 3_600_000));
    const found = compareSuns(almanac, sighted(anHourLater.elevationDeg));
    expect(found.agrees).toBe(false);
    expect(found.sentence).toMatch(/1 h slow, as on winter time/);
    expect(compareSuns(almanac, sighted(5)).sentence).toMatch(/check the date, the place/);
  });
});
