import { blockingRung, rungNames, rungs, type RungState } from '@zpine/core/fleet/rungs';
import type { RunRow } from '@zpine/contract/fleetShapes';
import { Link } from 'react-router';
import { pathOf } from '../records/paths.ts';

const looks: Record<RungState, { sign: string; words: string; tone: string }> = {
  holds: { sign: '●', words: 'holds', tone: 'good' },
  gives: { sign: '✕', words: 'gives way', tone: 'bad' },
  open: { sign: '?', words: 'waits for confirmation', tone: 'open' },
  'not tried': { sign: '·', words: 'not come to', tone: 'none' },
};

/** A row a device, a column a rung, and what is in the way. */
export function Ladder({ rows }: { rows: RunRow[] }) {
  // What stands beside is shown where it was tried.
  const shown = rungNames.filter(
    (rung) => rung !== 'snmp' || rows.some((row) => row.rungs?.some((one) => one.rung === rung)),
  );
  return (
    <table className="plain-table ladder">
      <thead>
        <tr>
          <th>Device</th>
          {shown.map((rung) => (
            <th key={rung}>{rungs[rung]}</th>
          ))}
          <th>What is in the way, or what answers</th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => {
          const stuck = blockingRung(row.rungs ?? []);
          return (
            <tr key={row.device}>
              <td className="mono">
                <Link to={pathOf('device', row.device)}>{row.device}</Link>
              </td>
              {shown.map((rung) => {
                const found = row.rungs?.find((one) => one.rung === rung);
                const { sign, words, tone } = looks[found?.state ?? 'not tried'];
                const title = `${rungs[rung]} ${words}${found?.detail ? `: ${found.detail}` : ''}`;
                return (
                  <td key={rung} className={`rung ${tone}`} title={title}>
                    <span aria-label={title}>{row.state === 'done' ? sign : ''}</span>
                  </td>
                );
              })}
              <td className={stuck ? '' : 'second'}>
                {row.state === 'done' ? (stuck?.detail ?? row.detail) : row.state === 'working' ? 'under way …' : ''}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
