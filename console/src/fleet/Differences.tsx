import type { ShownComparison } from '@zpine/contract/driftShapes';

type Difference = ShownComparison['differences'][number];

/** What a push would do about it: a sign, and the class that gives it its colour. */
const looks = {
  missing: { sign: '+', words: 'missing', tone: 'came' },
  extra: { sign: '−', words: 'not wanted', tone: 'went' },
  changed: { sign: '±', words: 'other', tone: 'came' },
  order: { sign: '↕', words: 'out of order', tone: 'came' },
} as const;

/** Lines that differ, by the blocks that they stand in; what the device has beside what it should have. */
export function Differences({ all, most = 200 }: { all: readonly Difference[]; most?: number }) {
  if (all.length === 0) return null;
  return (
    <div className="mono errandsteps">
      {all.slice(0, most).map((one, i) => {
        const { sign, words, tone } = looks[one.kind];
        return (
          <div key={i} className={tone} title={`${words}${one.part === '' ? '' : `, part ${one.part}`}`}>
            <i aria-label={words}>{sign}</i>
            {one.above.map((block) => (
              <span key={block} className="second">
                {block} ›{' '}
              </span>
            ))}
            {one.line}
            {one.kind === 'changed' && <span className="second"> it has {one.instead}</span>}
            {one.inside.length > 0 && (
              <span className="second">
                {' '}
                with {one.inside.length} line{one.inside.length === 1 ? '' : 's'} in it
              </span>
            )}
          </div>
        );
      })}
      {all.length > most && <div className="second">and {all.length - most} more</div>}
    </div>
  );
}
