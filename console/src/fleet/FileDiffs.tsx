import type { FileDrift } from '@zpine/contract/driftShapes';
import { DiffLines } from './DiffLines.tsx';

const deeds = { new: 'new', changed: 'changed', gone: 'goes' } as const;

/** Files that an edition brings: what has to be done with each, whose it will be, and its lines. */
export function FileDiffs({ files = [] }: { files?: readonly FileDrift[] | undefined }) {
  return files.map(({ path, deed, why, owner, mode, binary, lines, more }) => (
    <div key={path} aria-label={`${path} ${deeds[deed]}`} style={{ marginTop: 8 }}>
      <span className="mono">{path}</span> {deeds[deed]}
      {why.length > 0 && <span className="second"> {why.join(', ')}</span>}
      {(owner ?? mode) !== null && <span className="second mono"> {[owner, mode].filter(Boolean).join(' ')}</span>}
      {binary && <span className="second"> no text that could be shown</span>}
      {lines.length > 0 && <DiffLines lines={[...lines]} />}
      {more > 0 && <span className="second">and {more} more lines</span>}
    </div>
  ));
}
