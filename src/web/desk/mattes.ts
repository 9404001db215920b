import type { CurveShape } from "#core/comp/mattes/curve";
import type { Matte } from "#core/comp/mattes/index";
import { newMatte } from "#core/comp/mattes/index";
import type { Vec2 } from "#core/math/vec3";
import { useComp } from "../stores/comp.ts";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useShot } from "../stores/shot.ts";
import { freshId } from "./ids.ts";

/** Pixels of the plate between points of a stroke that are kept. */
const APART = 2;
const MOST_POINTS = 1500;
/** Pixels to either side of a click that a colour is the mean of. */
const AROUND = 2;
/** Share of the plate's width that a tone is picked over. */
const PATCH = 1 / 300;

/** What clicks and strokes make of mattes and tones. Without a matte in hand a new one is begun. */
export function useMattes() {
  const comp = useComp();
  const desk = useDesk();
  const store = useShot();
  const plate = usePlate();
  const notices = useNotices();

  async function change(name: string, of: (matte: Matte) => void): Promise<void> {
    const mattes = store.shot!.comp.mattes;
    const id = comp.matte && mattes[comp.matte] ? comp.matte : freshId("matte", mattes);
    await comp.keep(name, (c) => {
      c.mattes[id] ??= newMatte(`Matte ${Object.keys(c.mattes).length + 1}`);
      of(c.mattes[id]);
    });
    comp.matte = id;
  }

  async function stroke(points: Vec2[]): Promise<void> {
    const kept = points.filter(
      (p, i) => i === 0 || Math.hypot(p[0] - points[i - 1][0], p[1] - points[i - 1][1]) >= APART,
    );
    const each = Math.ceil(kept.length / MOST_POINTS);
    const { radius, hardness, edge, stop, erase } = desk.brush;
    await change(erase ? "Erase from matte" : "Paint matte", (m) =>
      m.shapes.push({
        shape: { kind: "brush", points: kept.filter((_, i) => i % each === 0), radius, hardness, edge, stop },
        way: erase ? "subtract" : "add",
        inverted: false,
      }),
    );
  }

  async function closeCurve(points: Vec2[]): Promise<void> {
    if (points.length < 3) return;
    const shape: CurveShape = {
      kind: "curve",
      points: points.map((at) => ({ at: [at[0], at[1]], feather: 3 })),
      round: false,
    };
    await change("Draw matte", (m) => m.shapes.push({ shape, way: "add", inverted: false }));
  }

  /** Adds the plate's colour at a pixel to the matte's last colours. */
  async function addColour([u, v]: Vec2): Promise<void> {
    const { shown } = plate;
    if (!shown) return;
    const sum = [0, 0, 0];
    let n = 0;
    for (let y = Math.floor(v) - AROUND; y <= v + AROUND; y++)
      for (let x = Math.floor(u) - AROUND; x <= u + AROUND; x++) {
        if (x < 0 || y < 0 || x >= shown.width || y >= shown.height) continue;
        n++;
        for (let k = 0; k < 3; k++) sum[k] += shown.linear[(y * shown.width + x) * 3 + k];
      }
    if (n === 0) return;
    const mean = sum.map((s) => Number(Math.max(0, s / n).toFixed(5))) as [number, number, number];
    await change("Pick colour of matte", (m) => {
      let own = m.shapes.findLast(({ shape }) => shape.kind === "colour");
      if (!own) {
        own = { shape: { kind: "colour", colours: [], within: 8, soft: 8 }, way: "add", inverted: false };
        m.shapes.push(own);
        own = m.shapes[m.shapes.length - 1];
      }
      if (own.shape.kind === "colour" && own.shape.colours.length < 32) own.shape.colours.push(mean);
    });
  }

  /** Keeps a pair of tones: the plate's at the first pixel, the prop's at the second. True once both are there. */
  async function pair([at, on]: Vec2[]): Promise<void> {
    const radius = (store.shot?.plates.main.width ?? 1000) * PATCH;
    const [own, cg] = await Promise.all([
      comp.patch(at[0], at[1], radius, "plate"),
      comp.patch(on[0], on[1], radius, "cg"),
    ]);
    if (!own || !cg) {
      notices.say("warn", "No prop is seen there.", "Click the place on the plate first, then the prop.");
      return;
    }
    comp.pairs = [...comp.pairs, { plate: own, cg }];
  }

  return { stroke, closeCurve, addColour, pair };
}
