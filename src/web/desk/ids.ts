/** A new id like "edge-7" that no thing of the record has. */
export function freshId(kind: string, record: Record<string, unknown>): string {
  for (let i = 1; ; i++) if (!(`${kind}-${i}` in record)) return `${kind}-${i}`;
}
