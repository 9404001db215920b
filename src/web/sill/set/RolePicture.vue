<script setup lang="ts">
import type { Role } from "#core/set/roles";

/** What each role does to a ball beside a wall, in a small picture. */
defineProps<{ role: Role }>();
</script>

<template>
  <svg viewBox="0 0 56 34" width="56" height="34" aria-hidden="true">
    <path d="M2 27 L54 27" stroke="#8d8a85" />
    <g v-if="role === 'catcher'">
      <ellipse cx="33" cy="28" rx="13" ry="3" fill="#151414" />
      <circle cx="24" cy="19" r="8" fill="#d8674d" />
    </g>
    <g v-else-if="role === 'blocker'">
      <circle cx="30" cy="19" r="8" fill="#d8674d" />
      <rect x="12" y="6" width="16" height="21" fill="#a9a6a2" />
      <path d="M12 27h-9l9 3z" fill="#151414" />
    </g>
    <g v-else-if="role === 'solid'">
      <rect x="6" y="3" width="44" height="6" fill="none" stroke="#a9a6a2" stroke-dasharray="3 2" />
      <path d="M12 9L20 27H36L44 9z" fill="#0005" />
      <circle cx="28" cy="20" r="7" fill="#d8674d" />
    </g>
    <g v-else>
      <rect x="42" y="7" width="5" height="20" fill="none" stroke="#e0b050" stroke-dasharray="3 2" />
      <circle cx="24" cy="19" r="8" fill="#d8674d" />
      <path d="M31 15a8 8 0 0 1 0 8" fill="none" stroke="#e0b050" stroke-width="2.5" />
      <path d="M40 17L34 19M40 13L35 15" stroke="#e0b050" />
    </g>
  </svg>
</template>
