import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

/** `.test.tsx` has a page, `.test.ts` has none. Those with a page share what they load: it takes longer than they do. */
export default defineConfig({
  plugins: [react()],
  test: {
    testTimeout: 40_000, // a busy machine is no failure
    maxWorkers: 2,
    projects: [
      { extends: true, test: { name: "plain", include: ["tests/**/*.test.ts"], pool: "vmThreads" } },
      {
        extends: true,
        test: {
          name: "pages",
          include: ["tests/**/*.test.tsx"],
          environment: "jsdom",
          setupFiles: ["tests/setup.ts"],
          pool: "threads",
          isolate: false,
        },
      },
    ],
  },
});
