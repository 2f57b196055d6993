/** What runs there are. */
export const runKinds = [
  'reach',
  'ask',
  'capture',
  'compare',
  'errand',
  'push',
  'restore',
  'operation',
  'upgrade',
  'check',
] as const;
export type RunKind = (typeof runKinds)[number];
/** Those that change devices: looked at first, and done when somebody gives the number. */
export const changingKinds: readonly RunKind[] = ['errand', 'push', 'restore', 'operation', 'upgrade'];
/** Those of them that can be taken back by difference, from what ran after to what ran before. */
export const takenBackKinds: readonly RunKind[] = ['errand', 'push', 'restore'];
