import type { Vec2 } from "#core/math/vec3";

/** How plate pixels lie on the screen. */
export interface Screen {
  scale: number;
  offset: Vec2;
}

/**
 * A line of plate pixels as an SVG path on the screen. Scale and offset are read once a line: overlays draw hundreds of
 * points in the time of one frame.
 */
export function screenPath({ scale, offset: [ox, oy] }: Screen, line: Vec2[]): string {
  let d = "";
  for (let i = 0; i < line.length; i++) {
    const [u, v] = line[i];
    d += `${i === 0 ? "M" : "L"}${(u * scale + ox).toFixed(1)} ${(v * scale + oy).toFixed(1)}`;
  }
  return d;
}

/** Several lines as one path. */
export const screenPaths = (screen: Screen, lines: Vec2[][]): string => {
  const { scale, offset } = screen;
  return lines.map((line) => screenPath({ scale, offset }, line)).join("");
};
