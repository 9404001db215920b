import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import type { Vec3 } from "#core/math/vec3";
import { landingPlace } from "#core/shot/landing";
import { modelBounds } from "#core/props/model";
import { modelOf, placementOf, singleModelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { placementMatrix } from "#core/props/transform";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import { nextTask } from "../../desk/nextTask.ts";
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

  /** Pixels that a prop covers, as a box; null where it is not in the picture. */
  function boxOf(prop: Prop): { left: number; top: number; right: number; bottom: number } | null {
    const of = modelOf(prop, models.models);
    if (!of || !props.camera) return null;
    const { low, high } = modelBounds(of);
    const matrix = placementMatrix(placementOf(prop));
    const seen = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((c) => {
      const corner = [0, 1, 2].map((k) => ((c >> k) & 1 ? high[k] : low[k]));
      const world = [0, 4, 8].map(
        (r) => matrix[r] * corner[0] + matrix[r + 1] * corner[1] + matrix[r + 2] * corner[2] + matrix[r + 3],
      ) as Vec3;
      const pixel = projectPoint(props.camera!, world);
      return pixel ? [pixel] : [];
    });
    if (seen.length === 0) return null;
    const [us, vs] = [seen.map((p) => p[0]), seen.map((p) => p[1])];
    return { left: Math.min(...us), top: Math.min(...vs), right: Math.max(...us), bottom: Math.max(...vs) };
  }

  /** Where a new prop is set down by itself. */
  function landing(): Vec3 {
    const { camera, shot } = props;
    if (!camera) return [0, 0, 0];
    const others = Object.values(shot.props).map((prop) => ({
      foot: prop.placement.position,
      room: roomBeside(prop),
      box: boxOf(prop),
    }));
    return landingPlace(shot.set, camera, shot.plates.main, others);
  }

  /** Adds a prop where the plate shows ground, and selects it. */
  async function add(name: string, source: Prop["source"]): Promise<string> {
    const position = landing();
    await nextTask();
    const id = freshId("prop", props.shot.props);
    await store.commit(`Add ${name}`, (d) => {
      d.props[id] = {
        id,
        name,
        source,
        placement: { position, turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
        keeps: "metres",
        ...plainProp(),
      };
    });
    desk.selected = id;
    return id;
  }

  return { desk, store, models, chosen, single, model, size, change, place, landing, add };
}
