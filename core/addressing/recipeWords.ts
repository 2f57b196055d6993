/** The steps of a site plan in words: one line a step, and one for each prefix of a VLAN. */
import type { PlannedPrefix, RecipeStep } from './recipe.ts';

const some = (...words: (string | false | null)[]): string => words.filter(Boolean).join(' · ');

const prefixWords = (one: PlannedPrefix): string =>
  some(
    `/${one.size} in ${one.in}${one.nth === null ? '' : `, number ${one.nth}`}`,
    one.gateway && `gateway ${one.gateway}`,
    one.heldBack && `held back ${one.heldBack}`,
    one.pool && `pool ${one.pool}`,
    one.quarantine && `quarantine ${one.quarantine}`,
    one.handOut,
    one.description,
  );

export interface StepWords {
  title: string;
  lines: string[];
}

export function stepWords(step: RecipeStep): StepWords {
  if ('block' in step) {
    const line = some(
      `/${step.size} out of ${step.from}`,
      step.like && `the same as ${step.like}`,
      step.way !== 'first' && step.way,
      step.use,
      step.description,
    );
    return { title: `block ${step.block}`, lines: [line] };
  }
  if ('vlan' in step) {
    const lines = step.prefixes.map(prefixWords);
    return { title: `VLAN ${some(String(step.vlan), step.title, step.use !== step.title && step.use)}`, lines };
  }
  if ('loopback' in step) return { title: `${step.loopback} of each ${step.for}`, lines: [`out of ${step.from}`] };
  return { title: `links between each two ${step.links}`, lines: [`blocks of two out of ${step.from}`] };
}
