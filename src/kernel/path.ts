// Radiance along a ray, with the props or without them.
//
// A set surface that the camera sees shows the plate, so its radiance without props is known: the plate's own colour.
// With props it is scaled by how much of its irradiance they take away, and the light they return is followed on.
// Surfaces that the plate does not show, and the endless floor, are Lambert in a colour given for them.
import { paramF, paramU } from "./params";
import { closest, hitT, hitU, hitV } from "./traversal";
import { draw, draw1, draw2, seekDimension } from "./sampler";
import { drawCosine, localX, localY, localZ, setFrame, toWorld, worldX, worldY, worldZ } from "./frame";
import { projectPoint, projectedX, projectedY } from "./lens";
import { samplePicture, texelB, texelG, texelR } from "./images";
import * as surface from "./surface";
import * as bsdf from "./bsdf";
import * as light from "./light";
import {
  MATERIAL_SEES_BACKDROP, OBJECT_ALBEDO, OBJECT_FLAGS, OBJECT_IS_SET, PARAM_FILL, PARAM_FILL_HEIGHT, PARAM_FILL_WIDTH, PARAM_FLOOR_ALBEDO, PARAM_FLOOR_HEIGHT,
  PARAM_FLOOR_ON, PARAM_FRAME_HEIGHT, PARAM_FRAME_WIDTH, PARAM_MAX_DEPTH, PARAM_PLATE, PARAM_PLATE_HEIGHT, PARAM_PLATE_WIDTH, PARAM_POSITION,
  PARAM_PROP_BASE, PARAM_PROP_ROOT, PARAM_SET_BASE, PARAM_SET_ROOT, PARAM_SKY, PARAM_SUN_IRRADIANCE,
} from "./layout";

const ONE: f32 = 1;
const PI: f32 = 3.141592653589793;
const INV_PI: f32 = 0.3183098861837907;
const FAR: f32 = 1e30;

/** Density that tells a path to leave the sun's disc out: the surface before has sampled the sun itself. */
export const SUN_SAMPLED: f32 = -1;

export let radianceR: f32 = 0, radianceG: f32 = 0, radianceB: f32 = 0;

// The nearest hit of the ray just traced.
export let metTriangle: i32 = -1;
export let metT: f32 = 0, metU: f32 = 0, metV: f32 = 0;
export let metSet: bool = false;

/** Traces the set, and the props in front of it. True if anything is met. */
export function findNearest(ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32, withProps: bool): bool {
  metTriangle = -1;
  metT = FAR;
  metSet = false;
  const s = closest(paramU(PARAM_SET_ROOT), ox, oy, oz, dx, dy, dz, 0, FAR);
  if (s >= 0) {
    metTriangle = s + paramU(PARAM_SET_BASE);
    metT = hitT();
    metU = hitU();
    metV = hitV();
    metSet = true;
  }
  if (withProps) {
    const p = closest(paramU(PARAM_PROP_ROOT), ox, oy, oz, dx, dy, dz, 0, metT);
    if (p >= 0) {
      metTriangle = p + paramU(PARAM_PROP_BASE);
      metT = hitT();
      metU = hitU();
      metV = hitV();
      metSet = false;
    }
  }
  return metTriangle >= 0;
}

/** True if the plate shows the surface point loaded last; its pixel is then `projectedX`, `projectedY`. */
function plateShows(): bool {
  if (!paramU(PARAM_PLATE)) return false;
  const x = surface.px + surface.gx * surface.offset, y = surface.py + surface.gy * surface.offset, z = surface.pz + surface.gz * surface.offset;
  let dx = paramF(PARAM_POSITION) - x, dy = paramF(PARAM_POSITION + 4) - y, dz = paramF(PARAM_POSITION + 8) - z;
  // The side that faces away from the camera is not the side that was photographed.
  if (dx * surface.gx + dy * surface.gy + dz * surface.gz <= 0) return false;
  if (projectPoint(surface.px, surface.py, surface.pz) <= 0) return false;
  const u = projectedX(), v = projectedY();
  if (u < 0 || v < 0 || u > paramF(PARAM_FRAME_WIDTH) || v > paramF(PARAM_FRAME_HEIGHT)) return false;
  const distance = sqrt<f32>(dx * dx + dy * dy + dz * dz), s = <f32>1.0 / distance;
  dx *= s;
  dy *= s;
  dz *= s;
  return !light.setBlocks(x, y, z, dx, dy, dz, distance);
}

/**
 * Radiance arriving along the ray: `radianceR` to `radianceB`. `pdfBefore` is the density with which the direction was
 * drawn, 0 for a camera ray, SUN_SAMPLED where the sun must be left out. `known` takes the hit of `findNearest` as the
 * first one. Dimensions are drawn from `dimension` on, twelve to a bounce.
 */
