// The parameter block of the render in progress, and the typed reads of it.
let block: u32 = 0;

export function setParams(address: u32): void {
  block = address;
}
// @ts-ignore: decorator
@inline
export function paramU(offset: usize): u32 {
  return load<u32>(block + <u32>offset);
}
// @ts-ignore: decorator
@inline
export function paramF(offset: usize): f32 {
  return load<f32>(block + <u32>offset);
}
