import PDFDocument from "pdfkit";
import sharp from "sharp";
import { isFloat, shownEncoding } from "#core/image/profile";
import type { Shot } from "#core/shot/schema";
import type { ReportLine, SitState } from "#core/sit/report";
import { overall, sitReport } from "#core/sit/report";
import type { Spot } from "#core/sit/scene";
import { provideFiles } from "#core/render/files";
import { reencoded } from "../finishRowsJob.ts";
import { sitScene } from "../sitScene.ts";
import type { Exporter, HandOver } from "./exporter.ts";
import type { FinishedPicture } from "./finished.ts";
import { escaped, jpegUri, page } from "./pages.ts";

/** A line with a small picture of where it looks. */
export interface PicturedLine extends ReportLine {
  /** JPEG as a data URI; null for what lies nowhere in the picture. */
  picture: string | null;
}

const STATES: Record<SitState, { word: string; tone: string }> = {
  good: { word: "well", tone: "good" },
  warn: { word: "look at it", tone: "warn" },
  bad: { word: "mend it", tone: "bad" },
  unknown: { word: "cannot be told", tone: "q" },
};

const eight = ({ plate, codes }: FinishedPicture): Uint8Array => {
  const { encoding } = plate;
  const shown = isFloat(encoding) ? reencoded(codes, encoding, shownEncoding(encoding)) : codes;
  return shown instanceof Uint8Array ? shown : Uint8Array.from(shown, (c) => Math.round(c / 257));
};

/** Widest and highest small picture. */
const SMALL = 320;
const small = async (
  codes: Uint8Array,
  { width, height }: { width: number; height: number },
  spot: Spot,
): Promise<string> => {
  const bytes = await sharp(codes, { raw: { width, height, channels: 3 } })
    .extract({
      left: Math.min(width - 1, spot.x),
      top: Math.min(height - 1, spot.y),
      width: Math.max(1, Math.min(spot.width, width - spot.x)),
      height: Math.max(1, Math.min(spot.height, height - spot.y)),
    })
    .resize(SMALL, Math.round((SMALL * 2) / 3), { fit: "inside" })
    .jpeg({ quality: 82 })
    .toBuffer();
  return `data:image/jpeg;base64,${bytes.toString("base64")}`;
};

/** The sit report of a finished picture, with small pictures. */
export async function picturedReport(
  over: Pick<HandOver, "shot" | "plate" | "models" | "picture" | "known"> & { notices?: readonly string[] },
): Promise<PicturedLine[]> {
  const picture = await over.picture();
  const { width, height } = picture;
  provideFiles(over.shot, over.models);
  const lines = sitReport(sitScene(over, picture, over.notices, over.known));
  const codes = eight(picture);
  return Promise.all(
    lines.map(async (line) => ({ ...line, picture: line.spot && (await small(codes, { width, height }, line.spot)) })),
  );
}

const htmlOf = (lines: readonly PicturedLine[]): string =>
  `<table><tr><th></th><th></th><th>Found</th><th>Allowed</th><th></th></tr>${lines
    .map(
      (l) =>
        `<tr><td class="${STATES[l.state].tone}">${STATES[l.state].word}</td><td>${escaped(l.label)}<br><span class="q">${escaped(l.words)}</span></td><td class="n">${escaped(l.value)}</td><td class="n">${escaped(l.tolerance)}</td><td>${l.picture ? `<img src="${l.picture}" alt="" style="width:160px">` : ""}</td></tr>`,
    )
    .join("")}</table>`;

/** Signs that the standard fonts of the format have. */
const plain = (text: string): string => text.replaceAll("−", "-").replaceAll("½", "1/2");

async function pdfOf(
  shot: Shot,
  now: Date,
  lines: readonly PicturedLine[],
  whole: Buffer,
  state: SitState,
): Promise<Uint8Array> {
  const document = new PDFDocument({
    size: "A4",
    margin: 42,
    info: { Title: `${shot.name}: sit report`, Creator: "Red Harbor" },
  });
  const chunks: Buffer[] = [];
  const ended = new Promise<Uint8Array>((resolve) => {
    document.on("data", (chunk: Buffer) => chunks.push(chunk));
    document.on("end", () => resolve(new Uint8Array(Buffer.concat(chunks))));
  });
  const width = document.page.width - 84;
  document
    .font("Helvetica-Bold")
    .fontSize(15)
    .text(plain(`${shot.name}: sit report`));
  const { owner, licence } = shot.plates.main;
  document
    .font("Helvetica")
    .fontSize(9)
    .fillColor("#555")
    .text(
      plain(
        `${now.toISOString().slice(0, 10)}. Plate: ${[owner, licence].filter(Boolean).join(", ") || "owner and licence not said"}. As a whole: ${STATES[state].word}.`,
      ),
    )
    .moveDown(0.6);
  document.image(whole, { fit: [width, 260] }).moveDown(0.8);
  const colours: Record<string, string> = { good: "#2f7d32", warn: "#a86a00", bad: "#b3261e", q: "#777" };
  for (const line of lines) {
    if (document.y > document.page.height - 110) document.addPage();
    const top = document.y;
    const { word, tone } = STATES[line.state];
    const textWidth = width - 120;
    document
      .fillColor(colours[tone])
      .font("Helvetica-Bold")
      .fontSize(10)
      .text(plain(`${line.label}: ${word}`), 42, top, { width: textWidth });
    document.fillColor("#222").font("Helvetica").fontSize(9).text(plain(line.words), { width: textWidth });
    document.fillColor("#666").text(plain(`${line.value}; allowed: ${line.tolerance}`), { width: textWidth });
    const after = document.y;
    if (line.picture) {
      const jpeg = Buffer.from(line.picture.slice(line.picture.indexOf(",") + 1), "base64");
      document.image(jpeg, 42 + width - 108, top, { fit: [108, 72] });
    }
    document.x = 42;
    document.y = Math.max(after, top + (line.picture ? 74 : 0)) + 8;
  }
  document.end();
  return ended;
}

export const sit: Exporter = {
  write: async (over, sink) => {
    const lines = await picturedReport(over);
    const picture = await over.picture();
    const codes = eight(picture);
    const { width, height } = picture;
    const state = overall(lines);
    const body =
      `<p class="${STATES[state].tone}">As a whole: ${STATES[state].word}.</p><img src="${await jpegUri(codes, width, height)}" alt="The finished picture"><h2>What still gives it away, the worst first</h2>` +
      htmlOf(lines);
    await sink.put("sit-report", "html", page("sit report", over, body));
    const whole = await sharp(codes, { raw: { width, height, channels: 3 } })
      .resize(1400, 1400, { fit: "inside", withoutEnlargement: true })
      .jpeg({ quality: 86 })
      .toBuffer();
    await sink.put("sit-report", "pdf", await pdfOf(over.shot, over.now, lines, whole, state));
  },
};
