import type { Camera, Frame } from "../../optics/camera.ts";
import { pixelToTangent, tangentToPixel } from "../../optics/camera.ts";

/**
 * ST maps of a lens: for every pixel where it takes its light from, as shares of the frame from its lower left corner (common
 * practice, no published source). `undistort` makes the plate that of a pinhole of like focal length and middle, `redistort`
 * the way back. Interleaved RG; shares beyond 0 to 1 lie outside the plate.
 */
export function stMap(camera: Camera, { width, height }: Frame, way: "undistort" | "redistort"): Float32Array {
  const out = new Float32Array(width * height * 2);
  const { focalPx, principal } = camera;
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i += 2) {
      const at: [number, number] = [x + 0.5, y + 0.5];
      const [u, v] =
        way === "undistort"
          ? tangentToPixel(camera, [(at[0] - principal[0]) / focalPx, (at[1] - principal[1]) / focalPx])
          : pixelToTangent(camera, at).map((t, k) => t * focalPx + principal[k]);
      out[i] = u / width;
      out[i + 1] = 1 - v / height;
    }
  return out;
}
