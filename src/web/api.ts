import type { Follow } from "./followed.ts";
import type { KeepModel, KeptFont, KeptModel, KeptModelDetails, NewerFile } from "#core/props/library";
import type { Yardstick } from "#core/match/yardsticks";
import type { LensKit } from "#core/optics/lensKit";
import type {
  FinalListing,
  FinalRequest,
  KeptLensKit,
  ModelAsset,
  NewShot,
  OpenShot,
  PictureAsset,
  PlateAsset,
  SurroundingsAsset,
  QueueMove,
  QueuedFinal,
  ReadingState,
  Save,
  ShotListing,
  StaleAnswer,
  TakeListing,
  WorkState,
} from "#core/shot/api";
import type { Comp } from "#core/comp/schema";
import type { HandOverChoice } from "#core/handover/choice";
import type { Shot } from "#core/shot/schema";

/** An answer that was not good: its sentence, and what to do. */
export class ApiFailure extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly hint: string,
    readonly body: unknown,
  ) {
    super(message);
  }
}

async function ask<T>(path: string, init: RequestInit = {}): Promise<T> {
  // A page of another origin cannot send this header without asking first; the server wants it of every change.
  const request = fetch(`/api${path}`, { ...init, headers: { "X-Harbor": "1", ...init.headers } });
  return answered<T>(await request.catch(() => null));
}

/** What an answer holds; null for one that never came. Throws ApiFailure where it is not good. */
async function answered<T>(response: Response | null): Promise<T> {
  if (!response)
    throw new ApiFailure(
      0,
      "offline",
      "The server does not answer.",
      "Check that it still runs; your work is kept in this browser meanwhile.",
      null,
    );
  if (response.status === 204) return undefined as T;
  const body: unknown = await response.json().catch(() => null);
  if (!response.ok) {
    const {
      code = "unknown",
      message = `The server answered ${response.status}.`,
      hint = "",
    } = (body ?? {}) as Partial<StaleAnswer>;
    throw new ApiFailure(response.status, code, message, hint, body);
  }
  return body as T;
}

/** Sends a file and tells how much of it is on its way; `fetch` does not. */
async function sent<T>(
  path: string,
  file: File,
  { onSent, reading, signal }: Partial<Follow> & Pick<Follow, "onSent">,
): Promise<T> {
  const request = new XMLHttpRequest();
  signal?.addEventListener("abort", () => request.abort());
  const answer = await new Promise<Response | null>((resolve) => {
    request.upload.onprogress = ({ loaded, total }) => onSent(total > 0 ? loaded / total : 1);
    request.onload = () => resolve(new Response(request.responseText, { status: request.status }));
    request.onerror = request.onabort = () => resolve(null);
    request.open("POST", `/api${path}`);
    const { headers } = upload(file);
    const named = reading ? { "X-Reading": reading } : {};
    for (const [name, value] of Object.entries({ "X-Harbor": "1", ...headers, ...named }))
      request.setRequestHeader(name, value);
    request.send(file);
  });
  return answered<T>(answer);
}

const json = (body: unknown): RequestInit => ({
  method: "POST",
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(body),
});

const upload = (file: File) => ({
  method: "POST",
  headers: { "Content-Type": "application/octet-stream", "X-File-Name": encodeURIComponent(file.name) },
  body: file,
});

