import { Button, Progress } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate, useParams } from 'react-router';
import { isWell } from '@zpine/core/fleet/outcomes';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { changingKinds, takenBackKinds, type RunKind } from '@zpine/contract/runKinds';
import { countWords } from '@zpine/contract/runTables';
import { client, keys, problemOf, queries } from '../api.ts';
import { Answers, Save } from '../fleet/Answers.tsx';
import { Compared } from '../fleet/Compared.tsx';
import { upToDate } from '../fleet/following.ts';
import { ErrandView } from '../fleet/ErrandView.tsx';
import { NetworkTake } from '../fleet/NetworkTake.tsx';
import { MetTake } from '../fleet/MetTake.tsx';
import { Judged } from '../fleet/Judged.tsx';
import { Ladder } from '../fleet/Ladder.tsx';
import { Outcome } from '../fleet/Outcome.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

const titles = {
  reach: 'Reach',
  ask: 'Ask',
  capture: 'Capture',
  compare: 'Compare',
  errand: 'Errand',
  push: 'Push',
  restore: 'Restore',
  operation: 'Operation',
  upgrade: 'Upgrade',
  check: 'Check',
} as const;
const clock = (iso: string): string => new Date(iso).toLocaleTimeString('en-GB');

/** One run: live while it is under way. */
export default function Run() {
  const { id = '' } = useParams();
  const found = useQuery({
    queryKey: keys.worked('run', id),
    queryFn: async () => {
      const shown = queries.getQueryData<ShownRun>(keys.worked('run', id));
      const news = await client.call('run.show', { params: { id }, query: shown ? { since: shown.version } : {} });
      return shown ? upToDate(shown, news) : news;
    },
    // Hints of the event stream come sooner; this is for when there is none.
    refetchInterval: ({ state }) => (state.data && ['working', 'waiting'].includes(state.data.state) ? 1500 : false),
  });
  const run = found.data;
  const may = useMay('engineer');
  return (
    <Page
      title={run ? `${run.kind === 'operation' ? run.title : titles[run.kind]} #${run.id}` : `Run #${id}`}
      sentence={run && sentence(run)}
      crumbs={[
        ['Fleet', '/fleet'],
        [`#${id}`, undefined],
      ]}
      actions={run && <Actions run={run} />}
    >
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      {run && (run.state === 'working' || run.state === 'waiting') && (
        <Progress
          aria-label="How far it is"
          percent={Math.round((100 * run.done) / Math.max(1, run.expected))}
          format={() => `${run.done} of ${run.expected}`}
          strokeColor="var(--pine)"
        />
      )}
      {run?.ended && <div className="refused">Ended early: {run.ended}</div>}
      {run?.kind === 'reach' && <Ladder rows={run.rows} />}
      {run?.kind === 'reach' && may && <MetTake run={run} />}
      {run?.kind === 'ask' && <Answers run={run} />}
      {run?.kind === 'ask' && may && <NetworkTake run={run} />}
      {run?.kind === 'capture' && <Captured run={run} />}
      {run?.kind === 'compare' && <Compared run={run} />}
      {run?.kind === 'check' && <Judged run={run} />}
      {run && changingKinds.includes(run.kind) && <ErrandView run={run} />}
    </Page>
  );
}

function sentence(run: ShownRun): string {
  const begin = run.startedAt ?? run.madeAt;
  const when =
    run.endedAt === null
      ? `begun ${clock(begin)}`
      : `${clock(begin)} to ${clock(run.endedAt)}, ${((Date.parse(run.endedAt) - Date.parse(begin)) / 1000).toFixed(1)} s`;
  const counts = countWords(run.counts);
  const waits = run.state === 'previewed' ? `${run.toDo} to do` : '';
  const what = ['ask', 'errand', 'restore', 'upgrade', 'check'].includes(run.kind) ? `${run.title} · ` : '';
  return `${what}${run.expected} device${run.expected === 1 ? '' : 's'} (${run.selection}) · ${[counts, waits].filter(Boolean).join(', ') || run.state} · ${when} · by ${run.by}${run.reason ? `: ${run.reason}` : ''}`;
}

