import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import type { Draft } from "immer";
import { freeze, produce } from "immer";
import type { SolveAnswer } from "#core/match/request";
import type { Camera } from "#core/optics/camera";
import type { OpenShot, StaleAnswer } from "#core/shot/api";
import type { Edit, Step, Work } from "#core/shot/edits";
import { applyEdit, makeEdit, rebase, stepId, stepPatches, takeStep } from "#core/shot/edits";
import { evidenceKey } from "#core/match/requestOfShot";
import { handAnswer, takeCamera } from "#core/shot/resolve";
import type { Shot } from "#core/shot/schema";
import { api, ApiFailure } from "../api.ts";
import { useNotices } from "./notices.ts";
import { useSolver } from "./solver.ts";

type Change = (draft: Draft<Shot>) => void;

/** The shot after a change; what the change returns does not matter. */
const changed = (shot: Shot, change: Change): Shot =>
  produce(shot, (draft) => {
    change(draft);
  });

const withEdit = (shot: Shot, edit: Edit): Shot => changed(shot, (draft) => applyEdit(draft, edit));

interface Unsaved {
  step: Step;
  patches: Edit["forward"];
}

const pendingKey = (id: string) => `harbor-unsaved-${id}`;

/** The open shot: its document, history, and the saving of every step. */
export const useShot = defineStore("shot", () => {
  const notices = useNotices();
  const solver = useSolver();
  const id = shallowRef<string | null>(null);
  const work = shallowRef<Work | null>(null);
  /** The document while something is being dragged. */
  const live = shallowRef<Shot | null>(null);
  const saving = shallowRef<"saved" | "saving" | "offline" | "full">("saved");
  let base: Work | null = null;
  let revision = 0;
  let unsaved: Unsaved[] = [];
  let busy = false;
  /** Steps of a closed tab are being sent onto an older revision than the one that is shown. */
  let catchingUp = false;
  /** The request that is under way; a shot is opened only when it is answered. */
  let sending: Promise<unknown> = Promise.resolve();
  /** Counts the openings and closings of shots. */
  let visits = 0;
  /** Edits whose camera is still being solved, oldest first, and the end of that. */
  let waiting: Edit[] = [];
  let settled: Promise<void> = Promise.resolve();

  const shot = computed(() => live.value ?? work.value?.shot ?? null);
  const canUndo = computed(() => work.value?.undo.at(-1)?.name ?? null);
  const canRedo = computed(() => work.value?.redo.at(-1)?.name ?? null);

  function adopt(opened: OpenShot): void {
    id.value = opened.id;
    revision = opened.revision;
    // Frozen once here, not by the first edit, which has to be drawn at once.
    freeze(opened.shot, true);
    base = { shot: opened.shot, undo: opened.undo, redo: opened.redo };
    work.value = base;
    live.value = null;
  }

  async function open(shotId: string): Promise<void> {
    close();
    const visit = visits;
    await sending;
    const opened = await api.openShot(shotId);
    // It was left again, or another one opened, before the answer came.
    if (visit !== visits) return;
    adopt(opened);
    saving.value = "saved";
    const left = localStorage.getItem(pendingKey(shotId));
    if (left) {
      // Steps that a closed tab could not save any more.
      const { revision: at, steps } = JSON.parse(left) as { revision: number; steps: Unsaved[] };
      if (steps.length > 0) {
        unsaved = steps;
        if (at === revision) for (const { step } of steps) work.value = takeStep(work.value!, step);
        else {
          revision = at;
          catchingUp = true;
        }
        await flush();
      }
    }
    solver.follow(shot.value!);
  }

  /** The same document anew, since what its set is made from has come. */
  function retouch(): void {
    if (!work.value) return;
    const { shot: old } = work.value;
    work.value = { ...work.value, shot: freeze({ ...old, set: freeze({ ...old.set }) }) };
  }

  /** What is not sent yet is sent; what cannot be sent stays in the browser for the next time the shot is opened. */
  function close(): void {
    visits++;
    const left = waiting;
    waiting = [];
    for (const edit of left) keep(edit);
    void flush();
    id.value = null;
    work.value = null;
    live.value = null;
    base = null;
    unsaved = [];
    catchingUp = false;
  }

  function remember(of = id.value, at = revision, steps = unsaved): void {
    if (!of) return;
    if (steps.length === 0) localStorage.removeItem(pendingKey(of));
    else localStorage.setItem(pendingKey(of), JSON.stringify({ revision: at, steps }));
  }

  function take(step: Step): void {
    unsaved.push({ step, patches: stepPatches(work.value!, step) });
    work.value = takeStep(work.value!, step);
    remember();
    solver.follow(work.value.shot);
    if (saving.value !== "full") saving.value = "saving";
    // After the step is drawn: writing it into a request takes a part of a frame.
    setTimeout(() => void flush());
  }

  /** Sends unsaved steps, one batch at a time; stale ones are rebased or kept as a take. */
  async function flush(): Promise<void> {
    if (busy || !id.value) return;
    busy = true;
    const of = id.value;
    try {
      while (unsaved.length > 0 && id.value === of) {
        if (saving.value !== "full") saving.value = "saving";
        const all = unsaved;
        const batch = all.slice(0, 100);
        try {
          const request = api.save(of, { revision, steps: batch.map((u) => u.step) });
          sending = request.catch(() => undefined);
          const answer = await request;
          if (id.value !== of) {
            remember(of, answer.revision, all.slice(batch.length));
            return;
          }
          revision = answer.revision;
          unsaved = unsaved.slice(batch.length);
          if (!catchingUp) for (const { step } of batch) base = takeStep(base!, step);
          else if (unsaved.length === 0) {
            // The server has put them where they belong, or had them already.
            adopt(await api.openShot(of));
            catchingUp = false;
          }
          remember();
        } catch (error) {
          if (id.value !== of) return;
          if (error instanceof ApiFailure && error.code === "stale") await settleStale(error.body as StaleAnswer);
          else if (error instanceof ApiFailure && error.status >= 400 && error.status < 500) {
            notices.fail(error);
            unsaved = [];
            catchingUp = false;
            remember();
            adopt(await api.openShot(of));
            dropMisfits();
          } else {
            const full = error instanceof ApiFailure && error.status === 507;
            // Said once, not at every try.
            if (full && saving.value !== "full") notices.fail(error);
            saving.value = full ? "full" : "offline";
            setTimeout(() => void flush(), 3000);
            return;
          }
        }
      }
      saving.value = waiting.length > 0 ? "saving" : "saved";
    } finally {
      busy = false;
    }
  }

  async function settleStale(answer: StaleAnswer): Promise<void> {
    const mine = work.value!.shot;
    // Those that had arrived, their answer lost on the way, are in the new state.
    const arrived = new Set(answer.taken);
    const steps = unsaved.filter(({ step }) => !arrived.has(stepId(step)));
    adopt(answer);
    catchingUp = false;
    unsaved = steps;
    const rebased = rebase(work.value!, answer.theirs, steps);
    if (rebased) {
      work.value = rebased;
      notices.say("warn", "This shot was also changed in another window; both changes are in.");
    } else {
      unsaved = [];
      const name = `Kept ${new Date().toLocaleTimeString("en-GB")}: ${steps.map((u) => (u.step.kind === "do" ? u.step.edit.name : u.step.kind)).at(-1) ?? "work"}`;
      await api.keepTake(id.value!, name, mine);
      notices.say(
        "warn",
        "Another window changed the same thing; your version is kept as a take.",
        "Open it from the Plate step, under Takes.",
      );
    }
    remember();
    dropMisfits();
    solver.follow(shot.value!);
  }

  /** Shows a change without keeping it, while something is dragged. */
  function preview(change: Change): void {
    if (!work.value) return;
    live.value = changed(ahead(), change);
    solver.follow(live.value);
  }

  function cancelPreview(): void {
    live.value = waiting.length > 0 ? ahead() : null;
    if (shot.value) solver.follow(shot.value);
  }

  /**
   * Keeps a change as one named edit, after those before it. Where it changes what the camera is solved from, the camera
   * is solved first and goes into the same edit, unless set or props would be moved: then the user is asked. Meanwhile
   * the change is shown.
   */
  async function commit(name: string, change: Change): Promise<void> {
    if (!work.value) return;
    const edit = makeEdit(ahead(), crypto.randomUUID(), name, change);
    if (!edit) {
      live.value = waiting.length > 0 ? ahead() : null;
      return;
    }
    if (waiting.length === 0 && !movesCamera(edit)) {
      keep(edit);
      return;
    }
    waiting.push(edit);
    live.value = ahead();
    saving.value = "saving";
    // One that fails must not hold up those after it.
    settled = settled.then(() => settle(edit)).catch((error: unknown) => notices.fail(error));
    await settled;
  }

  /** The document with the edits that still wait for their camera. */
  const ahead = (): Shot => waiting.reduce(withEdit, work.value!.shot);

  /** After others' work came in: edits that still wait must fit it. */
  function dropMisfits(): void {
    try {
      if (waiting.length > 0) live.value = ahead();
    } catch {
      waiting = [];
      live.value = null;
      notices.say("warn", "What was just marked belongs to something that another window took away.", "Mark it again.");
    }
  }

  function movesCamera(edit: Edit): boolean {
    const before = work.value!.shot;
    const after = withEdit(before, edit);
    const idle = Object.keys(after.set).length === 0 && Object.keys(after.props).length === 0;
    return idle && after.match.by === "marks" && evidenceKey(after) !== evidenceKey(before);
  }

  function keep(edit: Edit): void {
    live.value = null;
    take({ kind: "do", edit });
    if (waiting.length > 0) live.value = ahead();
  }

  async function settle(edit: Edit): Promise<void> {
    // A shot that was closed meanwhile has kept the edit without its camera.
    if (waiting[0] !== edit) return;
    let answer: SolveAnswer | null = null;
    try {
      if (movesCamera(edit)) answer = await solver.answerFor(withEdit(work.value!.shot, edit));
    } catch (error) {
      notices.fail(error);
    }
    if (waiting[0] !== edit) return;
    waiting.shift();
    const whole = makeEdit(work.value!.shot, edit.id, edit.name, (draft) => {
      applyEdit(draft, edit);
      if (answer?.camera) takeCamera(draft, answer);
      else if (answer) draft.solved = null;
    });
    if (whole) keep(whole);
    else void flush();
  }

  /** Shows what taking the marks' new camera would move, without keeping it. */
  async function previewSolved(): Promise<void> {
    const answer = await solver.answerFor(work.value!.shot);
    live.value = changed(work.value!.shot, (draft) => {
      takeCamera(draft, answer);
    });
  }

  /** Moves the camera by hand: one edit, what was placed on the plate follows. */
  function moveByHand(name: string, camera: Camera): Promise<void> {
    return commit(name, (draft) => {
      takeCamera(draft, handAnswer(camera));
    });
  }

  /** The same while a drag goes on. */
  function previewByHand(camera: Camera): void {
    preview((draft) => {
      takeCamera(draft, handAnswer(camera));
    });
  }

  /** Takes the camera that the marks now give, moving what follows it. */
  async function takeSolved(): Promise<void> {
    await settled;
    const answer = await solver.answerFor(work.value!.shot);
    const edit = makeEdit(work.value!.shot, crypto.randomUUID(), "Take the new camera", (draft) => {
      takeCamera(draft, answer);
    });
    if (edit) take({ kind: "do", edit });
  }

  /** Steps back through the history, or forth; an edit that still waits for its camera is waited for. */
  async function stepTo(kind: "undo" | "redo"): Promise<void> {
    if (waiting.length > 0) await settled;
    const edit = work.value?.[kind].at(-1);
    if (edit) take({ kind, id: edit.id, step: crypto.randomUUID() });
  }
  const undo = (): Promise<void> => stepTo("undo");
  const redo = (): Promise<void> => stepTo("redo");

  /**
   * For what takes long before it changes the document: asked again then, it throws a sentence where the shot that is open
   * now has been left, so that nothing goes into another one.
   */
  function stays(): () => void {
    const at = id.value;
    return () => {
      if (id.value !== at)
        throw new Error(
          "The shot that this was for is not open any more. Nothing was changed; open it and do it again.",
        );
    };
  }

  return {
    id,
    work,
    shot,
    stays,
    live,
    saving,
    canUndo,
    canRedo,
    open,
    close,
    preview,
    cancelPreview,
    commit,
    previewSolved,
    moveByHand,
    previewByHand,
    takeSolved,
    undo,
    redo,
    flush,
    retouch,
  };
});
