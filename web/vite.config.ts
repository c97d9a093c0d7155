import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

const server = `http://127.0.0.1:${process.env.MATCHEDPAIR_PORT ?? "8321"}`;

export default defineConfig({
  plugins: [react(), tailwindcss()],
  server: { host: "127.0.0.1", port: 5173, strictPort: true, proxy: { "/api": server, "/login": server } },
  test: { include: ["tests/**/*.test.ts"], environment: "node" },
});
