import { rm } from "node:fs/promises";
import type { PlateInfo } from "#core/plate/schema";
import type { Received } from "./receive.ts";
import type { Services } from "./services.ts";

/**
 * Reads a plate that came in, stores the file with its codes, profile and thumbnail, and describes it for the shot
 * document. Throws ApiError with the sentence why it is refused.
 */
export async function storePlate(
  { assets, reader, previews, room }: Pick<Services, "assets" | "reader" | "previews" | "room">,
  { path, hash, name }: Pick<Received, "path" | "hash" | "name">,
): Promise<{ info: PlateInfo; notices: string[] }> {
  const [codes, profile, thumbnail] = await Promise.all([assets.newPath(), assets.newPath(), assets.newPath()]);
  try {
    const plate = await reader.read("plate", path, name, { codes, profile, thumbnail });
    room.ask();
    const asset = await assets.take(path, hash);
    await previews.take(asset, "thumbnail", thumbnail);
    const info: PlateInfo = {
      asset,
      codes: await assets.take(codes, plate.codes.hash),
      fileName: name,
      width: plate.width,
      height: plate.height,
      encoding: plate.encoding,
      profile: plate.profile ? await assets.take(profile, plate.profile.hash) : null,
      exif: plate.exif,
      owner: "",
      licence: "",
      drawing: false,
    };
    return { info, notices: plate.notices };
  } finally {
    for (const file of [codes, profile, thumbnail]) await rm(file, { force: true });
  }
}
