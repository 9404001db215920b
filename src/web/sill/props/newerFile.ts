import type { Model } from "#core/props/model";
import { modelDifferences } from "#core/props/differences";
import { readModel } from "#core/props/reading";
import type { Reading } from "#core/props/schema";
import { hasFile, takeNewerFile } from "#core/shot/newerFile";
import { api } from "../../api.ts";
import { useLibrary } from "../../stores/library.ts";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";
import type { DroppedFile } from "./bringModel.ts";
import { useBringModel } from "./bringModel.ts";

/** A newer file of a model in the place of an older one, in the open shot or in all; what it has otherwise is told. */
export function useNewerFile() {
  const store = useShot();
  const models = useModels();
  const notices = useNotices();
  const library = useLibrary();
  const { reading, asked, bring, cancel } = useBringModel();

  const read = (model: Model | undefined, by: Reading): Model | null => (model ? readModel(model, by) : null);

  /** True once it was replaced. */
  async function replace(
    older: { asset: string; name: string; reading: Reading },
    files: readonly DroppedFile[],
    everywhere: boolean,
  ): Promise<boolean> {
    const before = read(await models.fetched(older.asset), older.reading);
    const brought = await bring(files, older.reading);
    if (!brought) return false;
    const { asset, reading: by } = brought;
    const newer = { asset: asset.hash, fileName: asset.fileName, reading: by };
    if (newer.asset === older.asset) {
      notices.say("warn", `${asset.fileName} is the same file as before.`, "Choose the newer one.");
      return false;
    }
    const now = read(await models.fetched(asset.hash), by);
    const open = store.work!.shot;
    if (hasFile(open, older.asset))
      await store.commit(`Newer file of ${older.name}`, (d) => takeNewerFile(d, older.asset, newer));
    let others: string[] = [];
    if (everywhere) {
      await store.flush();
      ({ shots: others } = await api.replaceModel(older.asset, {
        hash: asset.hash,
        fileName: asset.fileName,
        reading: by,
        except: store.id,
      }));
      await library.openModels();
    } else library.keepModel({ hash: asset.hash, fileName: asset.fileName, name: older.name, reading: by });
    const words = now && before ? modelDifferences(now, before) : [];
    const where = others.length > 0 ? ` Also in ${others.join(", ")}.` : "";
    notices.say(
      words.length > 0 ? "warn" : "good",
      words.length > 0
        ? `${asset.fileName}: ${words.join(" ")}${where}`
        : `${asset.fileName} has the same size, materials and parts.${where}`,
    );
    return true;
  }

  return { reading, asked, replace, cancel };
}
