import "@fontsource-variable/ibm-plex-sans/index.css";
import "@fontsource/ibm-plex-mono/400.css";
import "@fontsource/ibm-plex-mono/500.css";
import "primeicons/primeicons.css";
import "./styles.css";
import { createPinia } from "pinia";
import PrimeVue from "primevue/config";
import Tooltip from "primevue/tooltip";
import { createApp } from "vue";
import App from "./App.vue";
import { router } from "./router.ts";
import { harborTheme } from "./theme.ts";

createApp(App)
  .use(createPinia())
  .use(router)
  .use(PrimeVue, { theme: { preset: harborTheme, options: { darkModeSelector: ".dark" } } })
  .directive("tooltip", Tooltip)
  .mount("#app");
