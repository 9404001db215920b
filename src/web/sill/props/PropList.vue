<script setup lang="ts">
import { computed } from "vue";
import type { Prop } from "#core/props/schema";
import { followCopy } from "#core/shot/references";
import type { Shot } from "#core/shot/schema";
import { deletion } from "../../desk/deletion.ts";
import { freshId } from "../../desk/ids.ts";
import { useDesk } from "../../stores/desk.ts";
import { useShot } from "../../stores/shot.ts";

/** The shot's props: chosen by a click, several with Shift; hidden, locked, grouped, deleted. */
const props = defineProps<{ shot: Shot }>();
const desk = useDesk();
const store = useShot();
const list = computed(() => Object.values(props.shot.props));
const several = computed(() =>
  [...new Set([...(desk.selected ? [desk.selected] : []), ...desk.also])].filter((id) => props.shot.props[id]),
);

function choose(prop: Prop, more: boolean): void {
  if (more) {
    desk.alsoChoose(prop.id);
    return;
  }
  desk.selected = prop.id;
  desk.also = [];
}

const hide = (p: Prop) =>
  store.commit(p.hidden ? "Show prop" : "Hide prop", (d) => void (d.props[p.id].hidden = !p.hidden));
const lock = (p: Prop) =>
  store.commit(p.locked ? "Unlock prop" : "Lock prop", (d) => void (d.props[p.id].locked = !p.locked));

async function remove(id: string): Promise<void> {
  const gone = deletion(props.shot, id);
  if (desk.selected === id) desk.selected = null;
  if (gone) await store.commit(gone.name, gone.change);
}

/** A second one beside it. */
function copy(): void {
  const prop = props.shot.props[desk.selected!];
  const id = freshId("prop", props.shot.props);
  void store.commit(`Copy ${prop.name}`, (d) => {
    const made = JSON.parse(JSON.stringify(prop)) as Prop;
    made.placement.position[0] += 0.5;
    d.props[id] = { ...made, id, name: `${prop.name}, copy`, stands: null };
    followCopy(d as Shot, prop.id, id);
  });
  desk.selected = id;
}

const grouped = computed(
  () => several.value.length > 0 && several.value.every((id) => props.shot.props[id].group !== null),
);
function group(): void {
  const ids = several.value;
  const joins = !grouped.value;
  const groups = Object.fromEntries(list.value.flatMap((p) => (p.group ? [[p.group, true]] : [])));
  const id = joins ? freshId("group", groups) : null;
  void store.commit(joins ? "Group props" : "Ungroup props", (d) => {
    for (const each of ids) d.props[each].group = id;
  });
}
</script>

<template>
  <section class="card" style="flex: 0 0 232px">
    <h3>
      Props
      <span class="end row">
        <button v-if="desk.selected && shot.props[desk.selected]" class="plain" title="Copy beside it" @click="copy">
          <i class="pi pi-copy" /> copy
        </button>
        <button
          v-if="several.length > 1 || grouped"
          class="plain"
          data-test="group"
          :title="grouped ? 'Move each by itself again' : 'Moved together from now on'"
          @click="group"
        >
          <i class="pi pi-link" /> {{ grouped ? "ungroup" : `group ${several.length}` }}
        </button>
      </span>
    </h3>
    <div class="list">
      <div
        v-for="p in list"
        :key="p.id"
        :class="{ on: desk.selected === p.id || desk.also.includes(p.id) }"
        :data-test="`prop-${p.id}`"
        @click="choose(p, $event.shiftKey)"
      >
        <span class="name" :class="{ quiet: p.hidden }">{{ p.name }}</span>
        <i v-if="p.group" class="pi pi-link quiet" :title="`Of ${p.group}`" />
        <button class="plain end" :aria-label="p.locked ? `Unlock ${p.name}` : `Lock ${p.name}`" @click.stop="lock(p)">
          <i class="pi" :class="p.locked ? 'pi-lock' : 'pi-lock-open'" />
        </button>
        <button class="plain" :aria-label="p.hidden ? `Show ${p.name}` : `Hide ${p.name}`" @click.stop="hide(p)">
          <i class="pi" :class="p.hidden ? 'pi-eye-slash' : 'pi-eye'" />
        </button>
        <button class="plain" :aria-label="`Delete ${p.name}`" @click.stop="remove(p.id)">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <p v-if="list.length === 0" class="quiet">Nothing stands in the plate yet.</p>
  </section>
</template>

<style scoped>
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.list button {
  padding: 1px 2px;
}
.list .end {
  margin-left: auto;
}
</style>
