import { Button, Popconfirm } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { milestones } from '@zpine/core/arrival/arrival';
import { grouped } from '@zpine/core/lists/grouped';
import { span } from '@zpine/core/text/span';
import type { Board, BoardRow } from '@zpine/contract/batchRoutes';
import type { AnyRecord } from '@zpine/contract/kind';
import { client, keys, problemOf } from '../api.ts';
import { asSentence } from '../arrivals/Track.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { exact } from '../look/time.ts';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';
import { LeaveOut } from './LeaveOut.tsx';
import { download } from '../imports/files.ts';
import { OpenWindow } from './OpenWindow.tsx';
import { TakeTable } from './TakeTable.tsx';

/** The devices of a batch by site, trouble first, as it goes; at its end the report. */
export default function BatchBoard({ record }: { record: AnyRecord }) {
  const [asNow, setAsNow] = useState(false);
  const [takes, setTakes] = useState(false);
  const engineer = useMay('engineer');
  const attempt = useAttempt();
  const board = useQuery({
    queryKey: keys.worked('batch', record.key, asNow),
    queryFn: () =>
      client.call('batch.board', { params: { ref: record.key }, query: asNow ? { now: 'true' as const } : {} }),
    refetchInterval: (query) => (query.state.data?.window === 'open' ? 3000 : 15_000),
  });
  if (board.isError) return <div className="refused">{problemOf(board.error).detail}</div>;
  if (!board.data) return null;
  const seen = board.data;
  const save = () =>
    attempt(async () => {
      const answer = await fetch(`/api/v1/batches/${encodeURIComponent(record.key)}/board`, {
        headers: { Accept: 'text/csv' },
      });
      if (!answer.ok) throw new Error(`the service answered with ${answer.status}`);
      download(`${record.key}.csv`, await answer.text());
      return `${record.key}.csv is saved`;
    });
  const sites = grouped(seen.items, ({ site }) => site ?? '');
  const running = seen.opensAt !== null && seen.endedAt === null;
  return (
    <div className="batch">
      <div className="batch-head">
        <p aria-live="polite">
          {whenWords(seen)} <Counts counts={seen.counts} />
        </p>
        <span className="spacer" />
        {seen.endedAt !== null && (
          <Button onClick={() => setAsNow(!asNow)}>{asNow ? 'The report' : 'As it stands now'}</Button>
        )}
        {seen.items.length > 0 && <Button onClick={() => void save()}>Save as CSV</Button>}
        {engineer && <Button onClick={() => setTakes(true)}>Take in a table</Button>}
        {engineer && <Prepare batch={record.key} board={seen} />}
        {engineer && running && (
          <Popconfirm
            title="End it now? Its windows close, and its report is kept."
            okText="End it"
            onConfirm={() =>
              void attempt(async () => {
                await client.call('batch.close', { params: { ref: record.key } });
                return `${record.key} ended`;
              })
            }
          >
            <Button>End it</Button>
          </Popconfirm>
        )}
        {engineer && seen.items.length > 0 && !running && <OpenWindow batch={record.key} />}
      </div>
      {seen.items.length === 0 && (
        <div className="panel">
          <div className="empty">
            <strong>No devices yet</strong>
            Take in a table with a row a switch, or tick devices in their list and edit their batch.
          </div>
        </div>
      )}
      {[...sites].map(([site, rows]) => (
        <section className="panel" key={site} aria-label={`Devices at ${site.toUpperCase() || 'no site'}`}>
          <h2>
            {site.toUpperCase() || 'No site'} <span className="second">{siteWords(rows)}</span>
          </h2>
          <ul className="board">
            {rows.map((row) => (
              <Row key={row.device} row={row} batch={record.key} open={seen.window === 'open' && !seen.kept} />
            ))}
          </ul>
        </section>
      ))}
      {takes && <TakeTable batch={record.key} onClose={() => setTakes(false)} />}
    </div>
  );
}

function whenWords({ opensAt, closesAt, endedAt, window, kept }: Board): string {
  if (opensAt === null) return 'No window yet.';
  if (endedAt !== null) return `Ended ${exact(endedAt)}${kept ? '; this is its report.' : '.'}`;
  if (window === 'before') return `Opens ${exact(opensAt)}, until ${exact(closesAt ?? '')}.`;
  return `Open until ${exact(closesAt ?? '')}.`;
}

const Counts = ({ counts }: { counts: Board['counts'] }) => (
  <>
    {Object.entries(counts).map(([standing, count]) => (
      <span key={standing} className={`standing ${standing.replaceAll(' ', '-')}`}>
        <b>{count}</b> {standing}
      </span>
    ))}
  </>
);

