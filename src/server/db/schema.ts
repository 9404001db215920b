import { doublePrecision, integer, jsonb, pgTable, primaryKey, text, timestamp } from "drizzle-orm/pg-core";
import type { Edit, Step } from "#core/shot/edits";
import type { Yardstick } from "#core/match/yardsticks";
import type { KeptModelDetails } from "#core/props/library";
import type { Reading } from "#core/props/schema";
import type { LensKit } from "#core/optics/lensKit";
import type { FinalStatus } from "#core/shot/api";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";

/** Everything but the files, which lie in the asset store. */

export const shots = pgTable("shots", {
  id: text("id").primaryKey(),
  name: text("name").notNull(),
  /** The revision that document and history are of; later steps are in the table of steps. */
  revision: integer("revision").notNull(),
  document: jsonb("document").$type<Shot>().notNull(),
  undo: jsonb("undo").$type<Edit[]>().notNull(),
  redo: jsonb("redo").$type<Edit[]>().notNull(),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
  updatedAt: timestamp("updated_at", { withTimezone: true }).notNull().defaultNow(),
});

/**
 * Every step of work, one a revision: what an edit writes. The shot's document is brought up to date now and then, and
 * from then on steps are kept for rebasing stale work alone.
 */
export const steps = pgTable(
  "steps",
  {
    shotId: text("shot_id")
      .notNull()
      .references(() => shots.id, { onDelete: "cascade" }),
    revision: integer("revision").notNull(),
    /** What the step is known by when it arrives again. */
    stepId: text("step_id").notNull(),
    step: jsonb("step").$type<Step>().notNull(),
    /** What a step back or forth changed; those of an edit are in it. */
    patches: jsonb("patches").$type<Edit["forward"]>(),
    createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
  },
  (table) => [primaryKey({ columns: [table.shotId, table.revision] })],
);

export const takes = pgTable("takes", {
  id: text("id").primaryKey(),
  shotId: text("shot_id")
    .notNull()
    .references(() => shots.id, { onDelete: "cascade" }),
  name: text("name").notNull(),
  document: jsonb("document").$type<Shot>().notNull(),
  /** A small picture of the state, as a data address. */
  thumbnail: text("thumbnail"),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
});

/** Lenses kept by name for later plates. */
export const lensKits = pgTable("lens_kits", {
  id: text("id").primaryKey(),
  document: jsonb("document").$type<LensKit>().notNull(),
  updatedAt: timestamp("updated_at", { withTimezone: true }).notNull().defaultNow(),
});

/** Models kept for other shots, by the hash of their file. */
export const models = pgTable("models", {
  hash: text("hash").primaryKey(),
  fileName: text("file_name").notNull(),
  reading: jsonb("reading").$type<Reading>().notNull(),
  details: jsonb("details").$type<KeptModelDetails>().notNull(),
  triangles: integer("triangles").notNull(),
  /** Extent along X, Y and Z (up) as it is read, metres. */
  size: jsonb("size").$type<[number, number, number]>().notNull(),
  materials: integer("materials").notNull(),
  /** Hash of its picture. */
  picture: text("picture").notNull(),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
});

/** Fonts for lettering that were brought in, by the hash of their file. */
export const fonts = pgTable("fonts", {
  hash: text("hash").primaryKey(),
  name: text("name").notNull(),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
});

/** Plates that were read here, by what tells their pixels: a shot may take them as versions of its own. */
export const plates = pgTable("plates", {
  pixels: text("pixels").primaryKey(),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
});

/** The user's own list of yardsticks; one row once it was changed. */
export const yardsticks = pgTable("yardsticks", {
  id: text("id").primaryKey(),
  list: jsonb("list").$type<Yardstick[]>().notNull(),
});

/** Files of a finished render: hashes by what they are, such as picture, prop, ratio, added and layers. */
export type FinalFiles = Record<string, string>;

export const finals = pgTable("finals", {
  id: text("id").primaryKey(),
  shotId: text("shot_id")
    .notNull()
    .references(() => shots.id, { onDelete: "cascade" }),
  status: text("status").$type<FinalStatus>().notNull(),
  /** Order in the queue: the smaller the sooner. */
  place: doublePrecision("place").notNull().default(0),
  percent: integer("percent").notNull(),
  samples: integer("samples").notNull(),
  samplesDone: doublePrecision("samples_done").notNull().default(0),
  secondsLeft: doublePrecision("seconds_left"),
  seconds: doublePrecision("seconds"),
  message: text("message"),
  /** How it is rendered; null in renders of older versions, which had size and samples only. */
  settings: jsonb("settings").$type<RenderChoice>(),
  /** Noise that was reached, in 8-bit code values. */
  noise: doublePrecision("noise"),
  notices: jsonb("notices").$type<string[]>().notNull().default([]),
  document: jsonb("document").$type<Shot>().notNull(),
  files: jsonb("files").$type<FinalFiles>(),
  createdAt: timestamp("created_at", { withTimezone: true }).notNull().defaultNow(),
});
