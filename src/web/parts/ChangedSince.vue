<script setup lang="ts">
import { computed } from "vue";
import type { FinalListing } from "#core/shot/api";
import { changedSince } from "#core/shot/stale";
import type { Shot } from "#core/shot/schema";

/** Says of a final which parts of the shot are no longer what it was rendered of. */
const props = defineProps<{ shot: Shot; final: FinalListing }>();
const changed = computed(() => changedSince(props.final.of, props.shot));
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
