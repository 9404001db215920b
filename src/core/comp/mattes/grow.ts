/** A matte whose every pixel has the greatest value within a disc of `by` pixels; below 0 the least. */
export function grown(matte: Float32Array, width: number, height: number, by: number): Float32Array {
  const radius = Math.abs(by);
  if (radius < 0.5) return matte;
  const sign = by < 0 ? -1 : 1;
  const out = new Float32Array(matte.length).fill(-Infinity);
  const reach = Math.floor(radius);
  const row = new Float32Array(width);
  for (let d = -reach; d <= reach; d++) {
    const half = Math.floor(Math.sqrt(radius * radius - d * d));
    for (let y = 0; y < height; y++) {
      const from = y + d;
      if (from < 0 || from >= height) continue;
      for (let x = 0; x < width; x++) row[x] = sign * matte[from * width + x];
      slidingMost(row, half, out, y * width);
    }
  }
  return sign < 0 ? out.map((value) => -value) : out;
}

/** Raises `out` to the greatest of `half` values to either side, by a queue of those that may still be it. */
function slidingMost(row: Float32Array, half: number, out: Float32Array, at: number): void {
  const n = row.length;
  const queue = new Int32Array(n);
  let [head, tail] = [0, 0];
  for (let x = 0; x < n + half; x++) {
    if (x < n) {
      while (tail > head && row[queue[tail - 1]] <= row[x]) tail--;
      queue[tail++] = x;
    }
    const middle = x - half;
    if (middle < 0) continue;
    while (queue[head] < middle - half) head++;
    const most = row[queue[head]];
    if (most > out[at + middle]) out[at + middle] = most;
  }
}
