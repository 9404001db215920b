export default {
  testMatch: ["<rootDir>/src/**/*.test.ts"],
  extensionsToTreatAsEsm: [".ts"],
  transform: {
    "^.+\\.ts$": "<rootDir>/scripts/jestTransform.mjs",
  },
  testTimeout: 300000,
  // Tests that render use two threads, but mostly prepare and compare on one.
  maxWorkers: 2,
};
