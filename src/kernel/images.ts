// Lookups: RGBA8 textures with smaller copies (trilinear), and float pictures (bilinear, clamped).
import { paramU } from "./params";
import {
  PARAM_SRGB_TABLE,
  PARAM_TEXTURES,
  TEXTURE_BYTES,
  TEXTURE_HEIGHT,
  TEXTURE_LEVEL,
  TEXTURE_LEVELS,
  TEXTURE_WIDTH,
  TEXTURE_WRAP,
} from "./layout";

let red: f32 = 0;
let green: f32 = 0;
let blue: f32 = 0;
let alpha: f32 = 0;
const ONE: f32 = 1;

export function texelR(): f32 {
  return red;
}
export function texelG(): f32 {
  return green;
}
export function texelB(): f32 {
  return blue;
}
export function texelA(): f32 {
  return alpha;
}

// @ts-ignore: decorator
@inline
function channel(a: u32, b: u32, c: u32, d: u32, offset: u32, wa: f32, wb: f32, wc: f32, wd: f32): f32 {
  return (
    (wa * <f32>load<u8>(a + offset) +
      wb * <f32>load<u8>(b + offset) +
      wc * <f32>load<u8>(c + offset) +
      wd * <f32>load<u8>(d + offset)) *
    <f32>0.00392156862745098
  );
}

// @ts-ignore: decorator
@inline
function channelSrgb(table: u32, a: u32, b: u32, c: u32, d: u32, offset: u32, wa: f32, wb: f32, wc: f32, wd: f32): f32 {
  return (
    wa * load<f32>(table + ((<u32>load<u8>(a + offset)) << 2)) +
    wb * load<f32>(table + ((<u32>load<u8>(b + offset)) << 2)) +
    wc * load<f32>(table + ((<u32>load<u8>(c + offset)) << 2)) +
    wd * load<f32>(table + ((<u32>load<u8>(d + offset)) << 2))
  );
}

/** Texel index by the sampler's rule: 0 repeats, 1 clamps, 2 mirrors. */
// @ts-ignore: decorator
@inline
function wrap(i: i32, n: i32, rule: u32): i32 {
  if (rule == 0) {
    const r = i % n;
    return r < 0 ? r + n : r;
  }
  if (rule == 1) return max<i32>(0, min<i32>(n - 1, i));
  const m = 2 * n;
  let r = i % m;
  if (r < 0) r += m;
  return r < n ? r : m - 1 - r;
}

function sampleLevel(t: u32, level: u32, u: f32, v: f32, srgb: bool): void {
  const w = max<i32>(1, load<i32>(t, TEXTURE_WIDTH) >> level),
    h = max<i32>(1, load<i32>(t, TEXTURE_HEIGHT) >> level);
  const texels = load<u32>(t + (level << 2), TEXTURE_LEVEL),
    rules = load<u32>(t, TEXTURE_WRAP);
  const x = u * <f32>w - <f32>0.5,
    y = v * <f32>h - <f32>0.5;
  const fx = floor<f32>(x),
    fy = floor<f32>(y);
  const ax = x - fx,
    ay = y - fy;
  const ix = <i32>fx,
    iy = <i32>fy,
    across = rules & 3,
    down = rules >> 2;
  const x0 = wrap(ix, w, across),
    y0 = wrap(iy, h, down),
    x1 = wrap(ix + 1, w, across),
    y1 = wrap(iy + 1, h, down);
  const a = texels + <u32>((y0 * w + x0) << 2),
    b = texels + <u32>((y0 * w + x1) << 2);
  const c = texels + <u32>((y1 * w + x0) << 2),
    d = texels + <u32>((y1 * w + x1) << 2);
  const wa = (ONE - ax) * (ONE - ay),
    wb = ax * (ONE - ay),
    wc = (ONE - ax) * ay,
    wd = ax * ay;
  if (srgb) {
    const table = paramU(PARAM_SRGB_TABLE);
    red = channelSrgb(table, a, b, c, d, 0, wa, wb, wc, wd);
    green = channelSrgb(table, a, b, c, d, 1, wa, wb, wc, wd);
    blue = channelSrgb(table, a, b, c, d, 2, wa, wb, wc, wd);
  } else {
    red = channel(a, b, c, d, 0, wa, wb, wc, wd);
    green = channel(a, b, c, d, 1, wa, wb, wc, wd);
    blue = channel(a, b, c, d, 2, wa, wb, wc, wd);
  }
  alpha = channel(a, b, c, d, 3, wa, wb, wc, wd);
}

/** Base-2 logarithm of the texture's width times height, halved. */
export function textureScale(index: u32): f32 {
  const t = paramU(PARAM_TEXTURES) + index * TEXTURE_BYTES;
  return <f32>0.5 * Mathf.log2(<f32>load<u32>(t, TEXTURE_WIDTH) * <f32>load<u32>(t, TEXTURE_HEIGHT));
}

/**
 * Texture `index` at (u, v), v from the top as glTF has it; `srgb` decodes colour to linear light. `detail` is the
 * level of the smaller copies to take, 0 and less for the picture itself.
 */
