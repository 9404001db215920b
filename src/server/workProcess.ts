import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { SCREEN_WIDTH } from "#core/comp/screen";
import { readAsset } from "#core/exchange/asset";
import type { HandOverChoice } from "#core/handover/choice";
import type { Model } from "#core/props/model";
import type { RenderChoice } from "#core/render/schema";
import type { Shot } from "#core/shot/schema";
import { aboutRender, writeFinishedAgain } from "#node/finalFiles";
import type { PassPaths } from "#node/finishRowsJob";
import type { HandOver } from "#node/handover/exporter";
import type { FinishedPicture } from "#node/handover/finished";
import { finishedPicture } from "#node/handover/finished";
import { handOver } from "#node/handover/index";
import type { Known } from "#core/sit/scene";
import type { PicturedLine } from "#node/handover/sit";
import { picturedReport } from "#node/handover/sit";
import { decodeTexture } from "#node/images";
import { unpackCodes } from "#node/packedCodes";
import { plateOf } from "#node/plateRows";
import { screenPasses } from "#node/screenPasses";

/** What is done with a finished render, in a process of its own: a kill cancels at once. */

/** A finished render: its document, and paths of what it needs. */
export interface FinalPaths {
  shot: Shot;
  choice: RenderChoice;
  codes: string;
  profile: string | null;
  /** Models by hash. */
  models: Record<string, string>;
  /** Its files by what they are. */
  files: Record<string, string>;
}

/** What can be asked, and what is answered. */
export interface WorkTasks {
  /** Passes at the size of a screen, in one file. */
  screen: { ask: null; answer: { file: string } };
  /** The picture anew from its passes, with the document's comp: file names by what they are. */
  finish: { ask: null; answer: { files: Record<string, string> } };
  /** What was chosen to be handed over. */
  handover: { ask: HandOverAsk; answer: { files: { name: string; bytes: number }[] } };
  /** What still gives the composite away. */
  sit: { ask: { notices: string[]; known: Known }; answer: { lines: PicturedLine[] } };
}
export interface HandOverAsk {
  choice: HandOverChoice;
  /** The shot as it is now. */
  document: Shot;
  takes: HandOver["takes"];
  known: Known;
  /** Paths of all files that shot and takes name, by hash. */
  assets: Record<string, string>;
}
export type WorkTask = keyof WorkTasks;

export interface WorkOrder {
  task: WorkTask;
  final: FinalPaths;
  ask: unknown;
  /** Folder that the files go to. */
  target: string;
}

export type WorkMessage =
  | { kind: "progress"; share: number; what: string }
  | { kind: "done"; answer: unknown }
  | { kind: "failed"; message: string };

type Tell = (share: number, what: string) => void;

async function plateFor({ shot, codes }: FinalPaths) {
  return plateOf(shot, await unpackCodes(new Uint8Array(await readFile(codes)), shot.plates.main));
}

async function modelsFor({ models }: FinalPaths): Promise<Map<string, Model>> {
  const read = new Map<string, Model>();
  for (const [hash, file] of Object.entries(models))
    read.set(hash, await readAsset(new Uint8Array(await readFile(file)), decodeTexture));
  return read;
}

/** Paths of a render's passes. Throws where an older one does not have them. */
function passesOf({ files }: FinalPaths): PassPaths {
  const need = (name: string) => {
    if (!files[name]) throw new Error("This final has no passes to finish again. Render it anew.");
    return files[name];
  };
  return {
    prop: need("premultiplied"),
    ratio: need("ratio"),
    added: need("added"),
    depth: need("depth"),
    occlusion: files.occlusion ?? null,
  };
}

/** Softness of a render's pixel filter, pixels; that of the usual filter for renders of before. */
async function sigmaOf({ files }: FinalPaths): Promise<number> {
  return files.about ? aboutRender(await readFile(files.about, "utf8")).renderedSigma : SOFT_SIGMA;
}
const SOFT_SIGMA = 0.4155;

const tasks: { [T in WorkTask]: (order: WorkOrder, tell: Tell) => Promise<WorkTasks[T]["answer"]> } = {
  async screen({ final, target }) {
    const bytes = await screenPasses(passesOf(final), await plateFor(final), SCREEN_WIDTH, await sigmaOf(final));
    const file = path.join(target, "screen.bin");
    await writeFile(file, bytes);
    return { file };
  },

  async finish({ final, target }, tell) {
    const profile = final.profile ? new Uint8Array(await readFile(final.profile)) : null;
    const plate = await plateFor(final);
    const files = await writeFinishedAgain(
      target,
      final.shot,
      plate,
      profile,
      final.choice,
      passesOf(final),
      await sigmaOf(final),
      (done, of) => tell(done / of, "finishing"),
    );
    return { files };
  },

  async sit({ final, ask }, tell) {
    const { notices, known } = ask as WorkTasks["sit"]["ask"];
    const plate = await plateFor(final);
    tell(0.2, "putting the picture together");
    const picture = await finishedPicture(final.shot, plate, passesOf(final), await sigmaOf(final));
    tell(0.6, "looking at it");
    const models = await modelsFor(final);
    const lines = await picturedReport({
      shot: final.shot,
      plate,
      models,
      picture: () => Promise.resolve(picture),
      notices,
      known,
    });
    return { lines };
  },

  async handover({ final, target, ask }, tell) {
    const { choice, document, takes, assets, known } = ask as HandOverAsk;
    const plate = await plateFor(final);
    const models = await modelsFor(final);
    let made: Promise<FinishedPicture> | null = null;
    const picture = async () => finishedPicture(final.shot, plate, passesOf(final), await sigmaOf(final));
    const over: HandOver = {
      shot: final.shot,
      document,
      plate,
      profile: final.profile ? new Uint8Array(await readFile(final.profile)) : null,
      models,
      choice,
      picture: () => (made ??= picture()),
      files: final.files,
      known,
      assets,
      takes,
      now: new Date(),
    };
    return { files: await handOver(target, over, tell) };
  },
};

const say = (message: WorkMessage): Promise<void> => new Promise((resolve) => process.send!(message, () => resolve()));

// Without its server a work has no one to do it for.
process.on("disconnect", () => process.exit(1));
process.once("message", (order: WorkOrder) => {
  const tell: Tell = (share, what) => void say({ kind: "progress", share, what });
  tasks[order.task](order, tell)
    .then(
      (answer) => say({ kind: "done", answer }),
      (error: Error) => say({ kind: "failed", message: error.message }),
    )
    .finally(() => process.disconnect());
});
