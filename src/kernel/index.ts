export { buildBvh } from "./build";
export { closest, closestBatch, hitT, hitU, hitV, occluded, occludedBatch, setScratch } from "./traversal";
export { samplePoints } from "./sampler";
export { probePixels, renderFill, renderTile } from "./film";
