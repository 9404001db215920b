import { reachOf } from "./blur.ts";
import type { Layers, Where } from "./layers.ts";

/** Standard deviation in pixels below which a blur is left out. */
const LEAST = 0.3;
/** Pixels at the middle of a tenth of the distance away count as another surface. */
const APART = 0.1;

/**
 * Blurs the shadow by so many metres of the surface that it lies on: less far away, and not across to a surface at another
 * distance. Without a known set all of the picture is taken to be as far as the props are.
 */
export function softenShadow(layers: Layers, metres: number, most: number, where: Where): void {
  const { width, height, ratio, depth } = layers;
  const far = where.setDepth();
  const focal = where.focal;
  if (focal === null) return;
  let [sum, count] = [0, 0];
  for (const z of depth) if (z > 0) [sum, count] = [sum + z, count + 1];
  const usual = count > 0 ? sum / count : 0;
  const loud = (pixel: number) => ratio[pixel * 3] !== 1 || ratio[pixel * 3 + 1] !== 1 || ratio[pixel * 3 + 2] !== 1;
  const rowLoud = new Uint8Array(height);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width && !rowLoud[y]; x++) if (loud(y * width + x)) rowLoud[y] = 1;
  // Across, then down: each pixel by its own standard deviation.
  for (const [dx, dy] of [
    [1, 0],
    [0, 1],
  ]) {
    const source = ratio.slice();
    for (let y = 0; y < height; y++) {
      const reachRows = dy * reachOf(most);
      let any = false;
      for (let v = Math.max(0, y - reachRows); v <= Math.min(height - 1, y + reachRows) && !any; v++)
        any = rowLoud[v] === 1;
      if (!any) continue;
      for (let x = 0; x < width; x++) {
        const pixel = y * width + x;
        const z = (far && far[pixel]) || usual;
        if (!(z > 0)) continue;
        const sigma = Math.min(most, (focal * metres) / z);
        if (sigma < LEAST) continue;
        const reach = reachOf(sigma);
        const over = -1 / (2 * sigma * sigma);
        let [r, g, b, weights] = [0, 0, 0, 0];
        let same = true;
        for (let t = -reach; t <= reach; t++) {
          const [u, w] = [Math.min(width - 1, Math.max(0, x + dx * t)), Math.min(height - 1, Math.max(0, y + dy * t))];
          const other = w * width + u;
          const zo = (far && far[other]) || usual;
          if (Math.abs(zo - z) > APART * z) continue;
          const weight = Math.exp(t * t * over);
          const i = other * 3;
          if (source[i] !== 1 || source[i + 1] !== 1 || source[i + 2] !== 1) same = false;
          r += weight * source[i];
          g += weight * source[i + 1];
          b += weight * source[i + 2];
          weights += weight;
        }
        if (same || weights === 0) continue;
        ratio[pixel * 3] = r / weights;
        ratio[pixel * 3 + 1] = g / weights;
        ratio[pixel * 3 + 2] = b / weights;
      }
    }
  }
}
