import { defineConfig } from "vitest/config";

/** How long a test or its preparation may take: a slow and busy machine loads all views in a minute. */
const LIMIT_MS = 180_000;

export default defineConfig({
  test: {
    environment: "happy-dom",
    include: ["tests/**/*.test.{ts,tsx}"],
    testTimeout: LIMIT_MS,
    hookTimeout: LIMIT_MS,
  },
});
