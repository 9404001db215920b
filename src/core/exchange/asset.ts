import { pictureHeader } from "../image/header.ts";
import { pictureModel } from "../props/looks.ts";
import type { Model } from "../props/model.ts";
import type { ImageDecoder } from "./gltf.ts";
import { importGlb } from "./gltf.ts";

/** MIME types by what `pictureHeader` tells. */
const TYPES = { jpeg: "image/jpeg", png: "image/png", webp: "image/webp" } as const;

/** What a document's model or picture of a look is, from its file as it is kept. Throws ModelError as `importGlb` does. */
export async function readAsset(bytes: Uint8Array, decode: ImageDecoder): Promise<Model> {
  const picture = pictureHeader(bytes);
  if (picture) return pictureModel(await decode(bytes, TYPES[picture.kind]));
  return (await importGlb(bytes, decode)).model;
}
