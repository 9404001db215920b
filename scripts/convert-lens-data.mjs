// node scripts/convert-lens-data.mjs: makes src/web/public/lens-database.json again from Debian's package liblensfun-data-v1
// (apt-get install liblensfun-data-v1). The data is licensed CC BY-SA 3.0; see src/web/public/lens-database.LICENCE.md.
import { execFileSync } from "node:child_process";
import { readFileSync, readdirSync, writeFileSync } from "node:fs";
import path from "node:path";
import { XMLParser } from "fast-xml-parser";
import { root } from "./ensure.mjs";

const folder = "/usr/share/lensfun/version_1";
const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  isArray: (name) => ["camera", "lens", "distortion", "model", "maker"].includes(name),
});

/** The name without a language, which is the one that cameras write into their files. */
const plain = (names) => {
  const own = (names ?? []).find((n) => typeof n !== "object") ?? names?.[0];
  return String(typeof own === "object" ? own["#text"] : own);
};
const number = (value) => Number(value ?? 0);

const cameras = [];
const lenses = [];
for (const file of readdirSync(folder)
  .filter((f) => f.endsWith(".xml"))
  .sort()) {
  const { lensdatabase: database } = parser.parse(readFileSync(path.join(folder, file), "utf8"));
  for (const c of database.camera ?? []) cameras.push([plain(c.maker), plain(c.model), Number(c.cropfactor)]);
  for (const l of database.lens ?? []) {
    // Fisheyes and panoramas are not pinhole cameras with a bend.
    if (l.type && l.type !== "rectilinear") continue;
    const calibrations = [l.calibration ?? []].flat();
    const distortion = calibrations
      .flatMap((c) => c.distortion ?? [])
      .map((d) => {
        const focal = number(d["@focal"]);
        if (d["@model"] === "ptlens") return [focal, number(d["@a"]), number(d["@b"]), number(d["@c"])];
        if (d["@model"] === "poly3") return [focal, 0, number(d["@k1"]), 0];
        return null;
      })
      .filter((d) => d !== null)
      .sort((a, b) => a[0] - b[0]);
    if (distortion.length === 0) continue;
    const [w, h] = String(l["aspect-ratio"] ?? "3:2")
      .split(":")
      .map(Number);
    lenses.push({
      maker: plain(l.maker),
      model: plain(l.model),
      crop: Number(l.cropfactor),
      aspect: Number((h ? w / h : w).toFixed(4)),
      distortion,
    });
  }
}
const version = execFileSync("dpkg-query", ["-W", "-f=${Version}", "liblensfun-data-v1"], { encoding: "utf8" });
const by = (a, b) => (a < b ? -1 : a > b ? 1 : 0);
cameras.sort((a, b) => by(a[0] + a[1], b[0] + b[1]));
lenses.sort((a, b) => by(a.maker + a.model, b.maker + b.model));
const out = path.join(root, "src/web/public/lens-database.json");
writeFileSync(
  out,
  `{"source":${JSON.stringify(`Lensfun lens database, Debian package liblensfun-data-v1 ${version}`)},"licence":"CC BY-SA 3.0",\n"cameras":[\n${cameras.map((c) => JSON.stringify(c)).join(",\n")}],\n"lenses":[\n${lenses.map((l) => JSON.stringify(l)).join(",\n")}]}\n`,
);
console.log(`${cameras.length} cameras and ${lenses.length} lenses in ${path.relative(root, out)}`);
