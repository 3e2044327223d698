import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

// `npm run build` writes dist/, which the Go binary embeds. For work on the console, run a
// service and `npx vite`: API calls go on to it.
export default defineConfig({
  plugins: [react()],
  // The service writes a nonce of its own into every page that it serves.
  html: { cspNonce: "__NONCE__" },
  build: { outDir: "dist", emptyOutDir: false, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": process.env.HARVIK_SERVER ?? "http://127.0.0.1:8420" } },
});
