import type { Document } from "@gltf-transform/core";
import type { SourceFile } from "../files.ts";

/** Up axes that files of a format have. */
export type UpAxis = "x" | "y" | "z";

/** What a file says of itself, as a glTF document or as finished bytes. */
export interface Found {
  content: Document | Uint8Array;
  /** Metres of one unit of the file, null where the format does not tell. */
  unit: number | null;
  /** False where the format does not tell which way is up; Y is then up in `content`. */
  upIsSure: boolean;
  /** What was mended, replaced or left out, in sentences. */
  notices: string[];
  /** Files that it names and that did not come along. */
  missing: string[];
}

/** Is told how much of a file is read, from 0 to 1. */
export type Tell = (share: number) => void;

/** A format that models come in. */
export interface Importer {
  title: string;
  /** True if the file is of this format, by what is in it. */
  recognises: (bytes: Uint8Array) => boolean;
  /** Reads it, with the files that came along. Throws ModelError with advice. */
  read: (main: SourceFile, files: readonly SourceFile[], tell?: Tell) => Found;
  /** How much better it is than another format in the same folder: glTF knows more than OBJ, and that more than STL. */
  rank: number;
}
