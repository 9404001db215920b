/**
 * A finished picture as a stack of layers in code values of 8 bits, as paint programs lay them: the plate; shadow, which
 * multiplies it; light, which is added; the object over that; and what grain and look do, by multiplying and adding. The
 * stack gives the picture's own codes to within one.
 */
export interface CodeStack {
  /** RGB. */
  shadow: Uint8Array;
  light: Uint8Array;
  /** RGBA, straight alpha. */
  object: Uint8Array;
  darker: Uint8Array;
  lighter: Uint8Array;
}

const times = (a: number, b: number): number => Math.round((a * b) / 255);

/**
 * Layers between codes of the plate, of the plate with shadow and reflection behind the props, and of the picture; `alpha` is
 * the props' coverage. All RGB of 8 bits.
 */
export function codeStack(plate: Uint8Array, behind: Uint8Array, picture: Uint8Array, alpha: Float32Array): CodeStack {
  const n = alpha.length;
  const stack: CodeStack = {
    shadow: new Uint8Array(n * 3).fill(255),
    light: new Uint8Array(n * 3),
    object: new Uint8Array(n * 4),
    darker: new Uint8Array(n * 3).fill(255),
    lighter: new Uint8Array(n * 3),
  };
  for (let p = 0, i = 0; p < n; p++, i += 3) {
    const a = Math.round(255 * Math.min(1, Math.max(0, alpha[p])));
    stack.object[p * 4 + 3] = a;
    for (let k = 0; k < 3; k++) {
      const own = plate[i + k];
      const wanted = behind[i + k];
      const multiplier = wanted >= own ? 255 : Math.round((255 * wanted) / own);
      stack.shadow[i + k] = multiplier;
      const shaded = times(own, multiplier);
      const light = Math.max(0, wanted - shaded);
      stack.light[i + k] = light;
      const lit = Math.min(255, shaded + light);
      const target = picture[i + k];
      let seen = lit;
      if (a > 0) {
        const colour = Math.min(255, Math.max(0, Math.round(lit + ((target - lit) * 255) / a)));
        stack.object[p * 4 + k] = colour;
        seen = Math.round((colour * a + lit * (255 - a)) / 255);
      }
      if (target < seen) {
        const down = Math.round((255 * target) / seen);
        stack.darker[i + k] = down;
        seen = times(seen, down);
      }
      stack.lighter[i + k] = Math.max(0, target - seen);
    }
  }
  return stack;
}
