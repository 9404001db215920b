import type { Migration } from "./document.ts";

/** Version 6: measures of several kinds, roles by face, and rows whose members' feet were placed on the plate. */
export const from5: Migration = (old) => {
  const foot = (world: unknown) => ({ world, pixel: null, plate: "main" });
  const row = (part: Record<string, unknown>) => {
    const { copies, ...rest } = part as { copies: { offset: unknown; turnDeg: number }[] };
    return {
      ...rest,
      first: foot([0, 0, 0]),
      normal: [0, 0, 1],
      copies: copies.map(({ offset, turnDeg }) => ({ foot: foot(offset), turnDeg })),
      end: null,
    };
  };
  const entries = Object.entries(old.set as Record<string, Record<string, unknown>>);
  const measures = Object.entries(old.measures as Record<string, object>);
  return {
    ...old,
    version: 6,
    set: Object.fromEntries(
      entries.map(([id, part]) => [id, { ...(part.kind === "row" ? row(part) : part), faceFlags: {} }]),
    ),
    measures: Object.fromEntries(measures.map(([id, measure]) => [id, { ...measure, kind: "length" }])),
  };
};
