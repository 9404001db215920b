import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import { modelBounds } from "#core/props/model";
import { modelOf, singleModelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { groundHeight } from "#core/set/pieces";
import { pickFace } from "#core/set/pick";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import { useDesk } from "../../stores/desk.ts";
import { useModels } from "../../stores/models.ts";
import { useShot } from "../../stores/shot.ts";

/** What the cards of the Props step share: the chosen prop, its model and size, and changing it. */
export function useProps(props: { shot: Shot; camera: Camera | null }) {
  const desk = useDesk();
  const store = useShot();
  const models = useModels();

  const chosen = computed<Prop | null>(() => (desk.selected ? (props.shot.props[desk.selected] ?? null) : null));
  const single = computed(() => chosen.value && singleModelOf(chosen.value, models.models));
  const model = computed(() => chosen.value && modelOf(chosen.value, models.models));
  /** Extent of one of it as it is scaled, before it is turned. */
  const size = computed<Vec3 | null>(() => {
    if (!single.value || !chosen.value) return null;
    const { low, high } = modelBounds(single.value);
    return [0, 1, 2].map((k) => (high[k] - low[k]) * chosen.value!.placement.scale[k]) as Vec3;
  });

  const change = (name: string, put: (p: Prop) => void): Promise<void> => {
    const { id } = chosen.value!;
    return store.commit(name, (d) => put(d.props[id] as Prop));
  };
  const place = (name: string, put: (p: Prop["placement"]) => void): Promise<void> =>
    change(name, (p) => put(p.placement));

  /** A place that the plate shows below its middle: on the set's nearest upward face there, else on the ground. */
  function landing(): Vec3 {
    const { camera, shot } = props;
    if (!camera) return [0, 0, 0];
    const { width, height } = shot.plates.main;
    const far = (at: Vec3) => Math.hypot(at[0] - camera.position[0], at[1] - camera.position[1]);
    for (const v of [0.62, 0.75, 0.9]) {
      const met = pickFace(shot.set, camera, [width / 2, height * v]);
      if (met && far(met.world) < 40) return met.world;
      const at = pixelOnPlane(camera, [width / 2, height * v], groundPlane(groundHeight(shot)));
      if (at && far(at) < 40) return at;
    }
    return [0, 0, 0];
  }

  /** Adds a prop where the plate shows ground, and selects it. */
  async function add(name: string, source: Prop["source"]): Promise<string> {
    const id = freshId("prop", props.shot.props);
    await store.commit(`Add ${name}`, (d) => {
      d.props[id] = {
        id,
        name,
        source,
        placement: { position: landing(), turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
        keeps: "metres",
        ...plainProp(),
      };
    });
    desk.selected = id;
    return id;
  }

  return { desk, store, models, chosen, single, model, size, change, place, landing, add };
}
