import sharp from "sharp";
import { facesOf } from "#core/set/faces";
import { cameraOf } from "#core/render/scene";
import { fieldsOfView, equivalents35mm, orientationDegrees } from "#core/optics/camera";
import { shotFrame } from "#core/plate/schema";
import { toDegrees } from "#core/math/vec3";
import { isFloat, shownEncoding } from "#core/image/profile";
import { reencoded } from "../finishRowsJob.ts";
import type { Exporter, HandOver } from "./exporter.ts";

/** Pages that open by themselves in any browser: nothing in them asks for anything else. */

const text = (s: string) => new TextEncoder().encode(s);
export const escaped = (s: string): string =>
  s.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;").replaceAll('"', "&quot;");

export const jpegUri = async (codes: Uint8Array, width: number, height: number, most = 1600): Promise<string> => {
  const image = sharp(codes, { raw: { width, height, channels: 3 } }).resize(most, most, {
    fit: "inside",
    withoutEnlargement: true,
  });
  return `data:image/jpeg;base64,${(await image.jpeg({ quality: 88 }).toBuffer()).toString("base64")}`;
};

const STYLE =
  "body{font:15px/1.5 system-ui,sans-serif;background:#2b2a29;color:#eceae6;margin:0;padding:24px;max-width:1640px}" +
  "h1{font-size:20px;margin:0 0 4px}h2{font-size:15px;margin:24px 0 6px}table{border-collapse:collapse}" +
  "td,th{padding:3px 14px 3px 0;text-align:left;vertical-align:top}td.n{font-variant-numeric:tabular-nums}" +
  ".q{color:#aaa59d}img{max-width:100%;display:block}.good{color:#9fce8b}.warn{color:#e8b356}.bad{color:#f08a78}";

/** A page with a heading and the shot's name, plate and licence. */
export function page(title: string, { shot, now }: Pick<HandOver, "shot" | "now">, body: string): Uint8Array {
  const { owner, licence, fileName, width, height } = shot.plates.main;
  const credit = [owner, licence].filter(Boolean).join(", ") || "owner and licence not said";
  return text(
    `<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escaped(`${shot.name}: ${title}`)}</title><style>${STYLE}</style>` +
      `<h1>${escaped(shot.name)}: ${escaped(title)}</h1><p class="q">${escaped(fileName)}, ${width} × ${height}, ${escaped(credit)}. ${now.toISOString().slice(0, 10)}</p>${body}</html>`,
  );
}

export const table = (rows: readonly (readonly string[])[], head: readonly string[] = []): string =>
  `<table>${head.length > 0 ? `<tr>${head.map((h) => `<th>${escaped(h)}</th>`).join("")}</tr>` : ""}${rows
    .map((r) => `<tr>${r.map((c, i) => `<td class="${i > 0 ? "n" : "q"}">${escaped(c)}</td>`).join("")}</tr>`)
    .join("")}</table>`;

const eight = (codes: Uint8Array | Uint16Array) =>
  codes instanceof Uint8Array ? codes : Uint8Array.from(codes, (c) => Math.round(c / 257));

export const compare: Exporter = {
  write: async (over, sink) => {
    const picture = await over.picture();
    const { encoding } = picture.plate;
    const shown = (codes: Uint8Array | Uint16Array) =>
      eight(isFloat(encoding) ? reencoded(codes, encoding, shownEncoding(encoding)) : codes);
    const { width, height } = picture;
    const [before, after] = await Promise.all([
      jpegUri(shown(picture.plate.codes), width, height, 2400),
      jpegUri(shown(picture.codes), width, height, 2400),
    ]);
    const body =
      `<div class="w" style="position:relative"><img src="${before}" alt="The photograph"><img id="a" src="${after}" alt="The finished picture" style="position:absolute;inset:0;clip-path:inset(0 0 0 50%)"></div>` +
      `<input id="s" type="range" min="0" max="100" value="50" step="0.1" aria-label="Before and after" style="width:100%">` +
      `<p class="q">Left of the line the photograph, right of it the finished picture.</p>` +
      `<script>const s=document.getElementById("s"),a=document.getElementById("a");s.oninput=()=>a.style.clipPath="inset(0 0 0 "+s.value+"%)";</script>`;
    await sink.put("before-after", "html", page("before and after", over, body));
  },
};