export function followPath(rox: f32, roy: f32, roz: f32, rdx: f32, rdy: f32, rdz: f32, withProps: bool, pdfFirst: f32, known: bool, dimension: u32): void {
  let ox = rox, oy = roy, oz = roz, dx = rdx, dy = rdy, dz = rdz, pdfBefore = pdfFirst;
  let tr: f32 = 1, tg: f32 = 1, tb: f32 = 1;
  let lr: f32 = 0, lg: f32 = 0, lb: f32 = 0;
  let backdrop = pdfFirst == 0;
  const maxDepth = paramU(PARAM_MAX_DEPTH);
  const sunOn = light.hasSun();
  const props = withProps && paramU(PARAM_PROP_ROOT) != 0;
  const sr = paramF(PARAM_SUN_IRRADIANCE), sg = paramF(PARAM_SUN_IRRADIANCE + 4), sb = paramF(PARAM_SUN_IRRADIANCE + 8);
  for (let depth: u32 = 0; depth < maxDepth; depth++) {
    seekDimension(dimension + depth * 12);
    const met = depth == 0 && known ? metTriangle >= 0 : findNearest(ox, oy, oz, dx, dy, dz, props);
    let lambert = false;
    if (!met) {
      const floorZ = paramF(PARAM_FLOOR_HEIGHT);
      if (paramU(PARAM_FLOOR_ON) && dz < -1e-6 && oz > floorZ) {
        const t = (floorZ - oz) / dz;
        surface.loadFloor(ox + t * dx, oy + t * dy, floorZ, paramF(PARAM_FLOOR_ALBEDO), paramF(PARAM_FLOOR_ALBEDO + 4), paramF(PARAM_FLOOR_ALBEDO + 8));
        lambert = true;
      } else {
        light.loadSky(dx, dy, dz, backdrop);
        lr += tr * light.skyR;
        lg += tg * light.skyG;
        lb += tb * light.skyB;
        if (sunOn && pdfBefore > 0 && light.inSun(dx, dy, dz)) {
          const p = light.sunPdf(), w = p * pdfBefore / (pdfBefore + p);
          lr += tr * w * sr;
          lg += tg * w * sg;
          lb += tb * w * sb;
        }
        break;
      }
    } else surface.loadSurface(metTriangle, metU, metV, dx, dy, dz);

    if (met && load<u32>(surface.object, OBJECT_FLAGS) & OBJECT_IS_SET) {
      if (plateShows()) {
        const u = projectedX(), v = projectedY();
        const pw = paramU(PARAM_PLATE_WIDTH), ph = paramU(PARAM_PLATE_HEIGHT), frameX = ONE / paramF(PARAM_FRAME_WIDTH), frameY = ONE / paramF(PARAM_FRAME_HEIGHT);
        samplePicture(paramU(PARAM_PLATE), pw, ph, u * frameX * <f32>pw, v * frameY * <f32>ph);
        const cr = texelR(), cg = texelG(), cb = texelB();
        if (!props || !paramU(PARAM_FILL)) {
          lr += tr * cr;
          lg += tg * cg;
          lb += tb * cb;
          break;
        }
        const fw = paramU(PARAM_FILL_WIDTH), fh = paramU(PARAM_FILL_HEIGHT);
        samplePicture(paramU(PARAM_FILL), fw, fh, u * frameX * <f32>fw, v * frameY * <f32>fh);
        const fillR = texelR(), fillG = texelG(), fillB = texelB();
        const x = surface.px + surface.gx * surface.offset, y = surface.py + surface.gy * surface.offset, z = surface.pz + surface.gz * surface.offset;
        let er = fillR, eg = fillG, eb = fillB, lossR: f32 = 0, lossG: f32 = 0, lossB: f32 = 0;
        if (sunOn) {
          light.drawSun();
          const c = light.sunX * surface.gx + light.sunY * surface.gy + light.sunZ * surface.gz;
          if (c > 0 && !light.setBlocks(x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) {
            const e = c * light.maskAtPixel(u, v);
            er += e * sr;
            eg += e * sg;
            eb += e * sb;
            if (light.propsBlock(x, y, z, light.sunX, light.sunY, light.sunZ, FAR)) {
              lossR = e * sr;
              lossG = e * sg;
              lossB = e * sb;
            }
          }
        }
        setFrame(surface.gx, surface.gy, surface.gz);
        drawCosine();
        const wx = worldX(), wy = worldY(), wz = worldZ();
        const occluder = closest(paramU(PARAM_PROP_ROOT), x, y, z, wx, wy, wz, 0, FAR);
        const reach = hitT();
        const meetsProp = occluder >= 0 && !light.setBlocks(x, y, z, wx, wy, wz, reach);
        if (meetsProp) {
          // What the prop hides in that direction: the sky, or, of the set, the mean of what arrives here.
          const open = wz > 0 && !light.setBlocks(x, y, z, wx, wy, wz, FAR);
          lossR += open ? PI * paramF(PARAM_SKY) : fillR;
          lossG += open ? PI * paramF(PARAM_SKY + 4) : fillG;
          lossB += open ? PI * paramF(PARAM_SKY + 8) : fillB;
        }
        const tiny: f32 = 1e-6;
        lr += tr * cr * max<f32>(0, ONE - lossR / max<f32>(er, tiny));
        lg += tg * cg * max<f32>(0, ONE - lossG / max<f32>(eg, tiny));
        lb += tb * cb * max<f32>(0, ONE - lossB / max<f32>(eb, tiny));
        if (!meetsProp) break;
        tr *= min<f32>(1, PI * cr / max<f32>(er, tiny));
        tg *= min<f32>(1, PI * cg / max<f32>(eg, tiny));
        tb *= min<f32>(1, PI * cb / max<f32>(eb, tiny));
        ox = x;
        oy = y;
        oz = z;
        dx = wx;
        dy = wy;
        dz = wz;
        pdfBefore = SUN_SAMPLED;
        backdrop = false;
        continue;
      }
      surface.baseR = load<f32>(surface.object, OBJECT_ALBEDO);
      surface.baseG = load<f32>(surface.object, OBJECT_ALBEDO + 4);
      surface.baseB = load<f32>(surface.object, OBJECT_ALBEDO + 8);
      lambert = true;
    }

    const x = surface.px + surface.gx * surface.offset, y = surface.py + surface.gy * surface.offset, z = surface.pz + surface.gz * surface.offset;
    if (lambert) {
      tr *= surface.baseR;
      tg *= surface.baseG;
      tb *= surface.baseB;
      if (sunOn) {
        light.drawSun();
        const c = light.sunX * surface.gx + light.sunY * surface.gy + light.sunZ * surface.gz;
        if (c > 0 && !light.setBlocks(x, y, z, light.sunX, light.sunY, light.sunZ, FAR) && !(props && light.propsBlock(x, y, z, light.sunX, light.sunY, light.sunZ, FAR))) {
          const e = c * INV_PI * light.maskAlongSun(x, y, z);
          lr += tr * e * sr;
          lg += tg * e * sg;
          lb += tb * e * sb;
        }
      }
      setFrame(surface.gx, surface.gy, surface.gz);
      drawCosine();
      dx = worldX();
      dy = worldY();
      dz = worldZ();
      pdfBefore = SUN_SAMPLED;
      backdrop = false;
    } else {
      lr += tr * surface.emitR;
      lg += tg * surface.emitG;
      lb += tb * surface.emitB;
      let sunValue: f32 = 0;
      if (sunOn) {
        light.drawSun();
        sunValue = light.sunX * surface.gx + light.sunY * surface.gy + light.sunZ * surface.gz;
      }
      setFrame(surface.nx, surface.ny, surface.nz);
      const vx = -localX(dx, dy, dz), vy = -localY(dx, dy, dz), vz = max<f32>(-localZ(dx, dy, dz), 1e-4);
      bsdf.prepareBsdf(vz);
      if (sunValue > 0) {
        bsdf.evaluateBsdf(vx, vy, vz, localX(light.sunX, light.sunY, light.sunZ), localY(light.sunX, light.sunY, light.sunZ), localZ(light.sunX, light.sunY, light.sunZ));
        if (bsdf.pdf > 0) {
          const p = light.sunPdf();
          const w = p / (p + bsdf.pdf);
          const er = bsdf.fR * w, eg = bsdf.fG * w, eb = bsdf.fB * w;
          if (!light.setBlocks(x, y, z, light.sunX, light.sunY, light.sunZ, FAR) && !(props && light.propsBlock(x, y, z, light.sunX, light.sunY, light.sunZ, FAR))) {
            const m = light.maskAlongSun(x, y, z);
            lr += tr * er * sr * m;
            lg += tg * eg * sg * m;
            lb += tb * eb * sb * m;
          }
        }
      }
      draw();
      const lobe = draw1();
      draw();
      if (!bsdf.sampleBsdf(vx, vy, vz, lobe, draw1(), draw2())) break;
      bsdf.evaluateBsdf(vx, vy, vz, bsdf.outX, bsdf.outY, bsdf.outZ);
      if (bsdf.pdf <= 0) break;
      const s = ONE / bsdf.pdf;
      tr *= bsdf.fR * s;
      tg *= bsdf.fG * s;
      tb *= bsdf.fB * s;
      toWorld(bsdf.outX, bsdf.outY, bsdf.outZ);
      dx = worldX();
      dy = worldY();
      dz = worldZ();
      if (dx * surface.gx + dy * surface.gy + dz * surface.gz <= 0) break;
      pdfBefore = bsdf.pdf;
      backdrop = (surface.flags & MATERIAL_SEES_BACKDROP) != 0;
    }
    ox = x;
    oy = y;
    oz = z;
    if (depth >= 2) {
      const keep = min<f32>(<f32>0.95, max<f32>(tr, max<f32>(tg, tb)));
      draw();
      if (!(draw2() < keep)) break;
      const s = ONE / keep;
      tr *= s;
      tg *= s;
      tb *= s;
    }
  }
  radianceR = lr;
  radianceG = lg;
  radianceB = lb;
}
