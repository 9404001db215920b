import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import path from "node:path";
import { chromium } from "@playwright/test";
import type { Vec3 } from "#core/math/vec3";
import type { LookPresetName } from "#core/props/presets";
import { LOOK_PRESETS, lookOfPreset } from "#core/props/presets";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import type { OpenShot, ShotListing } from "#core/shot/api";
import { makeEdit } from "#core/shot/edits";
import { chromiumArgs, chromiumPath } from "../../scripts/chromium.mjs";
import { toneMeter } from "./viewTone.ts";

/**
 * npm run bench:view -- [SAMPLES]: tone of props in the real-time view against the proof of so many samples (`viewTone`), on
 * the demo shots: their own props, and balls of presets in place of them. JSON.
 */

/** Presets that differ in how they return light, and where balls of them stand apart: the first one, the step, their size. */
const PRESETS: LookPresetName[] = ["brass", "brushed-metal", "glass", "car-paint", "varnished-wood", "plaster"];
const BALLS: { shot: string; at: Vec3; step: number; size: number }[] = [
  { shot: "Quay", at: [-4.4, -3.2, 0], step: 1.1, size: 0.5 },
  { shot: "Net loft", at: [1.75, 3.4, 0.78], step: 0.36, size: 0.16 },
];

/** Balls of the presets, in a row. */
function balls({ at, step, size }: (typeof BALLS)[number]): Record<string, Prop> {
  return Object.fromEntries(
    PRESETS.map((preset, i) => [
      preset,
      {
        id: preset,
        name: `Ball of ${LOOK_PRESETS[preset].title}`,
        source: {
          kind: "shape",
          shape: { kind: "sphere", size: [size, size, size] },
          colour: [0.5, 0.5, 0.5],
          roughness: 0.5,
          metallic: 0,
        },
        placement: { position: [at[0] + i * step, at[1], at[2]], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
        keeps: "metres",
        ...plainProp(),
        looks: { sphere: lookOfPreset(preset) },
      },
    ]),
  );
}

const samples = Number(process.argv[2] ?? 48);
const port = 4694;
const base = `http://127.0.0.1:${port}`;
const data = mkdtempSync(path.join(tmpdir(), "harbor-bench-"));
const server = spawn(process.execPath, ["--import", "./scripts/typescript.mjs", "src/server/main.ts"], {
  env: { ...process.env, HARBOR_PORT: String(port), HARBOR_DATA: data },
  stdio: ["ignore", "pipe", "inherit"],
});
await new Promise<void>((resolve) =>
  server.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && resolve()),
);
const browser = await chromium.launch({ executablePath: chromiumPath, args: [...chromiumArgs] });
const page = await browser.newPage({ viewport: { width: 1920, height: 1080 } });
const read = async <T>(route: string): Promise<T> => (await (await fetch(`${base}/api${route}`)).json()) as T;
const tones: object[] = [];
async function compare(id: string, shot: string): Promise<void> {
  const meter = await toneMeter(page, base, id, samples);
  await meter.settled();
  for (const tone of await meter.tones()) tones.push({ shot, ...tone });
}
try {
  for (const { id, name } of await read<ShotListing[]>("/shots")) {
    await compare(id, name);
    const row = BALLS.find(({ shot }) => name.startsWith(shot));
    if (!row) continue;
    const { shot, revision } = await read<OpenShot>(`/shots/${id}`);
    const edit = makeEdit(shot, "balls", "Balls of presets", (draft) => void (draft.props = balls(row)))!;
    const response = await fetch(`${base}/api/shots/${id}/steps`, {
      method: "POST",
      headers: { "content-type": "application/json", origin: base },
      body: JSON.stringify({ revision, steps: [{ kind: "do", edit }] }),
    });
    if (!response.ok) throw new Error(await response.text());
    await compare(id, name);
  }
  console.log(JSON.stringify(tones, null, 2));
} finally {
  await browser.close();
  server.kill();
  rmSync(data, { recursive: true, force: true });
}
