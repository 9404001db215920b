import * as v from "valibot";
import { NameSchema, textUpTo } from "../text/storable.ts";

/** Everyday things of known size, to take the scale from. */
export const YardstickSchema = v.object({
  id: v.pipe(v.string(), v.regex(/^[a-z0-9-]{1,40}$/)),
  name: NameSchema,
  metres: v.pipe(v.number(), v.finite(), v.minValue(1e-4, "must be greater than 0")),
  /** One standard deviation, metres. */
  spread: v.pipe(v.number(), v.finite(), v.minValue(0)),
  along: v.nullable(v.picklist(["x", "y", "z"])),
  source: textUpTo(300),
});
export type Yardstick = v.InferOutput<typeof YardstickSchema>;

const PRACTICE = "common practice, no published source";
const one = (
  id: string,
  name: string,
  metres: number,
  spread: number,
  along: Yardstick["along"],
  source: string,
): Yardstick => ({ id, name, metres, spread, along, source });

/** The library that every user starts with; their own list is kept beside the shots. */
export const FIRST_YARDSTICKS: Yardstick[] = [
  one("door", "Interior door, height", 2.0, 0.03, "z", PRACTICE),
  one("door-width", "Interior door, width", 0.8, 0.05, null, PRACTICE),
  one("ceiling", "Ceiling height", 2.75, 0.2, "z", PRACTICE),
  one("table", "Table height (720 to 800 mm)", 0.75, 0.02, "z", PRACTICE),
  one("seat", "Chair seat height", 0.45, 0.02, "z", PRACTICE),
  one("worktop", "Worktop height (900 to 950 mm)", 0.92, 0.02, "z", PRACTICE),
  one("opening", "Opening above the floor", 0.125, 0.025, "z", PRACTICE),
  one("refrigerator", "Large refrigerator, width", 1.1, 0.05, null, PRACTICE),
  one("boot-lid", "Boot lid of a car, height", 1.0, 0.06, "z", PRACTICE),
  one("person", "Standing adult", 1.71, 0.09, "z", PRACTICE),
  one(
    "brick",
    "Brick with joint, length",
    0.225,
    0.003,
    null,
    "BS EN 771-1 work size 215 mm and a 10 mm joint (from memory)",
  ),
  one(
    "brick-course",
    "Four brick courses",
    0.3,
    0.005,
    "z",
    "BS EN 771-1 work size 65 mm and 10 mm joints (from memory)",
  ),
  one("pallet", "Pallet, long side", 1.2, 0.003, null, "EN 13698-1"),
  one("pallet-side", "Pallet, short side", 0.8, 0.003, null, "EN 13698-1"),
  one("pallet-height", "Pallet, height", 0.144, 0.003, "z", "EN 13698-1"),
  one("container-width", "Freight container, width", 2.438, 0.005, null, "ISO 668"),
  one("container-height", "Freight container, height", 2.591, 0.005, "z", "ISO 668"),
  one("container-20", "Freight container of 20 ft, length", 6.058, 0.006, null, "ISO 668"),
  one("container-40", "Freight container of 40 ft, length", 12.192, 0.01, null, "ISO 668"),
  one("paper-a4", "Paper A4, long side", 0.297, 0.002, null, "ISO 216"),
  one("paper-a4-short", "Paper A4, short side", 0.21, 0.0015, null, "ISO 216"),
  one("paper-a3", "Paper A3, long side", 0.42, 0.002, null, "ISO 216"),
  one("parking-width", "Parking bay, width", 2.5, 0.1, null, PRACTICE),
  one("parking-length", "Parking bay, length", 5.0, 0.15, null, PRACTICE),
];
