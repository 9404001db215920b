// What smooth surfaces mirror and let through, followed without chance along the ways that hold most of the light: a
// picture without noise, by which the denoiser tells what stands in glass and mirrors from noise. Features of specular
// chains: Zimmer et al. 2015, "Path-space motion estimation and decomposition for robust animation filtering" (EGSR; from
// memory). It tells places apart and nothing else, so what is met counts with its colour, not with its light.
import { paramF, paramU } from "./params";
import { fresnel, panePass, paneReturn } from "./ask";
import { texelB, texelG, texelR } from "./images";
import * as surface from "./surface";
import * as light from "./light";
import { findNearest, metInstance, metT, metTriangle, metU, metV, plateShows, takePlate } from "./path";
import {
  MATERIAL_THIN,
  MATERIAL_TRANSMITS,
  PARAM_FLOOR_ALBEDO,
  PARAM_FLOOR_HEIGHT,
  PARAM_FLOOR_ON,
  PART_ALBEDO,
  PART_FLAGS,
  PART_GLOW,
  PART_GLOW_COLOUR,
  PART_IS_SET,
  RAY_REFLECTION,
  SET_REFLECTION,
} from "./layout";

const ONE: f32 = 1;
const FAR: f32 = 1e30;
const COAT_F0: f32 = 0.04;
/** Roughness from which a surface shows nothing that could be told apart. */
const ROUGH: f32 = 0.25;
/** Surfaces one behind the other, rays in all, and the share of the light down to which a way is followed. */
const MOST_SURFACES: u32 = 6;
const MOST_RAYS: u32 = 16;
const LEAST: f32 = 0.004;

export let shownR: f32 = 0,
  shownG: f32 = 0,
  shownB: f32 = 0;
let raysLeft: u32 = 0;
// Colour of the medium that the way runs in, as absorption per metre.
let mediumR: f32 = 0,
  mediumG: f32 = 0,
  mediumB: f32 = 0;

function addShown(r: f32, g: f32, b: f32): void {
  shownR += r;
  shownG += g;
  shownB += b;
}

/** Adds what a ray shows, weighed. */
function look(
  ox: f32,
  oy: f32,
  oz: f32,
  dx: f32,
  dy: f32,
  dz: f32,
  spread: f32,
  r: f32,
  g: f32,
  b: f32,
  surfaces: u32,
): void {
  if (max<f32>(r, max<f32>(g, b)) < LEAST || raysLeft == 0) return;
  raysLeft--;
  const met = findNearest(SET_REFLECTION, ox, oy, oz, dx, dy, dz, RAY_REFLECTION);
  if (light.properLamps() && light.meetLamp(ox, oy, oz, dx, dy, dz, met ? metT : FAR)) {
    addShown(r * light.lightR, g * light.lightG, b * light.lightB);
    return;
  }
  if (!met) {
    if (paramU(PARAM_FLOOR_ON) && dz < -1e-6 && oz > paramF(PARAM_FLOOR_HEIGHT)) {
      const floor = PARAM_FLOOR_ALBEDO;
      addShown(r * paramF(floor), g * paramF(floor + 4), b * paramF(floor + 8));
      return;
    }
    light.loadSky(ox, oy, oz, dx, dy, dz, false);
    addShown(r * light.skyR, g * light.skyG, b * light.skyB);
    return;
  }
  surface.loadSurface(metTriangle, metU, metV, metInstance, dx, dy, dz, metT * spread);
  if (metInstance || !(load<u32>(surface.part, PART_FLAGS) & PART_IS_SET)) {
    show(
      dx,
      dy,
      dz,
      spread,
      r * Mathf.exp(-mediumR * metT),
      g * Mathf.exp(-mediumG * metT),
      b * Mathf.exp(-mediumB * metT),
      surfaces,
    );
    return;
  }
  if (plateShows()) {
    takePlate();
    addShown(r * texelR(), g * texelG(), b * texelB());
    return;
  }
  const colour = surface.part + (load<f32>(surface.part, PART_GLOW) > 0 ? PART_GLOW_COLOUR : PART_ALBEDO);
  addShown(r * load<f32>(colour), g * load<f32>(colour, 4), b * load<f32>(colour, 8));
}

