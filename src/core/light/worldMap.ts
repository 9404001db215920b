import type { Vec2 } from "../math/vec3.ts";

/** A plain map of the world: degrees east across and degrees north up, all of it 360 × 180 (equirectangular). */

/** Part of the map that is shown: its middle, and how many times nearer than the whole. */
export interface MapView {
  longitude: number;
  latitude: number;
  zoom: number;
}

export const WHOLE_WORLD: MapView = { longitude: 0, latitude: 0, zoom: 1 };
export const NEAREST = 40;

/** Left, top, width and height of a view in the map's own units: X is degrees east, Y degrees south. */
export function boxOfView({ longitude, latitude, zoom }: MapView): [number, number, number, number] {
  const [width, height] = [360 / zoom, 180 / zoom];
  return [longitude - width / 2, -latitude - height / 2, width, height];
}

/** Place under a point of the view; x and y go from 0 to 1 from its upper left. */
export function placeAt(view: MapView, [x, y]: Vec2): { latitude: number; longitude: number } {
  const [left, top, width, height] = boxOfView(view);
  const hold = (value: number, most: number) => Math.max(-most, Math.min(most, value));
  return { longitude: hold(left + x * width, 180), latitude: hold(-(top + y * height), 90) };
}

/** The view so many times nearer, with the place under a point staying there, and never beyond the world's border. */
export function zoomedAt(view: MapView, [x, y]: Vec2, factor: number): MapView {
  const zoom = Math.max(1, Math.min(NEAREST, view.zoom * factor));
  const [left, top, width, height] = boxOfView(view);
  const [at, down] = [left + x * width, top + y * height];
  return held({
    zoom,
    longitude: at + (0.5 - x) * (360 / zoom),
    latitude: -(down + (0.5 - y) * (180 / zoom)),
  });
}

/** The view within the world. */
export function held({ longitude, latitude, zoom }: MapView): MapView {
  const within = (value: number, most: number) => {
    const room = most * (1 - 1 / zoom);
    return Math.max(-room, Math.min(room, value));
  };
  return { zoom, longitude: within(longitude, 180), latitude: within(latitude, 90) };
}
