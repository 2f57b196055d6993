import { glyphOf, isWell } from '@zpine/core/fleet/outcomes';

/** What became of a device: a glyph with colour, and the word. */
export function Outcome({ of }: { of: string | null }) {
  if (of === null) return <span className="second">○ to do</span>;
  const colour = isWell(of) ? 'var(--pine)' : of === 'left out' ? 'var(--stone)' : 'var(--berry)';
  return (
    <span className="nowrap">
      <span style={{ color: colour }}>{glyphOf(of)}</span> {of}
    </span>
  );
}
