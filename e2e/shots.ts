import type { APIRequestContext } from "@playwright/test";
import type { NewShot, OpenShot, ShotListing } from "#core/shot/api";
import { makeEdit } from "#core/shot/edits";
import type { Shot } from "#core/shot/schema";
import { demoFile } from "../src/demo/shot.ts";

const NAMES = {
  quay: "Quay, channel buoy",
  netloft: "Net loft, kettle and float",
  slipway: "Slipway, rowing boat",
};

export const opened = async (request: APIRequestContext, id: string): Promise<OpenShot> =>
  (await (await request.get(`/api/shots/${id}`)).json()) as OpenShot;

/** Takes the props out of a copy where nothing looks at them: without a graphics card their view takes all that there is. */
export const withoutProps = (copy: Shot): void => void (copy.props = {});

/** A new shot of a demo's plate, with as much of the demo's work in it as asked for. */
export async function copyOfDemo(
  request: APIRequestContext,
  change: (copy: Shot) => void = () => undefined,
  place: keyof typeof NAMES = "quay",
): Promise<string> {
  const list = (await (await request.get("/api/shots")).json()) as ShotListing[];
  const demo = await opened(request, list.find((s) => s.name === NAMES[place])!.id);
  const response = await request.post("/api/shots", {
    headers: { "x-file-name": `${place}.jpg` },
    data: Buffer.from(await demoFile("plate.jpg", place)),
  });
  const { id } = (await response.json()) as NewShot;
  const fresh = await opened(request, id);
  const copy: Shot = { ...structuredClone(demo.shot), name: "Copy", plates: structuredClone(fresh.shot.plates) };
  change(copy);
  const edit = makeEdit(fresh.shot, "copy", "Copy the demo", (d) => void Object.assign(d, copy))!;
  await request.post(`/api/shots/${id}/steps`, { data: { revision: 0, steps: [{ kind: "do", edit }] } });
  return id;
}
