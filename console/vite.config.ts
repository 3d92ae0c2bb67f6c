import react from "@vitejs/plugin-react";
import { compression } from "vite-plugin-compression2";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), compression({ algorithms: ["gzip", "brotliCompress"], include: /\.(js|css|svg|json)$/, threshold: 1000 })],
  test: { environment: "jsdom", setupFiles: "./tests/setup.ts", testTimeout: 60_000 },
  build: {
    target: "es2022",
    rollupOptions: {
      output: {
        manualChunks(id: string) {
          if (id.includes("@mantine") || id.includes("@floating-ui")) return "mantine";
          if (/node_modules\/(react|react-dom|react-router|scheduler)\//.test(id)) return "react";
          return undefined;
        },
      },
    },
  },
  server: { proxy: { "/api": process.env.RAMPA_ADDRESS ?? "http://127.0.0.1:8600" } },
});
