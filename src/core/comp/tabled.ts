/** Bits of a float's fraction that tables go by: 2048 steps from one power of two to the next. */
const STEPS = 11;
const REST = 23 - STEPS;
/** Powers of two between which the table stands: light of 1/65536 to 64. */
const [LOW, HIGH] = [-16, 6];

/**
 * A smooth function of light as a table with straight pieces between, some times as fast as a power: within 4e-7 of its size
 * for powers from a tenth to four. Below and above the table it is asked itself.
 */
export function tabled(of: (x: number) => number): (x: number) => number {
  const one = new Float32Array(1);
  const bits = new Uint32Array(one.buffer);
  one[0] = 2 ** LOW;
  const first = bits[0] >>> REST;
  const count = (HIGH - LOW) << STEPS;
  const table = new Float64Array(count + 1);
  for (let i = 0; i <= count; i++) {
    bits[0] = (first + i) << REST;
    table[i] = of(one[0]);
  }
  const [least, most] = [2 ** LOW, 2 ** HIGH];
  const share = 2 ** -REST;
  const mask = 2 ** REST - 1;
  return (x) => {
    if (!(x >= least && x < most)) return of(x);
    one[0] = x;
    const word = bits[0];
    const i = (word >>> REST) - first;
    return table[i] + (word & mask) * share * (table[i + 1] - table[i]);
  };
}
