/** Everything that a run came to on one device, to be read from top to bottom. */
import { differenceText } from '@zpine/core/config/compare';
import { glyphOf } from '@zpine/core/fleet/outcomes';
import { missWords } from '@zpine/core/fleet/expectations';
import { stateWords } from '@zpine/contract/checkShapes';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { fileLines } from './fileDrift.ts';
import { clock, out } from './print.ts';

export const outcomeText = (outcome: string | null): string =>
  outcome === null ? '' : `${glyphOf(outcome)} ${outcome}`;

const indented = (text: string): string =>
  text
    .split('\n')
    .map((line) => `  ${line}`)
    .join('\n');

export function tellRow(row: RunRow): void {
  const when = row.startedAt === null ? '' : `   ${clock(row.startedAt)}, ${((row.ms ?? 0) / 1000).toFixed(1)} s`;
  out(`${row.device}   ${row.outcome === null ? row.state : outcomeText(row.outcome)}${when}`);
  if (row.detail !== '') out(indented(row.detail));
  for (const { rung, state, detail } of row.rungs ?? [])
    out(`  ${rung.padEnd(12)} ${state}${detail ? `: ${detail}` : ''}`);
  for (const { ask, command, text, refused, missed, cut } of row.answers ?? []) {
    out(`\n${ask}${command === ask || command === '' ? '' : `   ${command}`}`);
    out(indented(refused ?? text));
    if (cut) out('  … cut here');
    for (const one of missed) out(`  ✕ ${missWords(one)}`);
  }
  for (const { file, bytes, changed, failed } of row.files ?? [])
    out(`  ${file}   ${failed ?? `${bytes} B, ${changed ? 'changed' : 'as before'}`}`);
  for (const { check, state, findings, why } of row.judged ?? []) {
    out(`  ${check}   ${stateWords[state]}${why === '' ? '' : `: ${why}`}`);
    for (const line of findings) out(`    ${line}`);
  }
  const { comparison } = row.compared ?? {};
  for (const one of comparison?.differences ?? []) out(`  ${differenceText(one)}   (${one.part})`);
  for (const line of fileLines(comparison?.files)) out(line);
  if (row.errand) tellErrand(row.errand);
}

function tellErrand({ steps, files, sent, kept, questions, warnings, missed }: NonNullable<RunRow['errand']>): void {
  for (const { right, away, above, line, instead } of steps)
    out(
      `  ${right ? '=' : away ? '-' : '+'} ${[...above, line].join(' > ')}${instead === null ? '' : `   (instead of ${instead})`}`,
    );
  for (const line of fileLines(files)) out(line);
  for (const words of warnings ?? []) out(`  ? ${words}`);
  if (sent.length > 0) out(`\nwhat was sent${kept === null ? '' : `, ${kept}`}`);
  for (const { command, said, refused } of sent) {
    out(`  › ${command}${refused === null ? '' : `   ✕ ${refused}`}`);
    if (refused === null && said !== '') out(indented(indented(said)));
  }
  for (const { question, before, after } of questions) {
    out(`\n${question}, before`);
    out(indented(before));
    if (after === null) continue;
    out(`${question}, after`);
    out(indented(after));
  }
  for (const one of missed ?? []) out(`  ✕ ${missWords(one)}`);
}
