/** A document of an earlier version: its schema is gone, so its fields are told by name where they are used. */
export type OldDocument = Record<string, unknown>;

/** Takes a document to the next version. It knows nothing of today's schema, which goes on changing. */
export type Migration = (old: OldDocument) => OldDocument;

/** Every entry of a record made anew. */
export const entries = <T, R>(record: Record<string, T>, make: (value: T) => R): Record<string, R> =>
  Object.fromEntries(Object.entries(record).map(([id, value]) => [id, make(value)]));
