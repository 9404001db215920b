/**
 * A short text that tells texts apart: two 32-bit FNV-1a sums over its UTF-16 units, one from each end (Fowler, Noll
 * and Vo, RFC 9923). For seeing that something changed, not against malice.
 */
export function fingerprint(text: string): string {
  let [a, b] = [0x811c9dc5, 0x811c9dc5];
  for (let i = 0; i < text.length; i++) {
    a = Math.imul(a ^ text.charCodeAt(i), 0x01000193);
    b = Math.imul(b ^ text.charCodeAt(text.length - 1 - i), 0x01000193);
  }
  return (a >>> 0).toString(36) + (b >>> 0).toString(36).padStart(7, "0");
}