export const takes: Exporter = {
  write: async (over, sink) => {
    const cells = over.takes.map(
      ({ name, createdAt, thumbnail }) =>
        `<figure style="margin:0 18px 18px 0;width:320px">${thumbnail ? `<img src="${escaped(thumbnail)}" alt="">` : '<div style="height:213px;background:#3a3938"></div>'}<figcaption>${escaped(name)}<br><span class="q">${escaped(createdAt.slice(0, 16).replace("T", " "))}</span></figcaption></figure>`,
    );
    const body =
      cells.length > 0
        ? `<div style="display:flex;flex-wrap:wrap">${cells.join("")}</div>`
        : "<p>No takes were kept.</p>";
    await sink.put("takes", "html", page("takes", over, body));
  },
};

export const match: Exporter = {
  write: async (over, sink) => {
    const { shot } = over;
    const camera = cameraOf(shot);
    if (!camera || !shot.solved) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
    const frame = shotFrame(shot);
    const fov = fieldsOfView(camera, frame);
    const angles = orientationDegrees(camera.rotation);
    const film = equivalents35mm(camera.focalPx, frame);
    const { sigma, rmsPx } = shot.solved;
    const give = (v: number | null | undefined, digits = 2) =>
      v === null || v === undefined ? "" : ` ± ${v.toFixed(digits)}`;
    const cameraRows = [
      [
        "Focal length",
        `${camera.focalPx.toFixed(1)}${give(sigma?.focalPx, 1)} px, ${film.diagonal.toFixed(1)} mm as EXIF counts it`,
      ],
      ["Field of view", `${toDegrees(fov.horizontal).toFixed(2)}° × ${toDegrees(fov.vertical).toFixed(2)}°`],
      ["Heading, tilt, roll", `${angles.heading.toFixed(2)}°, ${angles.tilt.toFixed(2)}°, ${angles.roll.toFixed(2)}°`],
      ["Position", `${camera.position.map((p) => p.toFixed(3)).join(", ")} m`],
      ["Height", `${camera.position[2].toFixed(3)}${give(sigma?.cameraHeightM, 3)} m`],
      ["Principal point", camera.principal.map((p) => p.toFixed(1)).join(", ") + " px"],
      [
        "Distortion",
        Object.entries(camera.distortion)
          .map(([k, v]) => `${k} ${Number(v).toPrecision(4)}`)
          .join(", "),
      ],
      ["Marks", rmsPx === null ? "held by hand" : `${rmsPx.toFixed(2)} px root mean square`],
    ];
    const marks = Object.values(shot.edges).map((e) => [
      e.id,
      e.axis,
      `${e.points.length} points`,
      e.muted ? "not counted" : "",
    ]);
    const lengths = Object.values(shot.lengths).map((l) => [l.id, `${l.metres} m`, l.muted ? "not counted" : ""]);
    const set = Object.values(shot.set).map((p) => [p.name || p.id, p.kind, `${facesOf(shot.set, p.id).length} faces`]);
    const { sun, sky, lamps } = shot.light;
    const light = [
      [
        "Sun",
        sun.on
          ? `${sun.azimuthDeg.toFixed(1)}° from +Y, ${sun.elevationDeg.toFixed(1)}° high, ${sun.radiusDeg}° in radius`
          : "off",
      ],
      ["Sky", sky.on ? sky.spread.kind : "off"],
      ["Lamps", String(Object.keys(lamps).length)],
      ["Sightings, probes", `${Object.keys(shot.light.sightings).length}, ${Object.keys(shot.light.probes).length}`],
    ];
    const uri = await jpegUri(
      eight(
        over.plate.encoding.bits === 8
          ? over.plate.codes
          : reencoded(over.plate.codes, over.plate.encoding, shownEncoding(over.plate.encoding)),
      ),
      over.plate.width,
      over.plate.height,
    );
    const lines = Object.values(shot.edges)
      .map(
        (e) =>
          `<polyline points="${e.points.map((p) => p.join(",")).join(" ")}" fill="none" stroke="${COLOURS[e.axis] ?? "#ffd27a"}" stroke-width="${Math.max(2, frame.width / 700)}"/>`,
      )
      .join("");
    const figure = `<div style="position:relative"><img src="${uri}" alt="The plate with its marks"><svg viewBox="0 0 ${frame.width} ${frame.height}" style="position:absolute;inset:0;width:100%;height:100%">${lines}</svg></div>`;
    const body =
      figure +
      `<h2>Camera</h2>${table(cameraRows)}<h2>Edges</h2>${table(marks, ["Edge", "Direction", "", ""])}` +
      (lengths.length > 0 ? `<h2>Known lengths</h2>${table(lengths)}` : "") +
      (set.length > 0 ? `<h2>Set</h2>${table(set)}` : "") +
      `<h2>Light</h2>${table(light)}`;
    await sink.put("match", "html", page("match report", over, body));
  },
};

const COLOURS: Record<string, string> = { x: "#e0705f", y: "#7fb06a", z: "#6f9fd8" };