function siteWords(rows: readonly BoardRow[]): string {
  const serving = rows.filter(({ standing }) => standing === 'serves').length;
  return `${serving} of ${rows.length} serve`;
}

function Row({ row, batch, open }: { row: BoardRow; batch: string; open: boolean }) {
  const attempt = useAttempt();
  const may = useMay('installer');
  const [leaves, setLeaves] = useState(false);
  const turn = (to: 'in' | 'held' | 'anew') =>
    void attempt(async () => {
      await client.call('batch.turn', { params: { ref: batch }, body: { devices: [row.device], turn: to } });
      return to === 'held'
        ? `${row.device} is held`
        : to === 'in'
          ? `${row.device} goes on`
          : `${row.device} begins anew`;
    });
  const over = row.usualSeconds !== null && row.seconds !== null && row.seconds > row.usualSeconds * 2;
  const place = [row.rack, row.positionU === null ? null : `U ${row.positionU}`].filter(Boolean).join(' ');
  return (
    <li>
      <div className="who">
        <Link className="mono" to={pathOf('device', row.device)}>
          {row.device}
        </Link>
        <span>{[row.model?.split('/').at(-1)?.toUpperCase(), place].filter(Boolean).join(' · ')}</span>
      </div>
      <span className={`standing ${row.standing.replaceAll(' ', '-')}`}>{row.standing}</span>
      <div className="way">
        {(row.standing !== 'serves' || row.arrival !== null) && <Way row={row} />}
        {row.why !== null && (
          <p className="why">
            {asSentence(row.why)} {row.remedy !== null && <Remedy text={row.remedy} />}
          </p>
        )}
      </div>
      <span className={over && row.servedAt === null ? 'took late' : 'took'}>
        {row.seconds === null ? '' : span(row.seconds)}
        {row.usualSeconds !== null && row.servedAt === null && row.seconds !== null && (
          <em> of {span(row.usualSeconds)}</em>
        )}
      </span>
      <span className="turns">
        {may && open && row.standing !== 'serves' && (
          <>
            {row.standing === 'held' || row.standing === 'left out' ? (
              <Button size="small" onClick={() => turn('in')}>
                Go on
              </Button>
            ) : (
              <>
                {row.arrival !== null && row.milestone !== null && (
                  <Button size="small" onClick={() => turn('anew')}>
                    Anew
                  </Button>
                )}
                <Button size="small" onClick={() => turn('held')}>
                  Hold
                </Button>
                <Button size="small" onClick={() => setLeaves(true)}>
                  Leave out
                </Button>
              </>
            )}
          </>
        )}
      </span>
      {leaves && <LeaveOut batch={batch} device={row.device} onClose={() => setLeaves(false)} />}
    </li>
  );
}

const Remedy = ({ text }: { text: string }) =>
  text.startsWith('zpine ') ? <code className="mono">{text}</code> : <>{asSentence(text)}</>;

/** The stops of its arrival, small: how far it came is seen at a glance. */
function Way({ row }: { row: BoardRow }) {
  const reached = new Set(row.reached);
  const stones = milestones.filter((name) => name !== 'image' || reached.has(name));
  const next = stones.find((name) => !reached.has(name));
  const words = row.milestone ?? (row.standing === 'not heard' ? 'waited for' : '');
  return (
    <span className="stops" role="img" aria-label={words === '' ? 'nothing yet' : `came to ${words}`}>
      {stones.map((name) => (
        <i
          key={name}
          title={name}
          className={
            reached.has(name)
              ? 'done'
              : name === next && (row.standing === 'stuck' || row.standing === 'not served')
                ? 'stuck'
                : name === next && row.milestone !== null
                  ? 'now'
                  : ''
          }
        />
      ))}
      <b>{words}</b>
    </span>
  );
}

/** Addresses, editions and publishing for all that need them, in one go. */
function Prepare({ batch, board }: { batch: string; board: Board }) {
  const attempt = useAttempt();
  const devices = board.items.filter(({ standing }) => standing !== 'serves').map(({ device }) => device);
  if (devices.length === 0 || board.kept) return null;
  return (
    <Button
      onClick={() =>
        void attempt(async () => {
          const faults: string[] = [];
          let prepared = 0;
          for (let from = 0; from < devices.length; from += 50) {
            const body = { devices: devices.slice(from, from + 50), apply: true, publish: true };
            for (const { device, fault } of (await client.call('device.prepareMany', { body })).items)
              if (fault) faults.push(`${device}: ${fault.detail}`);
              else prepared += 1;
          }
          if (faults.length > 0)
            throw new Error([`${prepared} of ${devices.length} prepared in ${batch}`, ...faults].join('\n'));
          return `${prepared} prepared`;
        })
      }
    >
      Prepare {devices.length}
    </Button>
  );
}
