/** Files that an edition brings, as the command line tells them. */
import type { FileDrift } from '@zpine/contract/driftShapes';

const deeds = { new: 'new', changed: 'changed', gone: 'to go' } as const;

/** A head for each, and its lines with their signs. `most`: so many lines of each. */
export const fileLines = (files: readonly FileDrift[] = [], most = 40): string[] =>
  files.flatMap(({ path, deed, why, owner, mode, lines, more, binary }) => {
    const whose = [owner, mode].filter(Boolean).join(' ');
    const told = lines.slice(0, most).map(({ sign, text }) => `    ${sign} ${text}`);
    const rest = more + lines.length - told.length;
    return [
      `  ${path}   ${deeds[deed]}${why.length > 0 ? ` (${why.join(', ')})` : ''}${whose === '' ? '' : `   ${whose}`}${binary ? '   no text' : ''}`,
      ...told,
      ...(rest > 0 ? [`    and ${rest} more lines`] : []),
    ];
  });
