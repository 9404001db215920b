import type { Migration } from "./document.ts";

/** Version 7: shapes with real sizes, looks by material, copies, what props stand on, and how their files are read. */
export const from6: Migration = (old) => {
  const sourceOf = (source: Record<string, unknown>) => {
    if (source.kind === "model") return { ...source, reading: { unit: 1, up: "z" }, skin: null };
    const { kind, ...surface } = source;
    const size = [1, 1, 1];
    const shape = kind === "sphere" ? { kind, size } : { kind, size, bevel: 0 };
    return { kind: "shape", shape, ...surface };
  };
  const entries = Object.entries(old.props as Record<string, Record<string, unknown>>);
  return {
    ...old,
    version: 7,
    props: Object.fromEntries(
      entries.map(([id, prop]) => [
        id,
        {
          ...prop,
          source: sourceOf(prop.source as Record<string, unknown>),
          looks: {},
          array: null,
          stands: null,
          locked: false,
          role: "cg",
          group: null,
        },
      ]),
    ),
  };
};
