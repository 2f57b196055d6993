import { Link } from 'react-router';
import { Stage } from '../look/Stage.tsx';
import { pathOf } from '../records/paths.ts';
import type { Item } from './RackDrawing.tsx';

/** What stands at the chosen U. */
export function Picked({ item }: { item: Item }) {
  const to = item.positionU + item.heightU - 1;
  const place = [
    item.heightU > 1 ? `U ${item.positionU} to ${to}` : `U ${item.positionU}`,
    item.face,
    `${item.depth} depth`,
    item.width === 'half' ? `${item.side} half` : null,
  ];
  return (
    <section className="panel" aria-label="Chosen">
      <h2>
        <Link className="mono" to={pathOf(item.kind, item.key)}>
          {item.kind === 'device' ? item.words : item.key}
        </Link>{' '}
        {item.stage && <Stage stage={item.stage} />}
      </h2>
      <div className="body">
        <dl className="facts">
          <dt>Place</dt>
          <dd>{place.filter(Boolean).join(', ')}</dd>
          {[
            ['Model', item.model],
            ['Duty', item.duty],
            ['Owner', item.owner],
            ['Form', item.form],
            ['For', item.kind === 'filler' ? item.words : null],
          ].map(([title, value]) =>
            value ? (
              <div key={title} style={{ display: 'contents' }}>
                <dt>{title}</dt>
                <dd>{value}</dd>
              </div>
            ) : null,
          )}
        </dl>
      </div>
    </section>
  );
}
