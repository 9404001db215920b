<script setup lang="ts">
import { useNotices } from "../stores/notices.ts";

const notices = useNotices();
</script>

<template>
  <div class="notices" role="status" aria-live="polite">
    <div v-for="n in notices.list" :key="n.id" class="notice" :class="n.tone">
      <span class="lamp" />
      <div>
        <div>{{ n.text }}</div>
        <div v-if="n.hint" class="quiet">{{ n.hint }}</div>
      </div>
      <button class="plain" aria-label="Close" @click="notices.close(n.id)"><i class="pi pi-times" /></button>
    </div>
  </div>
</template>

<style scoped>
.notices {
  position: fixed;
  left: 16px;
  top: 14px;
  display: grid;
  gap: 8px;
  z-index: 60;
  max-width: 460px;
}
.notice {
  display: grid;
  grid-template-columns: 10px 1fr auto;
  gap: 10px;
  padding: 10px 12px;
  background: var(--card);
  border: 1px solid var(--line);
  box-shadow: 0 4px 18px #0008;
}
.lamp {
  width: 8px;
  height: 8px;
  border-radius: 50%;
  margin-top: 5px;
  background: var(--good);
}
.warn .lamp {
  background: var(--warn);
}
.bad .lamp {
  background: var(--bad);
}
</style>
