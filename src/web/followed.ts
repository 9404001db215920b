import type { ReadingState } from "#core/shot/api";
import { api } from "./api.ts";

/** How far a file is that is sent to the server and read there. */
export interface OnWay {
  /** How much of it is with the server; it is read there once that is all. */
  sent: number;
  read: ReadingState | null;
}

/** What a call that sends a file is given. */
export interface Follow {
  onSent: (share: number) => void;
  /** Name by which the server tells how far it is. */
  reading: string;
  signal: AbortSignal;
}

/** How often the server is asked how far it is. */
const FOLLOW_MS = 300;

/** Sends a file and tells how far it is until the answer is there. Throws what the call throws. */
export async function followed<T>(
  call: (follow: Follow) => Promise<T>,
  signal: AbortSignal,
  tell: (at: OnWay) => void,
): Promise<T> {
  const at: OnWay = { sent: 0, read: null };
  const reading = crypto.randomUUID();
  tell(at);
  const timer = window.setInterval(() => {
    if (at.sent < 1) return;
    void api
      .reading(reading)
      .then((read) => tell(Object.assign(at, { read })))
      .catch(() => undefined);
  }, FOLLOW_MS);
  try {
    return await call({ onSent: (sent) => tell(Object.assign(at, { sent })), reading, signal });
  } finally {
    window.clearInterval(timer);
  }
}

export function onWayWords({ sent, read }: OnWay): string {
  if (sent < 1) return `Sending ${Math.round(sent * 100)} %`;
  if (!read) return "Reading …";
  const left = read.secondsLeft === null ? "" : `, ${Math.ceil(read.secondsLeft)} s left`;
  return `Reading ${Math.round(read.share * 100)} %${left}`;
}
