import { computed } from "vue";
import type { Camera } from "#core/optics/camera";
import { groundPlane, pixelOnPlane, projectPoint } from "#core/optics/camera";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { modelBounds } from "#core/props/model";
import { modelOf, placementOf, singleModelOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import { placementMatrix } from "#core/props/transform";
import { faceNormal } from "#core/set/face";
import { groundHeight } from "#core/set/pieces";
import { pickFace } from "#core/set/pick";
import type { Shot } from "#core/shot/schema";
import { freshId } from "../../desk/ids.ts";
import { useDesk } from "../../stores/desk.ts";
import { useModels } from "../../stores/models.ts";
import { useShot } from "../../stores/shot.ts";

/** Metres from the camera beyond which nothing is set down by itself. */
const FARTHEST = 40;

/** Share of the plate's width that has to be of the set on both sides of a place. */
const BESIDE = 0.05;

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

  /** Row of the plate at which the ground comes within reach in a column; its foot where it never does. */
  function groundTop(near: (pixel: Vec2) => boolean, u: number, height: number): number {
    const rows = Array.from({ length: 48 }, (_, i) => (i * height) / 48);
    return rows.find((v) => near([u, v])) ?? height;
  }

  /**
   * A free place well below the horizon: on an upward face of the set that the plate shows there, else on the ground; not
   * behind another prop.
   */
  function landing(): Vec3 {
    const { camera, shot } = props;
    if (!camera) return [0, 0, 0];
    const { width, height } = shot.plates.main;
    const far = (at: Vec3) => Math.hypot(at[0] - camera.position[0], at[1] - camera.position[1]);
    const ground = groundPlane(groundHeight(shot));
    const near = (pixel: Vec2): boolean => {
      const at = pixelOnPlane(camera, pixel, ground);
      return at !== null && far(at) < FARTHEST;
    };
    const free = (at: Vec3) =>
      Object.values(shot.props).every((prop) => {
        const [x, y] = prop.placement.position;
        return Math.hypot(at[0] - x, at[1] - y) > roomBeside(prop);
      });
    const boxes = Object.values(shot.props).map(boxOf);
    const open = ([u, v]: Vec2) =>
      boxes.every((box) => !box || u < box.left || u > box.right || v < box.top || v > box.bottom);
    const upward = (met: ReturnType<typeof pickFace>) => met !== null && faceNormal(met.face)[2] ** 2 > 0.3;
    const places: { at: Vec3; open: boolean; built: boolean }[] = [];
    for (const down of [0.45, 0.6, 0.32, 0.75, 0.88])
      for (const across of [0.5, 0.36, 0.64, 0.24, 0.76]) {
        const u = across * width;
        const top = groundTop(near, u, height);
        const pixel: Vec2 = [u, top + down * (height - top)];
        const met = pickFace(shot.set, camera, pixel);
        // The ground behind a wall is no place.
        if (met && !upward(met)) continue;
        const at = met ? met.world : pixelOnPlane(camera, pixel, ground);
        // Nor is the border of a face as good as its middle.
        const built = [-1, 0, 1].every((side) =>
          upward(pickFace(shot.set, camera, [u + side * BESIDE * width, pixel[1]])),
        );
        if (at && far(at) < FARTHEST) places.push({ at, open: open(pixel), built });
      }
    const best = [
      places.find((p) => p.built && p.open && free(p.at)),
      places.find((p) => p.open && free(p.at)),
      places.find((p) => free(p.at)),
      places[0],
    ].find((p) => p);
    return best?.at ?? [0, 0, 0];
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
