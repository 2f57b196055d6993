import type { ShownStranger } from './onboardingShapes.ts';

type Named = Pick<ShownStranger, 'serial' | 'mac' | 'address'>;

/** How a stranger is called: by its serial, its MAC, or, where it does not boot but talks, by where it is. */
export const strangerName = ({ serial, mac, address }: Named): string => serial ?? (mac || (address ?? 'a stranger'));

/** It says something of itself, and does not boot. */
export const isTalker = ({ mac, says }: Pick<ShownStranger, 'mac' | 'says'>): boolean => mac === '' && says !== null;
