import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import type { Vec2, Vec3 } from "#core/math/vec3";
import type { Plan, Standing } from "#core/shot/landing";
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

  /** The corners of a prop's box in the world; while it has no model, of one of this size about its foot. */
  function cornersOf(prop: Prop, guess: Vec3 = [0.4, 0.4, 0.4]): Vec3[] {
    const of = modelOf(prop, models.models);
    const half = guess.map((s) => s / 2) as Vec3;
    const { low, high } = of ? modelBounds(of) : { low: [-half[0], -half[1], 0], high: [half[0], half[1], guess[2]] };
    const matrix = placementMatrix(placementOf(prop));
    return [0, 1, 2, 3, 4, 5, 6, 7].map((c) => {
      const corner = [0, 1, 2].map((k) => ((c >> k) & 1 ? high[k] : low[k]));
      return [0, 4, 8].map(
        (r) => matrix[r] * corner[0] + matrix[r + 1] * corner[1] + matrix[r + 2] * corner[2] + matrix[r + 3],
      ) as Vec3;
    });
  }

  const planOf = (corners: readonly Vec3[]): Plan => {
    const bound = (of: typeof Math.min): Vec2 => [of(...corners.map((c) => c[0])), of(...corners.map((c) => c[1]))];
    return { low: bound(Math.min), high: bound(Math.max) };
  };

  /** Pixels that a box's corners bound; null where it is not in the picture. */
  function boxOf(corners: readonly Vec3[], camera: Camera): Standing["box"] {
    const seen = corners.flatMap((world) => {
      const pixel = projectPoint(camera, world);
      return pixel ? [pixel] : [];
    });
    if (seen.length === 0) return null;
    const [us, vs] = [seen.map((p) => p[0]), seen.map((p) => p[1])];
    return { left: Math.min(...us), top: Math.min(...vs), right: Math.max(...us), bottom: Math.max(...vs) };
  }

  /** Where a new prop, which stands at the world's origin still, is set down by itself. */
  function landing(prop: Prop, size?: Vec3): Vec3 {
    const { camera, shot } = props;
    if (!camera) return [0, 0, 0];
    const others = Object.values(shot.props).map((other): Standing => {
      const corners = cornersOf(other);
      return { plan: planOf(corners), box: boxOf(corners, camera) };
    });
    return landingPlace(shot.set, camera, shot.plates.main, planOf(cornersOf(prop, size)), others);
  }

  /** Adds a prop where the plate shows ground, and selects it; `size` is how large it will be, in metres, if its model is still to come. */
  async function add(name: string, source: Prop["source"], size?: Vec3): Promise<string> {
    const id = freshId("prop", props.shot.props);
    const prop: Prop = {
      id,
      name,
      source,
      placement: { position: [0, 0, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
      keeps: "metres",
      ...plainProp(),
    };
    prop.placement.position = landing(prop, size);
    await nextTask();
    await store.commit(`Add ${name}`, (d) => void (d.props[id] = prop));
    desk.selected = id;
    return id;
  }

  return { desk, store, models, chosen, single, model, size, change, place, add };
}
