import type { ReadingState } from "#core/shot/api";

/** Seconds before what is left can be told. */
const TOO_SOON = 0.5;

/** How far the reading of files has come, by the names that those who sent them gave it. */
export class Readings {
  private readonly running = new Map<string, { since: number; share: number }>();

  constructor(private readonly now: () => number = Date.now) {}

  begin(id: string): void {
    this.running.set(id, { since: this.now(), share: 0 });
  }

  tell(id: string, share: number): void {
    const reading = this.running.get(id);
    if (reading) reading.share = Math.max(reading.share, Math.min(1, share));
  }

  end(id: string): void {
    this.running.delete(id);
  }

  /** Null where nothing of that name is being read. */
  stateOf(id: string): ReadingState | null {
    const reading = this.running.get(id);
    if (!reading) return null;
    const { since, share } = reading;
    const seconds = (this.now() - since) / 1000;
    const secondsLeft = seconds > TOO_SOON && share > 0.02 ? (seconds * (1 - share)) / share : null;
    return { share, secondsLeft };
  }
}
