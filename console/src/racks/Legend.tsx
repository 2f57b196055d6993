import { Stage } from '../look/Stage.tsx';
import { tagOf, type ColourBy, type Drawing } from './RackDrawing.tsx';

export function Legend({ by, groups, drawing }: { by: ColourBy; groups: string[]; drawing: Drawing }) {
  const forms = [...new Set(drawing.items.flatMap((item) => (item.form ? [item.form] : [])))];
  return (
    <section className="panel" aria-label="Legend">
      <h2>Legend</h2>
      <div className="body legendgrid">
        {groups.map((group, i) =>
          by === 'stage' ? (
            <Stage key={group} stage={group} />
          ) : (
            <span key={group}>
              <i className={`key group-${i % 6}`}>{tagOf(groups, group)}</i> {group}
            </span>
          ),
        )}
        {forms.map((form) => (
          <span key={form}>
            <i className={`key filler ${form}`} /> {form.replace('-', ' ')}
          </span>
        ))}
        <span>
          <i className="key behind" /> from behind
        </span>
      </div>
    </section>
  );
}
