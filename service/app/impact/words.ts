/** What would happen to a device, in one line. */
import { optionName, showOption, type OptionValue } from '@zpine/core/dhcp/options';
import { type DeviceDiff, type SectionDiff } from '@zpine/contract/impactShapes';

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
function sectionWords({ removed, added, more, section, file, secret }: SectionDiff): string {
  const lines = Math.max(removed.length, added.length) + more;
  const where = section === '' ? `outside of sections${file === '' ? '' : ` in ${file}`}` : `in section '${section}'`;
  return `${counted(lines, 'line')} ${where}${secret ? ' (a secret)' : ''}`;
}

export function impactWords({ is, sections, boot, troubles, mended }: DeviceDiff): string {
  if (is === 'gone') return 'gone: no configuration and no boot answer any more';
  const words = is === 'new' ? [newWords(sections)] : sections.slice(0, 4).map(sectionWords);
  if (is === 'changed' && sections.length > 4) words.push(counted(sections.length - 4, 'more section'));
  if (is === 'changed' && boot)
    words.push(`${counted(Math.max(boot.removed.length, boot.added.length), 'line')} of the boot answer`);
  if (troubles.length > 0) words.push(`${counted(troubles.length, 'thing')} would go wrong`);
  if (mended.length > 0) words.push(`${counted(mended.length, 'thing')} would be well again`);
  return words.join('; ');
}

function newWords(sections: SectionDiff[]): string {
  const lines = sections.reduce((sum, section) => sum + section.added.length + section.more, 0);
  return lines === 0 ? 'new' : `new: ${counted(lines, 'line')} in ${counted(sections.length, 'section')}`;
}

export const formatOption = (code: number, value: OptionValue): string =>
  `${code} ${optionName(code)} ${showOption(code, value)}`;
