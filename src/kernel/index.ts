export { buildBoxes, buildTriangles, emit, planCollapse } from "./build";
export {
  closest,
  closestBatch,
  closestInstance,
  closestInstanceBatch,
  hitInstance,
  hitT,
  hitU,
  hitV,
  occluded,
  occludedBatch,
  occludedByInstance,
  occludedInstanceBatch,
  setScratch,
  takeRayCount,
} from "./traversal";
export { setParams } from "./params";
export { samplePoints } from "./sampler";
export { drawBsdf, lookFrom, pickPixel, pickedPropNumber, probePixels, renderFill, renderTile } from "./film";
export { denoiseTerms, differenceRows, featureRows, gatherRow, weightRows } from "./denoise";
export { packPixels, unpackPixels } from "./sparse";
export { blockRows, repeats, unblockRows } from "./blocks";
export { adler32, filterRows } from "./png";
export { developFilm, filmPlanes } from "./develop";
