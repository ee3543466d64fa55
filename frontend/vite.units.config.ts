import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";

/** The modules that tests drive by themselves, as one script that puts them into `units`. */
export default defineConfig({
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  define: { "process.env.NODE_ENV": '"production"' },
  publicDir: false,
  build: {
    outDir: "dist-units",
    minify: false,
    lib: { entry: "src/units.ts", formats: ["iife"], name: "units", fileName: () => "units.js" },
  },
});
