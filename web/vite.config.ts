import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { target: "es2022", sourcemap: false, assetsInlineLimit: 0, chunkSizeWarningLimit: 900 },
  server: { host: "127.0.0.1", proxy: { "/api": `http://127.0.0.1:${process.env.ZINCPLATE_PORT ?? 8700}` } },
  test: { environment: "happy-dom", include: ["src/**/*.test.{ts,tsx}"] },
});
