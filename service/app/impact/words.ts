/** What would happen to a device, in one line. */
import { optionName, showOption, type OptionValue } from '@zpine/core/dhcp/options';
import type { DeviceDiff, PartDiff } from '@zpine/contract/impactShapes';

const numbers = [
  'no',
  'one',
  'two',
  'three',
  'four',
  'five',
  'six',
  'seven',
  'eight',
  'nine',
  'ten',
  'eleven',
  'twelve',
];
const counted = (count: number, one: string): string => `${numbers[count] ?? count} ${one}${count === 1 ? '' : 's'}`;

/** A line that is replaced counts once. */
function partWords({ removed, added, more, part, file, secret }: PartDiff): string {
  const lines = Math.max(removed.length, added.length) + more;
  const where = part === '' ? `outside of parts${file === '' ? '' : ` in ${file}`}` : `in part '${part}'`;
  return `${counted(lines, 'line')} ${where}${secret ? ' (a secret)' : ''}`;
}

export function impactWords({ is, parts, boot, troubles, mended }: DeviceDiff): string {
  if (is === 'gone') return 'gone: no configuration and no boot answer any more';
  const words = is === 'new' ? [newWords(parts)] : parts.slice(0, 4).map(partWords);
  if (is === 'changed' && parts.length > 4) words.push(counted(parts.length - 4, 'more part'));
  if (is === 'changed' && boot)
    words.push(`${counted(Math.max(boot.removed.length, boot.added.length), 'line')} of the boot answer`);
  if (troubles.length > 0) words.push(`${counted(troubles.length, 'thing')} would go wrong`);
  if (mended.length > 0) words.push(`${counted(mended.length, 'thing')} would be mended`);
  return words.join('; ');
}

function newWords(parts: PartDiff[]): string {
  const lines = parts.reduce((sum, part) => sum + part.added.length + part.more, 0);
  return lines === 0 ? 'new' : `new: ${counted(lines, 'line')} in ${counted(parts.length, 'part')}`;
}

export const formatOption = (code: number, value: OptionValue): string =>
  `${code} ${optionName(code)} ${showOption(code, value)}`;
