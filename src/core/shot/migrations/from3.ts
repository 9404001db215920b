import type { Migration } from "./document.ts";

/** Version 4: how true marked things are, how the focal length was given, and who is right about the lens. */
export const from3: Migration = (old) => {
  const lens = old.lens as { source: string };
  const typed = lens.source.startsWith("typed: focal length");
  return {
    ...old,
    version: 4,
    lens: { ...lens, givenAs: typed ? "mm" : null, marksSettled: false },
    match: { ...(old.match as object), tolerance: { deg: 0.25, families: {} } },
  };
};
