import { Link } from 'react-router';
import type { RunRow, ShownRun } from '@zpine/contract/fleetShapes';
import { pathOf } from '../records/paths.ts';
import { Differences } from './Differences.tsx';
import { FileDiffs } from './FileDiffs.tsx';
import { Outcome } from './Outcome.tsx';

/** Devices that differ alike, together; those that are as they should be in one line. */
export function Compared({ run }: { run: ShownRun }) {
  const groups = new Map<string, RunRow[]>();
  for (const row of run.rows) {
    const differences = row.compared?.comparison?.differences ?? [];
    const key = JSON.stringify([
      row.outcome,
      differences.map(({ kind, above, line }) => [kind, above, line]),
      row.compared?.comparison?.files ?? [],
      differences.length === 0 && row.outcome !== 'as described' ? row.detail : '',
    ]);
    groups.set(key, [...(groups.get(key) ?? []), row]);
  }
  const sorted = [...groups.values()].sort((a, b) => b.length - a.length);
  return sorted.map((rows) => {
    const [first] = rows;
    return (
      <section className="panel group" key={first?.device} aria-label={`${rows.length} devices`}>
        <h2>
          {rows.length} device{rows.length === 1 ? '' : 's'} <Outcome of={first?.outcome ?? null} />{' '}
          <span className="second">{first?.detail}</span>
        </h2>
        <div className="body">
          <p>
            {rows.slice(0, 20).map((row) => (
              <Link
                key={row.device}
                to={`${pathOf('device', row.device)}?show=fleet`}
                className="mono"
                style={{ marginRight: 10 }}
              >
                {row.device}
              </Link>
            ))}
            {rows.length > 20 && <span className="second">and {rows.length - 20} more</span>}
          </p>
          <Differences all={first?.compared?.comparison?.differences ?? []} />
          <FileDiffs files={first?.compared?.comparison?.files} />
        </div>
      </section>
    );
  });
}
