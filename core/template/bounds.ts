/** What no template may pass (docs/templates.md, Bounds). */
export const MOST_BYTES = 1024 * 1024;
export const MOST_STEPS = 1_000_000;
/** Fragments inside each other. */
export const MOST_FRAGMENTS = 32;
/** Of any value, wherever it is made. */
export const MOST_SIGNS = 1024 * 1024;
export const MOST_ITEMS = 100_000;
