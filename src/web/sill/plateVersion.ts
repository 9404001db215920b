import { ref } from "vue";
import { noVersion, takeVersion } from "#core/shot/plateVersion";
import { api } from "../api.ts";
import { useMeasuring } from "../stores/measuring.ts";
import { useNotices } from "../stores/notices.ts";
import { usePlate } from "../stores/plate.ts";
import { useShot } from "../stores/shot.ts";

/** Name of the file that is being read, for as long as it is. */
const reading = ref<string | null>(null);

/** Takes another version of the open shot's plate from a file: larger, smaller, or graded. */
export function usePlateVersion() {
  const store = useShot();
  const plate = usePlate();
  const measuring = useMeasuring();
  const notices = useNotices();

  /** Grain and softness belong to a version: what was measured on the one before is measured on this one. */
  async function measureAgain(had: { grain: boolean; sharpness: boolean }): Promise<void> {
    const check = store.stays();
    await plate.load(store.shot!);
    const sharpness = had.sharpness ? await measuring.measureSharpness(store.shot!) : null;
    const grain = had.grain ? await measuring.measureGrain(store.shot!.comp.grain.areas) : null;
    check();
    if ((had.sharpness && !sharpness) || (had.grain && !grain))
      notices.say(
        "warn",
        "Grain or softness of this version cannot be measured by itself.",
        "Measure them in Comp, under Match, on parts that you choose.",
      );
    await store.commit("Measure the version's grain and softness", ({ comp }) => {
      if (sharpness) comp.sharpness.sigmaPx = Number(sharpness.sigmaPx.toFixed(3));
      if (grain) comp.grain.model = grain.model;
    });
  }

  async function bring(file: File): Promise<void> {
    const check = store.stays();
    reading.value = file.name;
    try {
      const { info, notices: said } = await api.readPlate(file);
      check();
      const refused = noVersion(store.shot!, info);
      if (refused) {
        notices.say("bad", refused, "A version shows the same frame: save it uncropped, or make a new shot of it.");
        return;
      }
      const { width, comp } = { width: store.shot!.plates.main.width, comp: store.shot!.comp };
      const had = { grain: comp.grain.model !== null, sharpness: comp.sharpness.sigmaPx !== null };
      await store.commit("Take another version of the plate", (draft) => void takeVersion(draft, info));
      for (const text of said) notices.say("warn", text);
      const times = info.width / width;
      notices.say(
        "good",
        times === 1
          ? "The plate is another version of the same size; everything lies where it lay."
          : `The plate is ${Number(times.toFixed(3))} times as wide; marks, camera, set, light and mattes came along.`,
      );
      if (had.grain || had.sharpness) await measureAgain(had);
    } catch (error) {
      notices.fail(error);
    } finally {
      reading.value = null;
    }
  }

  return { bring, reading };
}
