import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  build: { rollupOptions: { input: ["index.html", "listen.html", "small.html"] } },
  plugins: [react(), tailwindcss()],
  // A busy machine is slow, which is no fault.
  test: { testTimeout: 60_000 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:8610", ws: true } } },
});
