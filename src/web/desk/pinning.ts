import type { Vec2, Vec3 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { pixelDirection } from "#core/optics/camera";
import type { Pin } from "#core/props/pin";
import { modelPointAt, pinned } from "#core/props/pin";
import { placementOf, singleModelOf } from "#core/props/placed";
import type { Shot } from "#core/shot/schema";
import { useDesk } from "../stores/desk.ts";
import { useModels } from "../stores/models.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";

/** Pinning points of the chosen prop to pixels of the plate: clicked on the prop and on the plate by turns. */
export function usePinning() {
  const desk = useDesk();
  const store = useShot();
  const models = useModels();
  const notices = useNotices();

  function modelOfChosen(shot: Shot) {
    const prop = desk.selected ? shot.props[desk.selected] : undefined;
    const model = prop && singleModelOf(prop, models.models);
    return prop && model ? { prop, model } : null;
  }

  function pinsOf(shot: Shot, camera: Camera, points: readonly Vec2[]): Pin[] | null {
    const chosen = modelOfChosen(shot);
    if (!chosen) return null;
    const pins: Pin[] = [];
    for (let i = 0; i + 1 < points.length; i += 2) {
      const local = modelPointAt(
        chosen.model,
        placementOf(chosen.prop),
        camera.position,
        pixelDirection(camera, points[i]),
      );
      if (!local) return null;
      pins.push({ local, pixel: points[i + 1] });
    }
    return pins;
  }

  async function keep(shot: Shot, camera: Camera, points: readonly Vec2[]): Promise<void> {
    const chosen = modelOfChosen(shot);
    const pins = pinsOf(shot, camera, points);
    desk.choose("pick");
    const found = chosen && pins && pinned(chosen.model, placementOf(chosen.prop), pins, camera);
    if (!found) {
      notices.say(
        "warn",
        "The prop cannot be brought there standing at its height.",
        "Pin points that the plate shows farther apart, or nearer to the ground.",
      );
      return;
    }
    await store.commit(`Pin ${chosen.prop.name}`, (d) => {
      const { placement } = d.props[chosen.prop.id];
      placement.position = found.position;
      placement.turnDeg = toDegrees(found.turn);
      placement.scale = found.scale as Vec3;
    });
  }

  /** Takes a click; true when it goes on to the next one. */
  async function click(shot: Shot, camera: Camera | null, points: readonly Vec2[]): Promise<boolean> {
    const chosen = modelOfChosen(shot);
    if (!camera || !chosen) {
      notices.say("warn", "No prop is chosen.", "Click a prop first, then take up the pin.");
      desk.choose("pick");
      return false;
    }
    const onProp = points.length % 2 === 1;
    if (onProp) {
      const ray = pixelDirection(camera, points[points.length - 1]);
      if (!modelPointAt(chosen.model, placementOf(chosen.prop), camera.position, ray)) {
        notices.say("warn", `${chosen.prop.name} is not there.`, "Click on the prop itself.");
        return false;
      }
      return true;
    }
    if (points.length < 4) return true;
    await keep(shot, camera, points);
    return false;
  }

  /** Enter: the first pin alone moves it. */
  async function close(shot: Shot, camera: Camera | null, points: readonly Vec2[]): Promise<void> {
    if (camera && points.length >= 2) await keep(shot, camera, points.slice(0, 2));
  }

  /** Takes a click on the prop for a known size; true when it goes on to the other point. */
  function span(shot: Shot, camera: Camera | null, points: readonly Vec2[]): boolean {
    const chosen = modelOfChosen(shot);
    const placement = chosen && placementOf(chosen.prop);
    const ends =
      camera && chosen && placement
        ? points.map((p) => modelPointAt(chosen.model, placement, camera.position, pixelDirection(camera, p)))
        : [];
    const [a, b] = ends;
    if (!chosen || !a || (points.length > 1 && !b)) {
      notices.say("warn", "No point of a chosen prop is there.", "Click a prop first, then two points on it.");
      return false;
    }
    if (!b) return true;
    desk.choose("pick");
    desk.spanned = { prop: chosen.prop.id, ends: [a, b] };
    desk.propDrawer = "place";
    return false;
  }

  return { click, close, span };
}
