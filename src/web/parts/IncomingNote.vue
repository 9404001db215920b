<script setup lang="ts">
import { useIncoming } from "../stores/incoming.ts";

/** How far the file is that is being brought in, over the plate. */
const incoming = useIncoming();
</script>

<template>
  <div v-if="incoming.name" class="incoming" role="status" data-test="incoming">
    <span class="name">{{ incoming.name }}</span>
    <span class="num">{{ incoming.words }}</span>
    <button class="act" data-test="incoming-cancel" @click="incoming.cancel()">Cancel</button>
    <span class="bar" :style="{ width: `${100 * incoming.share}%` }" />
  </div>
</template>

<style scoped>
.incoming {
  position: absolute;
  top: 12px;
  left: 50%;
  transform: translateX(-50%);
  z-index: 20;
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 70%;
  padding: 6px 12px 8px;
  background: #201f1ee6;
  overflow: hidden;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.num {
  white-space: nowrap;
}
.bar {
  position: absolute;
  left: 0;
  bottom: 0;
  height: 3px;
  background: var(--accent);
}
</style>
