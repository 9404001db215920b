<script setup lang="ts">
import { computed, toRaw } from "vue";
import type { FinalListing } from "#core/shot/api";
import { changedSince, renderedParts } from "#core/shot/stale";
import type { Shot } from "#core/shot/schema";

/** Says of a final which parts of the shot are no longer what it was rendered of. */
const props = defineProps<{ shot: Shot; final: FinalListing }>();
const changed = computed(() => changedSince(props.final.of, renderedParts(toRaw(props.shot), kept)));
</script>

<script lang="ts">
/** Of the parts of open shots, which every edit replaces: a moved slider of the comp leaves all others as they are. */
const kept = new WeakMap<object, string>();
</script>

<template>
  <span
    v-if="changed.length > 0"
    class="changed"
    data-test="changed-since"
    title="The shot is no longer what this final was rendered of. Render it again, or step back."
    >{{ changed.join(", ") }} changed since it was rendered</span
  >
</template>

<style scoped>
.changed {
  display: block;
  flex-basis: 100%;
  color: var(--warn);
}
</style>
