/**
 * Gives back the memory of buffers that are no longer used, where node was started with `--expose-gc`. By itself it waits
 * until hundreds of megabytes have piled up, since to the collector each is a small thing.
 */
export function collect(): void {
  (globalThis as { gc?: () => void }).gc?.();
}
