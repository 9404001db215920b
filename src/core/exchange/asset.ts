import { isExr } from "../image/exrCheck.ts";
import { readExr } from "../image/exrRead.ts";
import { pictureHeader } from "../image/header.ts";
import { pictureModel } from "../props/looks.ts";
import type { Model } from "../props/model.ts";
import type { ImageDecoder } from "./gltf.ts";
import { importGlb } from "./gltf.ts";

/** MIME types by what `pictureHeader` tells. */
const TYPES = { jpeg: "image/jpeg", png: "image/png", webp: "image/webp" } as const;

/** What a document's model, picture of a look or of the surroundings is, from its file as it is kept. Throws ModelError as `importGlb` does. */
export async function readAsset(bytes: Uint8Array, decode: ImageDecoder): Promise<Model> {
  if (isExr(bytes)) return { meshes: [], materials: [], textures: [], around: readExr(bytes, 3) };
  const picture = pictureHeader(bytes);
  if (picture) return pictureModel(await decode(bytes, TYPES[picture.kind]));
  return (await importGlb(bytes, decode)).model;
}
