import { Fragment } from 'react';
import { Link } from 'react-router';
import { pathOf } from '../records/paths.ts';
import type { Drawing } from './RackDrawing.tsx';

/** What is drawn and what weighs, and what hangs beside the U. */
export function Budgets({ drawing: { power, weight, strips } }: { drawing: Drawing }) {
  const rows = [
    { title: 'Power', ...power, unit: 'W', by: 1 },
    { title: 'Weight', ...weight, unit: 'kg', by: 1000 },
  ].filter(({ used, most }) => used > 0 || most !== null);
  if (rows.length === 0 && strips.length === 0) return null;
  return (
    <section className="panel" aria-label="Power and weight">
      <h2>Power and weight</h2>
      <div className="body">
        <div className="budget">
          {rows.map(({ title, used, most, unknown, unit, by }) => {
            const over = most !== null && used > most;
            const share = most === null || most === 0 ? 0 : Math.min(100, (100 * used) / most);
            return (
              <Fragment key={title}>
                <span>{title}</span>
                <span className="bar">
                  <i className={over ? 'over' : ''} style={{ width: `${share}%` }} />
                </span>
                <span
                  className="nowrap"
                  title={unknown > 0 ? `of ${unknown} more the model does not say it` : undefined}
                >
                  {over && '✕ '}
                  {used / by}
                  {most === null ? '' : ` of ${most / by}`} {unit}
                  {unknown > 0 && '+'}
                </span>
              </Fragment>
            );
          })}
        </div>
        {strips.length > 0 && (
          <p className="second" style={{ marginBottom: 0 }}>
            Beside the U:{' '}
            {strips.map((key) => (
              <Link key={key} className="mono" to={pathOf('device', key)}>
                {key}{' '}
              </Link>
            ))}
          </p>
        )}
      </div>
    </section>
  );
}
