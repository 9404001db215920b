import { readFile } from "node:fs/promises";
import { deflateSync } from "node:zlib";
import { mergeLayers } from "#core/comp/finish";
import { stMap } from "#core/exchange/scene/stMap";
import type { ExrChannel, ExrText } from "#core/image/exr";
import { colourChannels, writeExr } from "#core/image/exr";
import { readExrChannels } from "#core/image/exrRead";
import type { Exporter, HandOver } from "./exporter.ts";
import { cutOf, sizedPicture, sizedValues } from "./sized.ts";

const pack = (raw: Uint8Array) => deflateSync(raw, { level: 4 });

/** What the file says of itself. */
const textsOf = ({ shot, now }: HandOver): ExrText[] => {
  const { owner, licence } = shot.plates.main;
  return [
    {
      name: "comments",
      value: `${shot.name}; linear Rec. 709; picture = object + (1 - object.A) (plate shadow + reflection) + glow + finish`,
    },
    { name: "software", value: "Red Harbor" },
    { name: "capDate", value: now.toISOString().slice(0, 19).replace("T", " ").replaceAll("-", ":") },
    ...(owner || licence ? [{ name: "owner", value: [owner, licence].filter(Boolean).join(", ") }] : []),
  ];
};

/** Layers of the composite's own, which those of the render must not repeat. */
const OWN = /^(R|G|B|A|Z|ratio\.|added\.)/;

/** Layers that are places or directions: a mean over an edge would be neither side's. */
const SHARP = /^(position|normal)/;

export const exr: Exporter = {
  write: async (over, sink) => {
    const whole = await over.picture();
    const { width, height, linear, layers, plate } = sizedPicture(whole, over.choice);
    const cut = cutOf(over.choice, whole);
    const merged = mergeLayers(layers);
    const finish = linear.map((value, i) => value - merged[i]);
    const channels: ExrChannel[] = [
      ...colourChannels(linear, 3),
      ...colourChannels(plate.linear, 3, "plate."),
      ...colourChannels(layers.ratio, 3, "shadow."),
      ...colourChannels(layers.added, 3, "reflection."),
      ...colourChannels(layers.prop, 4, "object."),
      ...colourChannels(finish, 3, "finish."),
      { name: "Z", values: layers.depth, type: "float" },
      ...(layers.glow ? colourChannels(layers.glow, 3, "glow.") : []),
      // Where the lens parts colours, each has a coverage of its own.
      ...(layers.cover ? colourChannels(layers.cover, 3, "cover.") : []),
    ];
    if (over.files.layers) {
      const rendered = readExrChannels(new Uint8Array(await readFile(over.files.layers)));
      for (const [name, values] of rendered.channels)
        if (!OWN.test(name))
          channels.push({
            name,
            values: sizedValues(values, whole, cut, 1, SHARP.test(name) ? "nearest" : "mean"),
            type: name.startsWith("position") ? "float" : "half",
          });
    }
    const type = over.choice.float ? "float" : "half";
    await sink.put("layers", "exr", writeExr(width, height, channels, type, null, textsOf(over), pack));
  },
};

export const st: Exporter = {
  write: async (over, sink) => {
    const { shot } = over;
    if (!shot.solved) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
    const { width, height } = shot.plates.main;
    for (const way of ["undistort", "redistort"] as const) {
      const values = stMap(shot.solved.camera, { width, height }, way);
      const channels: ExrChannel[] = ["R", "G"].map((name, offset) => ({ name, values, offset, stride: 2 }));
      channels.push({ name: "B", values: new Float32Array(width * height) });
      await sink.put(`st-${way}`, "exr", writeExr(width, height, channels, "float", null, textsOf(over), pack));
    }
  },
};
