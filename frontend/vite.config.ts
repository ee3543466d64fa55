import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { fileURLToPath } from "node:url";
import { defineConfig } from "vite";
import { onlyUsedShaders } from "./three-used.ts";

export default defineConfig({
  plugins: [react(), tailwindcss(), onlyUsedShaders()],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  server: { port: 8601, proxy: { "/api": { target: "http://127.0.0.1:8600", ws: true } } },
});
