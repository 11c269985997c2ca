import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

// Assets are never inlined, so that a strict content security policy holds.
export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../internal/console/dist", emptyOutDir: false, assetsInlineLimit: 0, target: "es2022" },
  server: { proxy: { "/api": "http://127.0.0.1:8490" } },
});
