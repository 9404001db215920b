<script setup lang="ts">
import ProgressBar from "primevue/progressbar";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import { RouterLink } from "vue-router";
import type { FinalStatus, QueueMove, QueuedFinal } from "#core/shot/api";
import { api } from "../api.ts";
import { useNotices } from "../stores/notices.ts";

/** Finals of all shots: what runs, what waits and in which order, and what has been. */
const notices = useNotices();
const finals = ref<QueuedFinal[] | null>(null);
let timer: ReturnType<typeof setTimeout> | null = null;
let left = false;
/** Counts the looks begun: after a move, only the newest one goes on. */
let looks = 0;
/** Changes at every look, so that the growing picture is fetched anew. */
const look = ref(0);

async function follow(): Promise<void> {
  if (timer) clearTimeout(timer);
  const own = ++looks;
  try {
    const known = await api.queue();
    if (own !== looks) return;
    finals.value = known;
    look.value++;
  } catch (error) {
    notices.fail(error);
  }
  if (!left && own === looks) timer = setTimeout(() => void follow(), 1000);
}
onMounted(() => {
  document.title = "Queue · Red Harbor";
  void follow();
});
onBeforeUnmount(() => {
  left = true;
  if (timer) clearTimeout(timer);
  document.title = "Red Harbor";
});

const move = async (id: string, what: QueueMove) => {
  try {
    await api.moveFinal(id, what);
    await follow();
  } catch (error) {
    notices.fail(error);
  }
};

const WORDS: Record<FinalStatus, string> = {
  waiting: "waits",
  running: "rendering",
  paused: "paused",
  done: "done",
  cancelled: "cancelled",
  failed: "failed",
};
const MOVES: Record<FinalStatus, { move: QueueMove; label: string }[]> = {
  running: [
    { move: "pause", label: "pause" },
    { move: "cancel", label: "cancel" },
  ],
  waiting: [
    { move: "earlier", label: "earlier" },
    { move: "later", label: "later" },
    { move: "pause", label: "pause" },
    { move: "cancel", label: "cancel" },
  ],
  paused: [
    { move: "resume", label: "go on" },
    { move: "cancel", label: "cancel" },
  ],
  done: [],
  cancelled: [{ move: "retry", label: "render again" }],
  failed: [{ move: "retry", label: "try again" }],
};
const share = (f: QueuedFinal) => Math.round((f.samplesDone / f.samples) * 100);
const duration = (s: number) => (s < 90 ? `${Math.ceil(s)} s` : `${Math.ceil(s / 60)} min`);
const waiting = computed(() => (finals.value ?? []).filter((f) => f.status === "waiting").length);
const when = (t: string) => new Date(t).toLocaleString("en-GB", { dateStyle: "short", timeStyle: "short" });
</script>

<template>
  <main class="queue">
    <header>
      <RouterLink to="/" title="All shots"><img src="/mark.svg" alt="All shots" width="34" height="34" /></RouterLink>
      <h1>Queue</h1>
      <span class="quiet">{{
        finals === null
          ? "Looking …"
          : waiting === 0
            ? "nothing waits"
            : `${waiting} ${waiting === 1 ? "waits" : "wait"}`
      }}</span>
    </header>
    <p v-if="finals?.length === 0" class="quiet">
      No final has been asked for yet. Open a shot, step Render, and press “Render final”.
    </p>
    <section v-for="f in finals ?? []" :key="f.id" class="final" :class="f.status" :data-test="`final-${f.status}`">
      <img
        v-if="f.status === 'running'"
        class="picture"
        :src="`/api/finals/${f.id}/preview.jpg?${look}`"
        alt="The picture so far"
      />
      <img
        v-else-if="f.status === 'done'"
        class="picture"
        :src="`/api/finals/${f.id}/preview.jpg?done`"
        alt="The finished picture"
        loading="lazy"
      />
      <img v-else class="picture faint" :src="`/api/shots/${f.shotId}/thumbnail`" alt="The plate" />
      <div class="about">
        <div class="row">
          <RouterLink :to="`/shots/${f.shotId}/render`">{{ f.shotName }}</RouterLink>
          <span class="state">{{ WORDS[f.status] }}</span>
          <button
            v-for="m in MOVES[f.status]"
            :key="m.move"
            class="act"
            :data-test="`queue-${m.move}`"
            @click="move(f.id, m.move)"
          >
            {{ m.label }}
          </button>
        </div>
        <div class="num">
          {{ f.width }} × {{ f.height }} ({{ f.percent }} % of the side), {{ f.samples }} samples a pixel{{
            f.settings.noise > 0 ? `, until noise ${f.settings.noise}` : ""
          }}{{ f.settings.denoise ? ", denoised" : ""
          }}{{ f.settings.passes.length > 0 ? `, layers: ${f.settings.passes.join(", ")}` : "" }}
        </div>
        <template v-if="f.status === 'running' || f.status === 'paused'">
          <ProgressBar :value="share(f)" :show-value="false" style="height: 5px; margin: 6px 0 3px; max-width: 460px" />
          <div class="num quiet">
            {{ f.writing ? "writing its files" : `${share(f)} %`
            }}{{ f.secondsLeft !== null ? `, ${duration(f.secondsLeft)} left` : "" }}
          </div>
        </template>
        <div v-if="f.message" class="bad">{{ f.message }}</div>
        <div v-if="f.noise !== null" class="num quiet">noise {{ f.noise.toFixed(2) }} of 255</div>
        <div v-for="notice in f.notices" :key="notice" class="quiet">{{ notice }}</div>
        <div class="quiet">
          asked for {{ when(f.createdAt) }}{{ f.status === "done" && f.seconds ? `, took ${duration(f.seconds)}` : "" }}
        </div>
      </div>
    </section>
  </main>
</template>

<style scoped>
.queue {
  height: 100%;
  overflow: auto;
  background: var(--band);
  padding: 28px 36px;
}
header {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 18px;
}
h1 {
  margin: 0;
  font-size: 22px;
}
.final {
  display: grid;
  grid-template-columns: 190px 1fr;
  gap: 16px;
  padding: 10px 0;
  border-top: 1px solid var(--line);
}
.picture {
  width: 190px;
  height: 127px;
  object-fit: contain;
  background: var(--surround);
}
.faint {
  opacity: 0.45;
}
.state {
  color: var(--quiet);
}
.running .state {
  color: var(--accent);
}
.done .state {
  color: var(--good);
}
.failed .state,
.bad {
  color: var(--bad);
}
a {
  color: inherit;
}
.about > * {
  margin-bottom: 3px;
}
</style>