export const api = {
  shots: () => ask<ShotListing[]>("/shots"),
  createShot: (file: File) => ask<NewShot>("/shots", upload(file)),
  readPlate: (file: File) => ask<PlateAsset>("/plates", upload(file)),
  openShot: (id: string) => ask<OpenShot>(`/shots/${id}`),
  deleteShot: (id: string) => ask<void>(`/shots/${id}`, { method: "DELETE" }),
  save: (id: string, save: Save) => ask<{ revision: number }>(`/shots/${id}/steps`, json(save)),
  takes: (id: string) => ask<TakeListing[]>(`/shots/${id}/takes`),
  keepTake: (id: string, name: string, shot: Shot, thumbnail?: string) =>
    ask<TakeListing>(`/shots/${id}/takes`, json({ name, shot, thumbnail })),
  openTake: (id: string) => ask<Shot>(`/takes/${id}`),
  renameTake: (id: string, name: string) => ask<TakeListing>(`/takes/${id}/name`, json({ name })),
  deleteTake: (id: string) => ask<void>(`/takes/${id}`, { method: "DELETE" }),
  lensKits: () => ask<KeptLensKit[]>("/lens-kits"),
  addLensKit: (kit: LensKit) => ask<KeptLensKit>("/lens-kits", json(kit)),
  changeLensKit: (id: string, kit: LensKit) => ask<KeptLensKit>(`/lens-kits/${id}`, { ...json(kit), method: "PUT" }),
  deleteLensKit: (id: string) => ask<void>(`/lens-kits/${id}`, { method: "DELETE" }),
  yardsticks: () => ask<{ list: Yardstick[] }>("/yardsticks"),
  keepYardsticks: (list: Yardstick[]) =>
    ask<{ list: Yardstick[] }>("/yardsticks", { ...json({ list }), method: "PUT" }),
  addPicture: (file: File) => ask<PictureAsset>("/pictures", upload(file)),
  /** Followed on its way; `reading` is the name by which `reading` tells how far it is. */
  sendSurroundings: (file: File, follow: Follow) => sent<SurroundingsAsset>("/surroundings", file, follow),
  addModel: (file: File) => ask<ModelAsset>("/models", upload(file)),
  sendModel: (file: File, follow: Follow) => sent<ModelAsset>("/models", file, follow),
  reading: (id: string) => ask<ReadingState>(`/readings/${id}`),
  keptFonts: () => ask<KeptFont[]>("/library/fonts"),
  keepFont: (file: File) => ask<KeptFont>("/library/fonts", upload(file)),
  deleteFont: (hash: string) => ask<void>(`/library/fonts/${hash}`, { method: "DELETE" }),
  keptModels: () => ask<KeptModel[]>("/library/models"),
  keepModel: (model: KeepModel) => ask<KeptModel>("/library/models", json(model)),
  describeModel: (hash: string, details: KeptModelDetails) =>
    ask<KeptModel>(`/library/models/${hash}`, { ...json(details), method: "PUT" }),
  replaceModel: (hash: string, newer: NewerFile) =>
    ask<{ shots: string[] }>(`/library/models/${hash}/newer`, json(newer)),
  deleteKeptModel: (hash: string) => ask<void>(`/library/models/${hash}`, { method: "DELETE" }),
  addFinal: (id: string, request: FinalRequest) => ask<FinalListing>(`/shots/${id}/finals`, json(request)),
  finals: (id: string) => ask<FinalListing[]>(`/shots/${id}/finals`),
  queue: () => ask<QueuedFinal[]>("/queue"),
  finishFinal: (id: string, comp: Comp) => ask<WorkState>(`/finals/${id}/finish`, json(comp)),
  handOver: (id: string, final: string | null, choice: HandOverChoice) =>
    ask<WorkState>(`/shots/${id}/handover`, json({ ...choice, final })),
  sitReport: (final: string) => ask<WorkState>(`/finals/${final}/sit`, json({})),
  workAnswer: <T>(id: string) => ask<T>(`/works/${id}/answer`),
  createFromBundle: (file: File) => ask<NewShot>("/bundles", upload(file)),
  work: (id: string) => ask<WorkState>(`/works/${id}`),
  cancelWork: (id: string) => ask<WorkState>(`/works/${id}/cancel`, { method: "POST" }),
  moveFinal: (id: string, move: QueueMove) => ask<FinalListing>(`/finals/${id}/${move}`, { method: "POST" }),
  cancelFinal: (id: string) => ask<FinalListing>(`/finals/${id}/cancel`, { method: "POST" }),
};
