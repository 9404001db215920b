import { createRouter, createWebHistory } from "vue-router";
import ShotsPage from "./pages/ShotsPage.vue";

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: "/", component: ShotsPage },
    { path: "/queue", component: () => import("./pages/QueuePage.vue") },
    { path: "/shots/:id/:step?", component: () => import("./pages/ShotPage.vue"), props: true },
    { path: "/:rest(.*)", redirect: "/" },
  ],
});
