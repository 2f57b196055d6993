/** `--preview` on any command that saves: what it would do elsewhere, and nothing is saved. */
import type { Command } from 'commander';
import { PreviewedError } from '@zpine/contract/client';
import type { Impact, ImpactGroup, LineDiff } from '@zpine/contract/impactShapes';
import { outputOf, previewing } from './context.ts';
import { err, out, table } from './print.ts';

/** Gives the option to every command that saves: those are the commands that take a reason. */
export function addPreview(program: Command): void {
  for (const command of program.commands) {
    addPreview(command);
    const has = (long: string) => command.options.some((option) => option.long === long);
    if (!has('--reason') || has('--preview') || sessions.includes(rootOf(command))) continue;
    command.option('--preview', 'save nothing: say which devices would get another configuration or boot answer');
    // It is no field of what is saved: many commands send all their options.
    command.hook('preAction', (_command, acting) => {
      if (acting === command) command.setOptionValue('preview', undefined);
    });
  }
  program.hook('preAction', (_program, command) => {
    if (command.opts<{ preview?: boolean }>().preview !== true) return;
    previewing.hear = outputOf(command).json || !process.stderr.isTTY ? () => undefined : progress;
  });
}

/** Commands that open sessions with devices have previews of their own. */
const sessions = ['reach', 'ask', 'capture', 'errand'];

const rootOf = (command: Command): string => {
  let at = command;
  while (at.parent?.parent) at = at.parent;
  return at.name();
};

function progress({ looked, devices }: Impact): void {
  process.stderr.write(`\r${looked} of ${devices} devices looked at\u001b[K`);
  if (looked === devices) process.stderr.write('\r\u001b[K');
}

/** Whether an error was the end of a preview; then it is told. */
export function toldPreview(error: unknown, json: boolean): boolean {
  if (!(error instanceof PreviewedError)) return false;
  out(json ? JSON.stringify(error.impact, null, 2) : impactText(error.impact));
  return true;
}

const devicesWord = (count: number): string => `${count} device${count === 1 ? '' : 's'}`;

function impactText(impact: Impact): string {
  const { groups, devices, looked, stale, records, recordCount, changes, stopped } = impact;
  const changed = groups.reduce((sum, group) => sum + group.devices.length, 0);
  const parts = Object.entries(changes).flatMap(([what, count]) => (count > 0 ? [`${count} ${what}`] : []));
  const lines = [
    `Preview only, nothing saved. ${parts.length > 0 ? `Records: ${parts.join(', ')}.` : 'No record would change.'}`,
  ];
  if (devices > 0)
    lines.push(
      changed === 0
        ? `${devicesWord(looked)} checked: none would change`
        : `${devicesWord(looked)} checked: ${changed} would change`,
    );
  if (stopped !== null) lines.push(`incomplete: ${stopped}`);
  for (const group of groups) lines.push('', ...groupLines(group));
  if (stale.length > 0)
    lines.push('', `${stale.length} edition${stale.length === 1 ? '' : 's'} would become stale: ${some(stale)}`);
  if (records.length > 0) {
    const rows = records.slice(0, 20).map(({ kind, key, what, detail }) => [what, `${kind} ${key}`, detail]);
    lines.push('', String(table(['records', '', ''], rows)));
    if (recordCount > rows.length) lines.push(`and ${recordCount - rows.length} more`);
  }
  return lines.join('\n');
}

function groupLines({ words, diff, each, devices }: ImpactGroup & { devices: string[] }): string[] {
  const lines = [`${devicesWord(devices.length)}: ${words}${each ? ', each with its own values; the first one:' : ''}`];
  lines.push(`  ${some(devices)}`);
  for (const [sign, texts] of [
    ['!', diff.troubles],
    ['mended:', diff.mended],
  ] as const)
    for (const text of texts)
      lines.push(...text.split('\n').map((line, i) => (i === 0 ? `  ${sign} ${line}` : `    ${line}`)));
  for (const part of diff.parts) lines.push(`  ${part.part || '(outside of parts)'}`, ...diffLines(part));
  if (diff.boot && diff.is !== 'gone') lines.push('  boot answer', ...diffLines(diff.boot));
  return lines;
}

export const diffLines = ({ removed, added, more }: LineDiff): string[] => [
  ...removed.map((line) => `    - ${line}`),
  ...added.map((line) => `    + ${line}`),
  ...(more > 0 ? [`    and ${more} more lines`] : []),
];

const some = (keys: string[]): string =>
  keys.length > 12 ? `${keys.slice(0, 12).join(' ')} and ${keys.length - 12} more` : keys.join(' ');

/** Where a command goes through several devices, each is previewed for itself. */
export const previewTold = (error: unknown): boolean => {
  if (!toldPreview(error, false)) return false;
  err('');
  return true;
};
