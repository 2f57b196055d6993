/** What a device runs and has stored, held against its published edition: asked for now, or by its last captures. */
import type { Difference } from '@zpine/core/config/compare';
import {
  driftOf,
  linesIn,
  linesOf,
  type FoundDrift,
  type IntendedEdition,
  type ReadTexts,
} from '../../app/fleet/compared.ts';
import type { Target } from '../../app/fleet/access.ts';
import { capturedText } from '../../app/fleet/capturedText.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { capturedFiles, secretsOf } from './capture.ts';
import { placedFiles } from './filing.ts';

export async function compareDevice(
  target: Target,
  session: Session,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const read = async (command: string): Promise<string> => {
    const { text, refused, cut } = await session.run(command);
    if (refused !== undefined) throw new Error(`"${command}" was not answered: ${refused}`);
    if (cut) throw new Error(`the answer to "${command}" is too long`);
    return text;
  };
  const running = await read(dialect.sheet.running);
  const stored = dialect.sheet.stored === undefined ? undefined : await read(dialect.sheet.stored);
  const captured = [
    capturedText(dialect, target.secrets, 'running', running),
    ...(stored === undefined ? [] : [capturedText(dialect, target.secrets, 'stored', stored)]),
  ];
  const files = await placedFiles(session, dialect, intended);
  return {
    ...comparedTexts(target, intended, { running, stored, files }),
    captured: [...captured, ...capturedFiles(dialect, target, secretsOf(intended), files)],
  };
}

export function comparedTexts(
  target: Target,
  intended: IntendedEdition | undefined,
  texts: ReadTexts,
): Pick<Done, 'outcome' | 'detail' | 'result' | 'drift'> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const drift = driftOf(target, dialect, intended, texts);
  const { edition, comparison } = drift;
  const unkept = drift.stored && linesOf(drift.stored);
  const differs = (comparison !== null && !comparison.matches) || (unkept ?? 0) > 0;
  return {
    outcome: differs
      ? 'differs'
      : comparison === null
        ? 'left out'
        : comparison.notComparable.length > 0
          ? 'as far as shown'
          : 'as described',
    detail: comparedWords(drift),
    result: { compared: { edition: edition?.number ?? null, comparison, unkept } },
    drift,
  };
}

const lines = (n: number): string => `${n} line${n === 1 ? '' : 's'}`;

/** In one sentence: what differs, what could not be compared, what is not stored. */
function comparedWords({ edition, comparison, stored, further }: FoundDrift): string {
  const said: string[] = [];
  if (!edition || !comparison) said.push('it has no published edition');
  else if (comparison.matches) said.push(`it runs edition ${edition.number}, ${lines(comparison.right)}`);
  else {
    const parts = [
      ...comparison.parts.filter((part) => part.differs > 0).map((part) => part.name),
      ...(comparison.files ?? []).map(({ path }) => path),
    ];
    said.push(`${lines(linesIn(comparison))} not as in edition ${edition.number}, in ${parts.join(', ')}`);
  }
  const { length } = comparison?.notComparable ?? [];
  if (length > 0) said.push(`${lines(length)} not comparable`);
  if (further.length > 0) said.push(`not compared: ${further.join(', ')}`);
  if (stored && stored.length > 0) said.push(unkeptWords(stored));
  return said.join('; ');
}

function unkeptWords(stored: readonly Difference[]): string {
  const count = linesOf(stored);
  return `${lines(count)} of what runs ${count === 1 ? 'is' : 'are'} not stored so: a restart would bring back what is`;
}
