/** Bytes of buffers that may pile up. */
const MOST = 64e6;

/** Gives back the memory of buffers where so much of it has come since this was last called that it is worth the time. */
export function collectSome(): void {
  if (process.memoryUsage().arrayBuffers < left + MOST) return;
  collect();
  left = process.memoryUsage().arrayBuffers;
}
let left = 0;

/**
 * Gives back the memory of buffers that are no longer used, where node was started with `--expose-gc`. By itself it waits
 * until hundreds of megabytes have piled up, since to the collector each is a small thing.
 */
export function collect(): void {
  (globalThis as { gc?: () => void }).gc?.();
}
