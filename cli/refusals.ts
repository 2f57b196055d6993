import { RefusedError, UnreachedError } from '@zpine/contract/client';
import type { FaultWords, Problem } from '@zpine/contract/errors';
import { err, refusedWord } from './print.ts';

/** Exit status: 1 refused, 2 usage, 3 service not reached. */
export const status = { refused: 1, usage: 2, unreached: 3 } as const;

export class UsageError extends Error {}

/** `/2/cidr` as a person says it: row 3, field cidr. */
function placeOf(pointer: string): string {
  const [, ...parts] = pointer.split('/');
  if (parts[0] === 'records') parts.shift();
  const rowed = /^[0-9]+$/.test(parts[0] ?? '') ? [`row ${Number(parts.shift()) + 1}`] : [];
  return [...rowed, ...(parts.length > 0 ? [`field ${parts.join('.')}`] : [])].join(', ');
}

function remedyLines(fault: Pick<FaultWords, 'code' | 'remedy'> & { params?: FaultWords['params'] }): string[] {
  if (fault.code === 'prefix-host-bits' && fault.params) {
    return [
      `  meant the network?  ${fault.params.network}`,
      `  meant the host?     zpine address add ${fault.params.host} --for DEVICE`,
    ];
  }
  return fault.remedy ? [`  ${fault.remedy}`] : [];
}

function explain(problem: Problem): string[] {
  const faults = problem.errors ?? [];
  if (faults.length <= 1) {
    const place = faults[0] ? placeOf(faults[0].pointer) : '';
    // A detail may go on with the text and a caret below.
    const [first = '', ...more] = problem.detail.split('\n');
    return [`${refusedWord()}: ${first}${place ? ` (${place})` : ''}`, ...more, ...remedyLines(faults[0] ?? problem)];
  }
  return [
    `${refusedWord()}: ${faults.length + (problem.more ?? 0)} faults, nothing saved`,
    ...faults.flatMap((f) => [`  ${placeOf(f.pointer)}: ${f.detail}`, ...remedyLines(f).map((l) => `  ${l}`)]),
    ...(problem.more ? [`  and ${problem.more} more`] : []),
  ];
}

/** Says what went wrong and gives the exit status. */
export function report(error: unknown): number {
  if (error instanceof RefusedError) {
    for (const line of explain(error.problem)) err(line);
    if (error.problem.code === 'signed-out') err('  zpine sign-in URL --user NAME');
    return status.refused;
  }
  if (error instanceof UnreachedError) {
    err(`not reached: ${error.message}`);
    return status.unreached;
  }
  if (error instanceof UsageError) {
    err(error.message);
    return status.usage;
  }
  throw error;
}
