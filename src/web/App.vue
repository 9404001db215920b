<script setup lang="ts">
import { RouterView } from "vue-router";
import NoticeStack from "./parts/NoticeStack.vue";

document.documentElement.classList.add("dark");
</script>

<template>
  <RouterView />
  <NoticeStack />
</template>
