import { readFileSync } from "node:fs";

/** A bystander that asks for something small all the time, and looks at the server's memory. */
export class Bystander {
  readonly waits: number[] = [];
  peakBytes = 0;
  failures = 0;
  private going = true;
  private readonly done: Promise<void>;

  constructor(
    private readonly at: string,
    private readonly pid: number,
    private readonly route: string,
  ) {
    this.done = this.run();
  }

  private async run(): Promise<void> {
    while (this.going) {
      const start = performance.now();
      try {
        const response = await fetch(`${this.at}/api${this.route}`, { signal: AbortSignal.timeout(20_000) });
        await response.arrayBuffer();
        if (!response.ok) this.failures++;
      } catch {
        this.failures++;
      }
      this.waits.push(performance.now() - start);
      this.peakBytes = Math.max(this.peakBytes, residentBytes(this.pid));
      await new Promise((resolve) => setTimeout(resolve, 25));
    }
  }

  async end(): Promise<void> {
    this.going = false;
    await this.done;
  }
}

export function residentBytes(pid: number): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, "utf8").split(" ")[1]) * 4096;
  } catch {
    return 0;
  }
}

/** The value below which a share of the values lies. */
export function quantile(values: readonly number[], share: number): number {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.min(sorted.length - 1, Math.floor(share * sorted.length))] ?? 0;
}
