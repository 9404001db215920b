import type { Remote } from "comlink";
import { wrap } from "comlink";
import type { Draft } from "immer";
import { produce } from "immer";
import { ref } from "vue";
import type { Rested } from "#core/contact/rest";
import type { Vec3 } from "#core/math/vec3";
import { add, dot, normalize, sub, toDegrees } from "#core/math/vec3";
import type { Prop, StandsOn } from "#core/props/schema";
import { faceNormal, facePlane, onFace } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import { floorHeight, meshOf } from "#core/set/pieces";
import { movesWith } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { formatLength } from "#core/units/length";
import { plain } from "../plain.ts";
import { useDesk } from "../stores/desk.ts";
import { useNotices } from "../stores/notices.ts";
import { useShot } from "../stores/shot.ts";
import type { Contact, ContactJob } from "../workers/contact.worker.ts";

type Support = ContactJob["supports"][number] & { of: { part: string } | { prop: string } | null };

let worker: Remote<Contact> | null = null;
const contact = () =>
  (worker ??= wrap<Contact>(new Worker(new URL("../workers/contact.worker.ts", import.meta.url), { type: "module" })));

/** Lets contact forget models that the open shot does not need. */
export function keepInContact(hashes: readonly string[]): void {
  void worker?.keepOnly([...hashes]);
}

/** Upward part of a face's normal below which it is a wall. */
const STEEP = 0.4;
/** Metres within which a prop touches already. */
const TOUCHING = 5e-4;
/** Half the side of the ground that lies below everything, metres. */
const GROUND = 60;

