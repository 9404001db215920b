import { execFile, spawn } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import type { SolveAnswer } from "#core/match/request";
import { shotJsonSchema } from "#core/shot/jsonSchema";
import { openPlate } from "#node/plates";
import { readExr } from "#core/image/exrRead";
import { demoFile, demoFolder, demoShot, quayTruth } from "../demo/shot.ts";
import { createHash } from "node:crypto";

const root = fileURLToPath(new URL("../..", import.meta.url));
const env = { ...process.env, NODE_OPTIONS: "" };
const cli = ["--import", "./scripts/typescript.mjs", "src/cli/main.ts"];

interface Run {
  code: number;
  out: string;
  error: string;
}

const harbor = (args: string[], input?: string): Promise<Run> =>
  new Promise((resolve) => {
    const child = spawn(process.execPath, [...cli, ...args], { cwd: root, env });
    let [out, error] = ["", ""];
    child.stdout.on("data", (b: Buffer) => (out += String(b)));
    child.stderr.on("data", (b: Buffer) => (error += String(b)));
    child.on("close", (code) => resolve({ code: code ?? -1, out, error }));
    child.stdin.end(input ?? "");
  });

let folder = "";
beforeAll(async () => {
  folder = await mkdtemp(path.join(tmpdir(), "harbor-cli-"));
});
afterAll(() => rm(folder, { recursive: true, force: true }));

describe("harbor solve", () => {
  test("answers one request, and an array by an array", async () => {
    const truth = await quayTruth();
    const request = { plate: { width: 1620, height: 1080 }, edges: truth.edges, origin: truth.origin };
    const file = path.join(folder, "request.json");
    await writeFile(file, JSON.stringify(request));
    const one = await harbor(["solve", file]);
    expect(one.code).toBe(0);
    const answer = JSON.parse(one.out) as SolveAnswer;
    expect(Object.keys(answer)).toEqual([
      "camera",
      "rmsPx",
      "residuals",
      "sigma",
      "sigmaWidened",
      "alternatives",
      "findings",
    ]);
    expect(Object.keys(answer.camera!)).toEqual([
      "focalPx",
      "principal",
      "distortion",
      "rotation",
      "position",
      "fovDeg",
    ]);
    expect(Math.abs(answer.camera!.focalPx / 1236 - 1)).toBeLessThan(0.01);
    expect(answer.findings.map((f) => f.code)).toContain("no-scale");
    expect(answer.sigma!.positionM).toBeNull();
    const many = await harbor(["solve", "-"], JSON.stringify([request, { plate: request.plate }]));
    const [first, second] = JSON.parse(many.out) as SolveAnswer[];
    expect(first.camera!.focalPx).toBeCloseTo(answer.camera!.focalPx, 6);
    expect(second.camera).toBeNull();
    expect(second.findings[0].severity).toBe("error");
  });

  test("malformed input names its field, answers nothing and exits with 2", async () => {
    const bad = [
      { plate: { width: 9, height: 9 } },
      {
        plate: { width: 9, height: 9 },
        edges: [
          {
            id: "a",
            axis: "up",
            points: [
              [0, 0],
              [1, 1],
            ],
          },
        ],
      },
    ];
    const run = await harbor(["solve", "-"], JSON.stringify(bad));
    expect([run.code, run.out]).toEqual([2, ""]);
    expect(run.error).toContain("[1].edges[0].axis");
    expect((await harbor(["solve", "-"], "{")).error).toContain("not JSON");
    expect((await harbor(["solve", "nowhere.json"])).error).toContain("cannot be read");
  });
});

describe("harbor render and comp", () => {
  test("write the passes without browser or database; comp gives the same picture again", async () => {
    const jpeg = await demoFile("plate.jpg");
    const plate = await openPlate(jpeg, "plate.jpg");
    const sha = (b: Uint8Array) => createHash("sha256").update(b).digest("hex");
    const info = {
      asset: sha(jpeg),
      codes: sha(plate.codes as Uint8Array),
      fileName: "plate.jpg",
      width: plate.width,
      height: plate.height,
      encoding: plate.encoding,
      profile: null,
      exif: plate.exif,
      owner: "",
      licence: "",
      drawing: false,
    };
    const shot = await demoShot(info, plate.codes as Uint8Array, sha(await demoFile("buoy.glb")));
    const file = path.join(folder, "shot.json");
    await writeFile(file, JSON.stringify(shot));
    const out = path.join(folder, "out");
    const run = await harbor([
      "render",
      file,
      "--assets",
      demoFolder,
      "--out",
      out,
      "--samples",
      "2",
      "--percent",
      "25",
    ]);
    expect([run.code, run.error.includes("2/2 samples")]).toEqual([0, true]);
    const size = { width: 405, height: 270 };
    expect(await sharp(path.join(out, "picture.png")).metadata()).toMatchObject({ ...size, channels: 3 });
    expect(await sharp(path.join(out, "prop.png")).metadata()).toMatchObject({ ...size, channels: 4 });
    for (const name of ["ratio.exr", "added.exr", "prop.exr"]) {
      const { width, height } = readExr(
        new Uint8Array(await readFile(path.join(out, name))),
        name === "prop.exr" ? 4 : 3,
      );
      expect({ width, height }).toEqual(size);
    }
    const depth = await readFile(path.join(out, "depth.exr"));
    expect(depth.readUInt32LE(0)).toBe(20000630); // the format's magic number
    // Somewhere the buoy's shadow takes most of the light.
    const ratio = readExr(new Uint8Array(await readFile(path.join(out, "ratio.exr"))), 3);
    expect(ratio.pixels.reduce((low, v) => Math.min(low, v), 1)).toBeLessThan(0.5);
    const again = path.join(folder, "again.png");
    expect((await harbor(["comp", file, "--assets", demoFolder, "--passes", out, "--out", again])).code).toBe(0);
    const raw = (name: string) => sharp(name).raw().toBuffer();
    expect((await raw(again)).equals(await raw(path.join(out, "picture.png")))).toBe(true);
  });

  test("missing files and wrong options are said in a sentence", async () => {
    const file = path.join(folder, "shot.json");
    const missing = await harbor(["render", file, "--assets", root + "drizzle", "--out", folder]);
    expect([missing.code, missing.error]).toEqual([2, expect.stringContaining("is not in")]);
    expect((await harbor(["render", file, "--percent"])).error).toContain("needs a value");
    expect((await harbor(["render", file, "--colour", "red"])).error).toContain("no option --colour");
    expect((await harbor(["render", file, "--denoise=much"])).error).toContain("--denoise takes no value");
    expect((await harbor(["paint"])).error).toContain('no command "paint"');
  });
});

describe("help and schema", () => {
  test("--help names every command", async () => {
    const { out } = await harbor(["--help"]);
    for (const command of ["solve", "render", "comp", "bench", "schema"]) expect(out).toContain(`harbor ${command}`);
  });

  test("the shipped JSON Schema is that of the document", async () => {
    const shipped: unknown = JSON.parse(await readFile(path.join(root, "docs/shot.schema.json"), "utf8"));
    expect(shipped).toEqual(JSON.parse(JSON.stringify(shotJsonSchema())));
  });
});

test("bench runs and reports ratios", async () => {
  const out = await new Promise<string>((resolve, reject) =>
    execFile(process.execPath, [...cli, "bench", "--quick"], { cwd: root, env }, (error, text) =>
      error ? reject(error) : resolve(text),
    ),
  );
  expect(out).toMatch(/six kinds over three-mesh-bvh, geometric mean\s+[\d.]+ ×/);
});