/** Adds what the prop's surface loaded last shows, weighed: `surfaces` lie before it. */
function show(dx: f32, dy: f32, dz: f32, spread: f32, r: f32, g: f32, b: f32, surfaces: u32): void {
  const plain = max<f32>(0, ONE - surface.roughness / ROUGH),
    coat = surface.coat * max<f32>(0, ONE - surface.coatRoughness / ROUGH);
  const nx = surface.nx,
    ny = surface.ny,
    nz = surface.nz,
    c = -(dx * nx + dy * ny + dz * nz);
  const thin = (surface.flags & MATERIAL_THIN) != 0,
    metal = surface.metallic,
    baseR = surface.baseR,
    baseG = surface.baseG,
    baseB = surface.baseB;
  const through: f32 = surface.flags & MATERIAL_TRANSMITS ? (ONE - metal) * surface.transmission * plain : 0;
  // Of the first surface the denoiser has the colour by itself.
  if (surfaces > 0) {
    const matt = ONE - through;
    addShown(
      r * (matt * baseR + surface.emitR),
      g * (matt * baseG + surface.emitG),
      b * (matt * baseB + surface.emitB),
    );
  }
  if ((plain <= 0 && coat <= 0) || c <= 1e-4 || surfaces == MOST_SURFACES) return;
  const index = surface.index,
    front = surface.front,
    eta = front || thin ? index : ONE / index,
    f = fresnel(c, eta);
  const m = ONE - c,
    glance = m * m * m * m * m,
    varnish = coat * (COAT_F0 + (ONE - COAT_F0) * glance),
    gloss = varnish + plain * (ONE - metal) * surface.specular * f;
  let mirrorR = gloss + plain * metal * (baseR + (ONE - baseR) * glance),
    mirrorG = gloss + plain * metal * (baseG + (ONE - baseG) * glance),
    mirrorB = gloss + plain * metal * (baseB + (ONE - baseB) * glance);
  let passR = through * (ONE - f) * baseR,
    passG = through * (ONE - f) * baseG,
    passB = through * (ONE - f) * baseB;
  if (thin) {
    mirrorR += through * paneReturn(f, baseR);
    mirrorG += through * paneReturn(f, baseG);
    mirrorB += through * paneReturn(f, baseB);
    passR = through * panePass(f, baseR);
    passG = through * panePass(f, baseG);
    passB = through * panePass(f, baseB);
  }
  const gx = surface.gx,
    gy = surface.gy,
    gz = surface.gz,
    apart = surface.offset,
    px = surface.px,
    py = surface.py,
    pz = surface.pz,
    liftX = surface.liftX,
    liftY = surface.liftY,
    liftZ = surface.liftZ;
  const behindR: f32 = front ? surface.absorption(0) : 0,
    behindG: f32 = front ? surface.absorption(1) : 0,
    behindB: f32 = front ? surface.absorption(2) : 0;
  const mx = dx + 2 * c * nx,
    my = dy + 2 * c * ny,
    mz = dz + 2 * c * nz,
    mirrors = mx * gx + my * gy + mz * gz > 0;
  const k: f32 = thin ? 1 : ONE / eta,
    root = ONE - k * k * (ONE - c * c);
  const beforeR = mediumR,
    beforeG = mediumG,
    beforeB = mediumB;
  // The outer mirror image is bright; further in, most light goes through. The rays are spent in that order.
  for (let way = 0; way < 2; way++) {
    if ((way == 0) == (surfaces == 0)) {
      if (mirrors)
        look(
          px + liftX + gx * apart,
          py + liftY + gy * apart,
          pz + liftZ + gz * apart,
          mx,
          my,
          mz,
          spread,
          r * mirrorR,
          g * mirrorG,
          b * mirrorB,
          surfaces + 1,
        );
    } else if (through > 0 && root > 0) {
      if (!thin) {
        mediumR = behindR;
        mediumG = behindG;
        mediumB = behindB;
      }
      const q = k * c - sqrt<f32>(root);
      look(
        px - gx * apart,
        py - gy * apart,
        pz - gz * apart,
        k * dx + q * nx,
        k * dy + q * ny,
        k * dz + q * nz,
        spread,
        r * passR,
        g * passG,
        b * passB,
        surfaces + 1,
      );
      mediumR = beforeR;
      mediumG = beforeG;
      mediumB = beforeB;
    }
  }
}

/**
 * Takes what the surface loaded last, met along (dx, dy, dz), mirrors and lets through: `shownR` to `shownB`, each below 1,
 * 0 for a surface that does neither. Loads other surfaces, and moves the nearest hit.
 */
export function takeShown(dx: f32, dy: f32, dz: f32, spread: f32): void {
  shownR = 0;
  shownG = 0;
  shownB = 0;
  raysLeft = MOST_RAYS;
  mediumR = 0;
  mediumG = 0;
  mediumB = 0;
  show(dx, dy, dz, spread, 1, 1, 1, 0);
  shownR = shownR / (ONE + shownR);
  shownG = shownG / (ONE + shownG);
  shownB = shownB / (ONE + shownB);
}
