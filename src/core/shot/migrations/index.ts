import type { Migration } from "./document.ts";
import { from1 } from "./from1.ts";
import { from2 } from "./from2.ts";
import { from3 } from "./from3.ts";
import { from4 } from "./from4.ts";
import { from5 } from "./from5.ts";
import { from6 } from "./from6.ts";
import { from7 } from "./from7.ts";

/** Migrations by the version that they start from. */
export const MIGRATIONS: Record<number, Migration> = {
  1: from1,
  2: from2,
  3: from3,
  4: from4,
  5: from5,
  6: from6,
  7: from7,
};
