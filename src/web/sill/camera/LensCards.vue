<script setup lang="ts">
import { onMounted } from "vue";
import type { Shot } from "#core/shot/schema";
import { useLibrary } from "../../stores/library.ts";
import { useNotices } from "../../stores/notices.ts";
import DistortionCard from "./lens/DistortionCard.vue";
import FocalCard from "./lens/FocalCard.vue";
import PrincipalCard from "./lens/PrincipalCard.vue";

defineProps<{ shot: Shot }>();
const library = useLibrary();
const notices = useNotices();
onMounted(() => Promise.all([library.openDatabase(), library.openKits()]).catch(notices.fail));
</script>

<template>
  <FocalCard :shot="shot" />
  <DistortionCard :shot="shot" />
  <PrincipalCard :shot="shot" />
</template>
