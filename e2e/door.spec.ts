import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { chromium, expect, test } from "@playwright/test";
import type { ShotListing } from "#core/shot/api";
import { chromiumArgs, chromiumPath } from "../scripts/chromium.mjs";
import { copyOfDemo } from "./shots.ts";

/** What a page of another origin can try, as that page; answers what came of each. */
const attempts = async (at: string, id: string) => {
  const tried = async (make: () => Promise<Response>) => {
    try {
      const response = await make();
      return response.type === "opaque" ? "opaque" : `${response.status}`;
    } catch {
      return "refused";
    }
  };
  const json = { method: "POST", headers: { "content-type": "application/json" }, body: '{"name":"Taken over"}' };
  return {
    read: await tried(() => fetch(`${at}/api/shots`)),
    post: await tried(() => fetch(`${at}/api/shots`, { method: "POST", mode: "no-cors", body: "x" })),
    text: await tried(() => fetch(`${at}/api/pictures`, { method: "POST", mode: "no-cors", body: "x" })),
    rename: await tried(() => fetch(`${at}/api/takes/x/name`, json)),
    remove: await tried(() => fetch(`${at}/api/shots/${id}`, { method: "DELETE" })),
  };
};

test("a page of another origin, and one under a foreign name of this machine, get nowhere", async ({
  request,
  baseURL,
}) => {
  const id = await copyOfDemo(request);
  const before = ((await (await request.get("/api/shots")).json()) as ShotListing[]).length;
  const elsewhere = createServer((_request, response) => response.end("<title>elsewhere</title>")).listen(
    0,
    "127.0.0.1",
  );
  await new Promise((resolve) => elsewhere.once("listening", resolve));
  const browser = await chromium.launch({
    executablePath: chromiumPath,
    args: [...chromiumArgs, "--host-resolver-rules=MAP foreign.example 127.0.0.1"],
  });
  try {
    const page = await browser.newPage();
    await page.goto(`http://127.0.0.1:${(elsewhere.address() as AddressInfo).port}/`);
    const outcome = await page.evaluate(
      ([at, shot, source]) => (eval(source) as (a: string, s: string) => Promise<Record<string, string>>)(at, shot),
      [baseURL!, id, attempts.toString()],
    );
    // An opaque answer says nothing to the page; that nothing was done is seen below.
    expect(outcome.read).toBe("refused");
    expect(outcome.rename).toBe("refused");
    expect(outcome.remove).toBe("refused");
    for (const blind of [outcome.post, outcome.text]) expect(["opaque", "refused"]).toContain(blind);
    // The same server under a name that only resolves to this machine.
    const foreign = `http://foreign.example:${new URL(baseURL!).port}`;
    const answer = await page.goto(`${foreign}/api/shots`);
    expect(answer!.status()).toBe(403);
    expect((await page.goto(`${foreign}/`))!.status()).toBe(403);
  } finally {
    await browser.close();
    elsewhere.close();
  }
  const after = (await (await request.get("/api/shots")).json()) as ShotListing[];
  expect(after).toHaveLength(before);
  expect(after.some((s) => s.id === id)).toBe(true);
});
