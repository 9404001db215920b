import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import { modelBounds } from "#core/props/model";
import { modelOf, singleModelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { faceNormal } from "#core/set/face";
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

  /** How far a prop's foot must be from another's, metres. */
  const roomBeside = (prop: Prop): number => {
    const of = modelOf(prop, models.models);
    if (!of) return 0.6;
    const { low, high } = modelBounds(of);
    const [x, y] = prop.placement.scale;
    return 0.35 + Math.max(x * Math.max(-low[0], high[0]), y * Math.max(-low[1], high[1]));
  };

  /** A free place that the plate shows below its middle: on the set's nearest upward face there, else on the ground. */
  function landing(): Vec3 {
    const { camera, shot } = props;
    if (!camera) return [0, 0, 0];
    const { width, height } = shot.plates.main;
    const far = (at: Vec3) => Math.hypot(at[0] - camera.position[0], at[1] - camera.position[1]);
    const free = (at: Vec3) =>
      Object.values(shot.props).every((prop) => {
        const [x, y] = prop.placement.position;
        return Math.hypot(at[0] - x, at[1] - y) > roomBeside(prop);
      });
    const places: Vec3[] = [];
    for (const v of [0.62, 0.72, 0.82, 0.92])
      for (const u of [0.5, 0.36, 0.64, 0.24, 0.76]) {
        const met = pickFace(shot.set, camera, [u * width, v * height]);
        const upward = met && faceNormal(met.face)[2] ** 2 > 0.3;
        const at = upward ? met.world : pixelOnPlane(camera, [u * width, v * height], groundPlane(groundHeight(shot)));
        if (at && far(at) < 40) places.push(at);
      }
    return places.find(free) ?? places[0] ?? [0, 0, 0];
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