/** Standing, pushing and what a prop rests on, reckoned in a worker on the real meshes. */
export function useContact() {
  const store = useShot();
  const notices = useNotices();
  const desk = useDesk();
  const busy = ref(false);
  // A worker takes a while to start.
  setTimeout(contact, 500);

  /** What a prop can touch: the set, the other props, and the ground below all. */
  function supportsOf(shot: Shot, id: string): Support[] {
    const found: Support[] = [];
    for (const part of Object.values(shot.set)) {
      if (part.muted) continue;
      const mesh = meshOf(facesOf(shot.set, part.id));
      if (mesh.indices.length > 0) found.push({ ...mesh, of: { part: part.id } });
    }
    const own = new Set(movesWith(shot, id, desk.beside(id)));
    for (const prop of Object.values(shot.props))
      if (!prop.hidden && !own.has(prop.id)) found.push({ prop: plain(prop), of: { prop: prop.id } });
    const [x, y] = shot.props[id].placement.position;
    const z = floorHeight(shot) - 1e-4;
    const corners = [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ].flatMap(([a, b]) => [x + a * GROUND, y + b * GROUND, z]);
    found.push({ positions: Float32Array.from(corners), indices: Uint32Array.of(0, 1, 2, 0, 2, 3), of: null });
    return found;
  }

  const jobOf = (prop: Prop, supports: Support[]): ContactJob => ({
    prop: plain(prop),
    supports: supports.map((support) =>
      "prop" in support ? { prop: support.prop } : { positions: support.positions, indices: support.indices },
    ),
  });

  /** The face of a part that a point lies on. */
  function faceAt(shot: Shot, part: string, at: Vec3): string | null {
    let best: { id: string; off: number } | null = null;
    for (const face of facesOf(shot.set, part)) {
      const { normal, offset } = facePlane(face);
      const off = Math.abs(dot(normal, at) - offset);
      if (
        off < 0.01 &&
        (!best || off < best.off) &&
        onFace(face, sub(at, normal.map((n) => n * (dot(normal, at) - offset)) as Vec3))
      )
        best = { id: face.id, off };
    }
    return best?.id ?? null;
  }

  function standsOn(shot: Shot, supports: Support[], rested: Rested): StandsOn {
    const touch = rested.touches.find(({ support }) => supports[support].of !== null);
    const of = touch && supports[touch.support].of;
    if (!of) return null;
    if ("prop" in of) return { on: "prop", prop: of.prop };
    const face = faceAt(shot, of.part, touch.at);
    return face ? { on: "face", part: of.part, face } : null;
  }

  /** What it stands on now, in words. */
  function words(shot: Shot, rested: Rested, on: StandsOn): string {
    const what = on ? (on.on === "prop" ? shot.props[on.prop].name : shot.set[on.part].name) : "the ground";
    const points = rested.touches.length;
    if (!rested.stable)
      return `It touches ${what} but its weight is ${formatLength(-rested.margin, shot.unit)} beyond its feet: it would tip.`;
    const edge =
      rested.margin < 1e-3
        ? "balanced on an edge"
        : `its weight ${formatLength(rested.margin, shot.unit)} within its feet`;
    return `Stands on ${what}, ${points === 1 ? "one point" : `${points} points`}, ${edge}.`;
  }

  /** Where a prop comes to stand, and on what; null with nothing below it, or while its file is not loaded. */
  async function solved(shot: Shot, id: string, tip: boolean): Promise<{ rested: Rested; on: StandsOn } | null> {
    const supports = supportsOf(shot, id);
    const rested = await contact().rest(jobOf(shot.props[id], supports), tip);
    return rested && { rested, on: standsOn(shot, supports, rested) };
  }

  /** What could not be brought into contact stays where it was put. */
  function unsettled(error: unknown): null {
    notices.fail(error);
    return null;
  }

  /** Keeps a change that put a prop somewhere, with the prop brought into contact with what is under it: one edit. */
  async function commitSettled(name: string, change: (draft: Draft<Shot>) => void, id: string): Promise<void> {
    const after = produce(store.work!.shot, change);
    const upright = after.props[id].stands?.on !== "face" || !isWall(after, after.props[id].stands);
    const found = upright ? await solved(after, id, false).catch(unsettled) : null;
    await store.commit(name, (d) => {
      change(d);
      if (!found) return;
      const moved = sub(found.rested.placement.position, d.props[id].placement.position as Vec3);
      for (const other of movesWith(d as Shot, id, desk.beside(id))) {
        const { placement } = d.props[other];
        placement.position = add(placement.position as Vec3, moved);
      }
      d.props[id].stands = found.on;
    });
  }

  /** True for a face that is steeper than what things stand on: what is put there stays against it. */
  function isWall(shot: Shot, stands: StandsOn): boolean {
    if (stands?.on !== "face") return false;
    const face = facesOf(shot.set, stands.part).find(({ id }) => id === stands.face);
    return face !== undefined && Math.abs(faceNormal(face)[2]) < STEEP;
  }

  /**
   * Brings a prop down onto what is below it; `tip` lets it tip until it stands. What rests on it moves with it. Says what
   * came of it.
   */
  async function rest(shot: Shot, id: string, tip: boolean, quietly = false): Promise<void> {
    const prop = shot.props[id];
    busy.value = true;
    try {
      const found = await solved(shot, id, tip);
      if (!found) {
        if (!quietly) notices.say("warn", `Nothing is below ${prop.name}.`, "Move it over the set or the ground.");
        return;
      }
      const { rested, on } = found;
      const { position, turn, lean } = rested.placement;
      const moved = sub(position, prop.placement.position as Vec3);
      await store.commit(tip ? `Rest ${prop.name}` : `Drop ${prop.name}`, (d) => {
        const own = d.props[id];
        own.placement.position = position;
        if (rested.tipped > 0) {
          own.placement.turnDeg = toDegrees(turn);
          own.placement.leanDeg = [toDegrees(lean[0]), toDegrees(lean[1])];
        }
        own.stands = on;
        for (const other of movesWith(d as Shot, id, desk.beside(id)))
          if (other !== id)
            d.props[other].placement.position = d.props[other].placement.position.map((x, k) => x + moved[k]) as Vec3;
      });
      if (quietly) return;
      const tipped = rested.tipped > 0.01 ? ` It tipped by ${toDegrees(rested.tipped).toFixed(1)}°.` : "";
      notices.say(rested.stable ? "good" : "warn", `${prop.name}: ${words(shot, rested, on)}${tipped}`);
    } catch (error) {
      notices.fail(error);
    } finally {
      busy.value = false;
    }
  }

  /** A level direction, along the face that a prop stands on: up and down its slope. */
  function slideAlong(shot: Shot, { stands }: Prop, direction: Vec3): Vec3 {
    if (stands?.on !== "face" || direction[2] !== 0 || isWall(shot, stands)) return direction;
    const face = facesOf(shot.set, stands.part).find(({ id }) => id === stands.face);
    if (!face) return direction;
    const normal = faceNormal(face);
    const off = dot(direction, normal);
    return normalize(sub(direction, normal.map((n) => n * off) as Vec3));
  }

  /** Pushes a prop along a direction until it touches; a level one leads along what it stands on. */
  async function push(shot: Shot, id: string, towards: Vec3, way: string): Promise<void> {
    const prop = shot.props[id];
    const direction = slideAlong(shot, prop, towards);
    const job = jobOf(prop, supportsOf(shot, id));
    busy.value = true;
    try {
      const far = await contact().push(job, direction);
      if (far === null) {
        notices.say("warn", `Nothing stands ${way} of ${prop.name}.`, "Build the wall, or move the prop before it.");
        return;
      }
      await store.commit(`Push ${prop.name}`, (d) => {
        for (const other of movesWith(d as Shot, id, desk.beside(id)))
          d.props[other].placement.position = d.props[other].placement.position.map(
            (x, k) => x + far * direction[k],
          ) as Vec3;
      });
      const length = formatLength(Math.abs(far), shot.unit);
      if (far < -TOUCHING) notices.say("good", `${prop.name} came back by ${length}, out of what it was in.`);
      else if (far < TOUCHING) notices.say("good", `${prop.name} touches already.`);
      else notices.say("good", `${prop.name} went ${length} ${way} until it touched.`);
    } catch (error) {
      notices.fail(error);
    } finally {
      busy.value = false;
    }
  }

  return { busy, rest, push, commitSettled };
}
