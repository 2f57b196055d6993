/** What runs there are. */
export const runKinds = ['reach', 'ask', 'capture', 'compare', 'errand', 'push'] as const;
export type RunKind = (typeof runKinds)[number];
/** Those that change devices: looked at first, and done when somebody gives the number. */
export const changingKinds: readonly RunKind[] = ['errand', 'push'];