export function sampleTexture(index: u32, u: f32, v: f32, srgb: bool, detail: f32): void {
  const t = paramU(PARAM_TEXTURES) + index * TEXTURE_BYTES;
  const top = load<u32>(t, TEXTURE_LEVELS) - 1;
  if (!(detail > 0) || top == 0) {
    sampleLevel(t, 0, u, v, srgb);
    return;
  }
  const level = min<u32>(top, <u32>floor<f32>(min<f32>(detail, 31)));
  sampleLevel(t, level, u, v, srgb);
  if (level == top) return;
  const share = detail - <f32>level;
  const r = red,
    g = green,
    b = blue,
    a = alpha;
  sampleLevel(t, level + 1, u, v, srgb);
  red = r + share * (red - r);
  green = g + share * (green - g);
  blue = b + share * (blue - b);
  alpha = a + share * (alpha - a);
}
/** A float RGB picture of w x h at pixel coordinates (x, y), clamped at its border. */
export function samplePicture(address: u32, w: i32, h: i32, x: f32, y: f32): void {
  const px = x - <f32>0.5,
    py = y - <f32>0.5;
  const fx = floor<f32>(px),
    fy = floor<f32>(py);
  const ax = px - fx,
    ay = py - fy;
  const x0 = max<i32>(0, min<i32>(w - 1, <i32>fx)),
    y0 = max<i32>(0, min<i32>(h - 1, <i32>fy));
  const x1 = max<i32>(0, min<i32>(w - 1, <i32>fx + 1)),
    y1 = max<i32>(0, min<i32>(h - 1, <i32>fy + 1));
  const a = address + <u32>(y0 * w + x0) * 12,
    b = address + <u32>(y0 * w + x1) * 12;
  const c = address + <u32>(y1 * w + x0) * 12,
    d = address + <u32>(y1 * w + x1) * 12;
  const wa = (ONE - ax) * (ONE - ay),
    wb = ax * (ONE - ay),
    wc = (ONE - ax) * ay,
    wd = ax * ay;
  red = wa * load<f32>(a) + wb * load<f32>(b) + wc * load<f32>(c) + wd * load<f32>(d);
  green = wa * load<f32>(a, 4) + wb * load<f32>(b, 4) + wc * load<f32>(c, 4) + wd * load<f32>(d, 4);
  blue = wa * load<f32>(a, 8) + wb * load<f32>(b, 8) + wc * load<f32>(c, 8) + wd * load<f32>(d, 8);
}

/** A float picture of one channel at pixel coordinates (x, y), clamped at its border. */
export function sampleMask(address: u32, w: i32, h: i32, x: f32, y: f32): f32 {
  const px = x - <f32>0.5,
    py = y - <f32>0.5;
  const fx = floor<f32>(px),
    fy = floor<f32>(py);
  const ax = px - fx,
    ay = py - fy;
  const x0 = max<i32>(0, min<i32>(w - 1, <i32>fx)),
    y0 = max<i32>(0, min<i32>(h - 1, <i32>fy));
  const x1 = max<i32>(0, min<i32>(w - 1, <i32>fx + 1)),
    y1 = max<i32>(0, min<i32>(h - 1, <i32>fy + 1));
  return (
    (ONE - ay) *
      ((ONE - ax) * load<f32>(address + ((<u32>(y0 * w + x0)) << 2)) +
        ax * load<f32>(address + ((<u32>(y0 * w + x1)) << 2))) +
    ay *
      ((ONE - ax) * load<f32>(address + ((<u32>(y1 * w + x0)) << 2)) +
        ax * load<f32>(address + ((<u32>(y1 * w + x1)) << 2)))
  );
}

/** The same, repeating across and clamped down: a latitude-longitude picture. */
export function sampleAround(address: u32, w: i32, h: i32, x: f32, y: f32): void {
  const px = x - <f32>0.5,
    py = y - <f32>0.5;
  const fx = floor<f32>(px),
    fy = floor<f32>(py);
  const ax = px - fx,
    ay = py - fy;
  const x0 = wrap(<i32>fx, w, 0),
    y0 = wrap(<i32>fy, h, 1),
    x1 = wrap(<i32>fx + 1, w, 0),
    y1 = wrap(<i32>fy + 1, h, 1);
  const a = address + <u32>(y0 * w + x0) * 12,
    b = address + <u32>(y0 * w + x1) * 12;
  const c = address + <u32>(y1 * w + x0) * 12,
    d = address + <u32>(y1 * w + x1) * 12;
  const wa = (ONE - ax) * (ONE - ay),
    wb = ax * (ONE - ay),
    wc = (ONE - ax) * ay,
    wd = ax * ay;
  red = wa * load<f32>(a) + wb * load<f32>(b) + wc * load<f32>(c) + wd * load<f32>(d);
  green = wa * load<f32>(a, 4) + wb * load<f32>(b, 4) + wc * load<f32>(c, 4) + wd * load<f32>(d, 4);
  blue = wa * load<f32>(a, 8) + wb * load<f32>(b, 8) + wc * load<f32>(c, 8) + wd * load<f32>(d, 8);
}
