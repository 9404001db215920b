import { ref } from "vue";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { triangleCount } from "#core/props/model";
import { MOST_SET_TRIANGLES, provideSetModel, setModelOf } from "#core/set/models";
import { newMaterial } from "#core/set/materials";
import type { SetMaterial } from "#core/set/materials";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { api } from "../../api.ts";
import { freshId } from "../../desk/ids.ts";
import { useDesk } from "../../stores/desk.ts";
import { useModels } from "../../stores/models.ts";
import { useNotices } from "../../stores/notices.ts";
import { useShot } from "../../stores/shot.ts";

/** More materials than these are not made of a file's own: the part's one is given by hand then. */
const MOST_MATERIALS = 24;
/** Standard deviation of an albedo that a modeller typed (common practice, no published source). */
const TYPED_SPREAD = 0.15;

/** Materials of the set out of a file's, by their numbers there. */
function materialsOf(model: Model, shot: Shot, fileName: string): Map<number, SetMaterial> {
  const made = new Map<number, SetMaterial>();
  const used = new Set(model.meshes.map(({ material }) => material));
  if (used.size > MOST_MATERIALS) return made;
  const taken = { ...shot.materials };
  for (const number of used) {
    const { name, baseColor } = model.materials[number];
    const id = freshId("material", taken);
    const colour = baseColor.slice(0, 3).map((c) => Math.min(0.98, Math.max(0.01, c))) as Vec3;
    taken[id] = newMaterial(id, name || `Material ${number + 1}`, colour, TYPED_SPREAD, `even colour in ${fileName}`);
    made.set(number, taken[id]);
  }
  return made;
}

/** Bringing a model of the real place in as set: where its file has it, each mesh of its file's own colour. */
export function usePlaceModel() {
  const store = useShot();
  const desk = useDesk();
  const models = useModels();
  const notices = useNotices();
  const reading = ref(false);

  async function bringPlace(shot: Shot, file: File | undefined): Promise<void> {
    if (!file) return;
    reading.value = true;
    const check = store.stays();
    try {
      const asset = await api.addModel(file);
      if (asset.triangles > MOST_SET_TRIANGLES) {
        notices.say(
          "warn",
          `${file.name} has ${asset.triangles.toLocaleString("en")} triangles; a model of the place may have ${MOST_SET_TRIANGLES.toLocaleString("en")}.`,
          "Reduce it to the surfaces that light and shadow meet, and bring it in again. As a prop it may have more.",
        );
        return;
      }
      const model = await models.fetched(asset.hash);
      if (!model) throw new Error(`${file.name} was taken in, but cannot be read back. Try again.`);
      check();
      for (const text of asset.notices) notices.say("warn", text);
      await add(shot, model, asset.hash, file.name);
      notices.say(
        "good",
        `${file.name}: ${triangleCount(model).toLocaleString("en")} triangles in ${setModelOf(asset.hash)!.faces.length.toLocaleString("en")} faces, ${asset.size.map((v) => formatLength(v, shot.unit)).join(" × ")}.`,
        "Its own coordinates are the world's. Match the camera to it with tie points, or move it.",
      );
    } catch (error) {
      notices.fail(error);
    } finally {
      reading.value = false;
    }
  }

  async function add(shot: Shot, model: Model, asset: string, fileName: string): Promise<void> {
    provideSetModel(asset, model);
    const id = freshId("model", shot.set);
    const made = materialsOf(model, shot, fileName);
    const name = fileName.replace(/\.[^.]*$/, "").slice(0, 100);
    const shape = { kind: "model", asset, fileName, origin: typedVertex([0, 0, 0]), turnDeg: 0, scale: 1 } as const;
    const part = makePart(id, name, shape, shot.ground);
    setModelOf(asset)!.meshes.forEach(({ material }, i) => {
      const own = made.get(material);
      if (own) part.faceMaterials[`${i + 1}`] = own.id;
    });
    await store.commit(`Bring in ${name}`, (d) => {
      for (const material of made.values()) d.materials[material.id] = material;
      d.set[id] = part;
    });
    desk.choose("pick");
    desk.selected = id;
    desk.face = null;
  }

  return { reading, bringPlace };
}
