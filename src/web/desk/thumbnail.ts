import type { Vec2 } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { allFaces } from "#core/set/faces";
import type { Shot } from "#core/shot/schema";
import { horizonLine, planeGrid, worldLine } from "./guides.ts";

/** Draws the plate with a camera's ground, horizon and axes, and the outlines of the set, into a canvas. */
export function drawMatch(
  canvas: HTMLCanvasElement,
  plate: HTMLCanvasElement,
  camera: Camera | null,
  shot: Shot,
): void {
  const { width, height } = canvas;
  const context = canvas.getContext("2d")!;
  context.drawImage(plate, 0, 0, width, height);
  if (!camera) return;
  const s = width / plate.width;
  const line = (points: Vec2[], close = false) => {
    context.beginPath();
    points.forEach(([u, v], i) => (i ? context.lineTo(u * s, v * s) : context.moveTo(u * s, v * s)));
    if (close) context.closePath();
    context.stroke();
  };
  context.save();
  context.beginPath();
  context.rect(0, 0, width, height);
  context.clip();
  context.lineWidth = 1;
  context.strokeStyle = "#ffffff66";
  for (const l of planeGrid(camera, "ground", 0)) line(l);
  context.setLineDash([3, 4]);
  context.strokeStyle = "#fff";
  line(horizonLine(camera, { width: plate.width, height: plate.height }));
  context.setLineDash([]);
  context.lineWidth = 2;
  for (const [axis, colour] of [
    [[1, 0, 0], "#f2a33a"],
    [[0, 1, 0], "#53c0c9"],
    [[0, 0, 1], "#d685d6"],
  ] as const) {
    context.strokeStyle = colour;
    line(worldLine(camera, [0, 0, 0], [...axis]));
  }
  context.strokeStyle = "#f4f1ea";
  context.lineWidth = 1.5;
  for (const { face } of allFaces(shot.set))
    for (const ring of face.rings) ring.forEach((p, i) => line(worldLine(camera, p, ring[(i + 1) % ring.length], 6)));
  context.restore();
}

/** A small JPEG of a match, as a data address. */
export function matchThumbnail(plate: HTMLCanvasElement, camera: Camera | null, shot: Shot, width = 320): string {
  const canvas = document.createElement("canvas");
  canvas.width = width;
  canvas.height = Math.max(1, Math.round((width * plate.height) / plate.width));
  drawMatch(canvas, plate, camera, shot);
  return canvas.toDataURL("image/jpeg", 0.8);
}
