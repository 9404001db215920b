import * as v from "valibot";

/** What a part of the set is for. Each flag is one way in which light meets it. */
export const FlagsSchema = v.object({
  /** Stands before props in the picture, showing the plate. */
  seen: v.boolean(),
  /** Takes shadow, bounce and reflection of the props. */
  catches: v.boolean(),
  /** Keeps sun and lamps from what is behind it. */
  shadow: v.boolean(),
  /** Is seen in mirrors and gloss. */
  reflection: v.boolean(),
  /** Returns light in its own colours. */
  bounce: v.boolean(),
  /** Keeps sky and surroundings from what is behind it. */
  blocks: v.boolean(),
});
export type Flags = v.InferOutput<typeof FlagsSchema>;
export const FLAG_NAMES = Object.keys(FlagsSchema.entries) as (keyof Flags)[];

export const ROLES = {
  catcher: { seen: true, catches: true, shadow: true, reflection: true, bounce: true, blocks: true },
  blocker: { seen: true, catches: false, shadow: true, reflection: true, bounce: true, blocks: true },
  solid: { seen: false, catches: false, shadow: true, reflection: true, bounce: true, blocks: true },
  bounce: { seen: false, catches: false, shadow: false, reflection: false, bounce: true, blocks: false },
} as const satisfies Record<string, Flags>;
export type Role = keyof typeof ROLES;

/** What each role is for, in a sentence. */
export const ROLE_WORDS: Record<Role, string> = {
  catcher: "Shows the plate, and takes shadow, bounce and reflection of the props.",
  blocker: "Hides props behind it and casts the shadow that the plate already has; takes none.",
  solid: "Not in the picture, as a roof over the camera: shades, returns light and is mirrored.",
  bounce: "Only returns light in its colour; hides and shades nothing.",
};

export const flagsOf = (role: Role): Flags => ({ ...ROLES[role] });

/** The role whose flags these are; null for flags of one's own choice. */
export const roleOf = (flags: Flags): Role | null =>
  (Object.keys(ROLES) as Role[]).find((role) => FLAG_NAMES.every((name) => ROLES[role][name] === flags[name])) ?? null;
