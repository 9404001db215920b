import type { Camera } from "#core/optics/camera";
import type { Shot } from "#core/shot/schema";
import type { Picture } from "#core/trace/scene";
import type { AroundAsk, AroundFound, AroundReport, AskedPlace } from "../workers/around.worker.ts";

/**
 * Pictures of what is around places, as the tracer sees it: asked of a worker, and kept as long as set, light, camera and
 * plate stay.
 */

const MOST_KEPT = 48;

export class TracedAround {
  private readonly found = new Map<string, AroundFound>();
  private known: unknown[] = [];
  private asked = "";
  private worker: Worker | null = null;
  private turn = 0;

  constructor(
    private readonly onFound: () => void,
    private readonly onFailed: () => void,
  ) {}

  /** What is known of a place by now; null for nothing yet. */
  of(name: string): AroundFound | null {
    return this.found.get(name) ?? null;
  }

  /** Has what is not known yet of some places found out. What was known of another set, light, camera or plate goes. */
  ask(shot: Shot, camera: Camera, plate: Picture | null, places: readonly AskedPlace[]): void {
    const key = [shot.set, shot.materials, shot.light, camera, plate];
    if (key.length !== this.known.length || !key.every((x, i) => x === this.known[i])) {
      this.known = key;
      this.found.clear();
      this.asked = "";
    }
    const missing = places.filter(({ name }) => !this.found.has(name));
    const asked = missing.map(({ name }) => name).join("|");
    if (!plate || missing.length === 0 || asked === this.asked) return;
    this.asked = asked;
    while (this.found.size + missing.length > MOST_KEPT && this.found.size > 0)
      this.found.delete(this.found.keys().next().value!);
    this.send({ turn: ++this.turn, shot, plate, places: missing });
  }

  private send(ask: AroundAsk): void {
    if (!this.worker) {
      this.worker = new Worker(new URL("../workers/around.worker.ts", import.meta.url), { type: "module" });
      this.worker.onerror = () => this.onFailed();
      this.worker.onmessage = ({ data }: MessageEvent<AroundReport>) => {
        if (data.turn !== this.turn) return;
        if ("failed" in data) {
          this.onFailed();
          return;
        }
        this.found.set(data.name, data);
        this.onFound();
      };
    }
    this.worker.postMessage(ask);
  }

  dispose(): void {
    this.turn++;
    this.worker?.terminate();
  }
}
