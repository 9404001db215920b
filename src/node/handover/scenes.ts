import { cameraCsv, cameraJson } from "#core/exchange/scene/cameraFile";
import { writeSceneGlb } from "#core/exchange/scene/glb";
import { writeObj } from "#core/exchange/scene/obj";
import { sceneFileOf } from "#core/exchange/scene/scene";
import { writeUsda } from "#core/exchange/scene/usda";
import { shotFrame } from "#core/plate/schema";
import type { Texture } from "#core/props/model";
import { writePng } from "../png.ts";
import type { Exporter } from "./exporter.ts";

const text = (s: string) => new TextEncoder().encode(s);

export const camera: Exporter = {
  write: async ({ shot }, sink) => {
    if (!shot.solved) throw new Error("The shot has no camera yet. Mark edges until it is solved.");
    await sink.put("camera", "json", text(cameraJson(shot.name, shot.solved.camera, shotFrame(shot))));
    await sink.put("camera", "csv", text(cameraCsv(shot.solved.camera, shotFrame(shot))));
  },
};

export const glb: Exporter = {
  write: async ({ shot, models }, sink) => {
    const bytes = await writeSceneGlb(sceneFileOf(shot, models), ({ texels, width, height }) =>
      writePng(texels, width, height, 4),
    );
    await sink.put("scene", "glb", bytes);
  },
};

export const usda: Exporter = {
  write: async ({ shot, models }, sink) => {
    const scene = sceneFileOf(shot, models);
    const names = new Map<Texture, string>();
    for (const { model } of scene.props)
      for (const texture of model.textures)
        if (!names.has(texture)) {
          const { texels, width, height } = texture;
          const what = `scene-texture-${names.size + 1}`;
          names.set(texture, await sink.put(what, "png", await writePng(texels, width, height, 4)));
        }
    await sink.put("scene", "usda", text(writeUsda(scene, (texture) => names.get(texture) ?? null)));
  },
};

export const obj: Exporter = {
  write: async ({ shot, models }, sink) => {
    const scene = sceneFileOf(shot, models);
    // The model names its materials' file by the name that this one got.
    const materials = await sink.put("scene", "mtl", text(writeObj(scene, "").mtl));
    await sink.put("scene", "obj", text(writeObj(scene, materials).obj));
  },
};
