import { definePreset } from "@primeuix/themes";
import Aura from "@primeuix/themes/aura";

/** Neutral greys, so that the plate's colour can be judged, and one warm red. */
export const harborTheme = definePreset(Aura, {
  primitive: { borderRadius: { xs: "1px", sm: "2px", md: "3px", lg: "4px", xl: "6px" } },
  semantic: {
    primary: {
      50: "#fbeeea",
      100: "#f5d5cc",
      200: "#ecb0a1",
      300: "#e28a75",
      400: "#d8674d",
      500: "#c8452c",
      600: "#ae3921",
      700: "#8e2e1b",
      800: "#6e2416",
      900: "#4f1a10",
      950: "#2f0f09",
    },
    formField: { paddingX: "0.5rem", paddingY: "0.28rem" },
    colorScheme: {
      dark: {
        surface: {
          0: "#ffffff",
          50: "#f3f2f0",
          100: "#e2e0dd",
          200: "#c6c4c0",
          300: "#a5a3a0",
          400: "#858380",
          500: "#6a6866",
          600: "#525150",
          700: "#403f3e",
          800: "#333231",
          900: "#292827",
          950: "#1f1e1e",
        },
        primary: { color: "#d8674d", contrastColor: "#1f1e1e", hoverColor: "#e28a75", activeColor: "#ecb0a1" },
      },
    },
  },
});