/** Something was sent to at least one device, whatever came of it. */
const wasChanged = ({ kind, rows }: ShownRun): boolean =>
  takenBackKinds.includes(kind) && rows.some((row) => (row.errand?.sent.length ?? 0) > 0);

const failed = ({ rows }: ShownRun): number =>
  rows.filter(
    ({ outcome }) => outcome !== null && outcome !== 'differs' && outcome !== 'does not hold' && !isWell(outcome),
  ).length;

/** Those that the composer begins. */
const verbs: readonly RunKind[] = [
  'reach',
  'ask',
  'capture',
  'compare',
  'push',
  'errand',
  'operation',
  'upgrade',
  'check',
];

function Actions({ run }: { run: ShownRun }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const open = run.rows.filter((row) => row.rungs?.some((one) => one.rung === 'host-key' && one.state === 'open'));
  const params = { id: String(run.id) };
  if (!may) return null;
  const accept = () =>
    void attempt(async () => {
      const { accepted } = await client.call('hostKey.accept', { body: { run: run.id } });
      const again = await client.call('run.reach', { body: { devices: run.rows.map((row) => row.device) } });
      void navigate(`/fleet/${again.id}`);
      return `${accepted.length} host key${accepted.length === 1 ? ' is' : 's are'} pinned; looking again`;
    });
  const back = () =>
    void attempt(async () => {
      const made = await client.call('run.takeBack', { params, body: {} });
      void navigate(`/fleet/${made.id}`);
      return 'the way back is being looked at';
    });
  const again = () =>
    void attempt(async () => {
      const made = await client.call('run.again', { params, body: {}, ...(run.reason ? { reason: run.reason } : {}) });
      void navigate(`/fleet/${made.id}`);
      return changingKinds.includes(run.kind) ? 'the same is being looked at' : 'the same once more';
    });
  const retry = () =>
    void attempt(async () => {
      const made = await client.call('run.retry', { params, body: {} });
      void navigate(`/fleet/${made.id}`);
      return `${made.expected} device${made.expected === 1 ? '' : 's'} once more`;
    });
  const pause = (paused: boolean) =>
    void attempt(async () => {
      await client.call('run.pause', { params, body: { paused } });
      return paused ? 'devices that are being worked on are finished; the others wait' : 'it goes on';
    });
  const stop = () =>
    void attempt(async () => {
      await client.call('run.stop', { params, body: {} });
      return 'stopped; devices not started yet are not touched';
    });
  const over = run.state === 'ended';
  return (
    <>
      {run.kind !== 'ask' && <Save run={run} />}
      {!over && run.state !== 'previewed' && (
        <Button onClick={() => pause(!run.paused)}>{run.paused ? 'Go on' : 'Pause'}</Button>
      )}
      {!over && (
        <Button onClick={stop} disabled={run.stopping}>
          {run.state === 'previewed' ? 'Drop it' : 'Stop'}
        </Button>
      )}
      {over && wasChanged(run) && <Button onClick={back}>Take it back</Button>}
      {over && failed(run) > 0 && <Button onClick={retry}>Try {failed(run)} again</Button>}
      {over && verbs.includes(run.kind) && <Button onClick={again}>Again</Button>}
      {open.length > 0 && (
        <Button type="primary" onClick={accept}>
          Accept {open.length} host key{open.length === 1 ? '' : 's'}, and look again
        </Button>
      )}
    </>
  );
}

function Captured({ run }: { run: ShownRun }) {
  return (
    <table className="plain-table">
      <thead>
        <tr>
          <th>Device</th>
          <th>Result</th>
          <th>Files</th>
          <th>Remark</th>
        </tr>
      </thead>
      <tbody>
        {run.rows.map((row) => (
          <tr key={row.device}>
            <td className="mono">
              <Link to={pathOf('device', row.device)}>{row.device}</Link>
            </td>
            <td>{row.state === 'done' ? <Outcome of={row.outcome} /> : row.state}</td>
            <td className="mono">
              {row.files
                ?.filter((file) => file.failed === null)
                .map((file) => `${file.file} ${file.bytes} B${file.changed ? ' new' : ''}`)
                .join(' · ')}
            </td>
            <td className="second">{row.detail}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
