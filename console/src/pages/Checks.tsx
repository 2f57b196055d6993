import { Button } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate, useSearchParams } from 'react-router';
import { reportHtml, reportSentence } from '@zpine/contract/checkReport';
import { shownStates, type CheckCounts, type ShownResult } from '@zpine/contract/checkShapes';
import { client, keys, problemOf } from '../api.ts';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { WhereInput } from '../records/WhereInput.tsx';
import { useMay } from '../session.tsx';

/** What has to hold in the fleet, and where it does not. */
export default function Checks() {
  const [params, setParams] = useSearchParams();
  const where = params.get('where') ?? '';
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const among = where === '' ? {} : { where };
  const found = useQuery({
    queryKey: keys.worked('check-counts', where),
    queryFn: () => client.call('check.counts', { query: among }),
    retry: false,
    placeholderData: (last) => last,
  });
  const counts = found.data?.items ?? [];
  const judge = () =>
    void attempt(async () => {
      const { id } = await client.call('run.check', { body: among });
      void navigate(`/fleet/${id}`);
      return 'the checks are being judged';
    });
  const takeShipped = () =>
    void attempt(async () => {
      const { added, standing } = await client.call('check.takeShipped', { body: {} });
      return `${added.length} entered${standing.length > 0 ? `, ${standing.length} stood already` : ''}`;
    });
  return (
    <Page
      title="Checks"
      sentence={found.data && (counts.length === 0 ? 'Nothing is asserted yet.' : reportSentence({ counts }))}
      actions={
        <>
          {counts.length > 0 && <Button onClick={() => void attempt(() => print(where))}>Report to print</Button>}
          {may && counts.length > 0 && (
            <Button type="primary" onClick={judge}>
              Judge now
            </Button>
          )}
        </>
      }
    >
      <FleetTabs here="checked" />
      <div className="toolbar">
        <WhereInput
          kind="device"
          ariaLabel="Which devices"
          placeholder="which devices: site=har duty=access"
          value={where}
          onChange={(next) => setParams(next === '' ? {} : { where: next }, { replace: true })}
          wrong={found.isError}
          width={380}
        />
        <Link to="/checks">Edit the checks</Link>
        <Link to="/exceptions">Exceptions</Link>
      </div>
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      {found.data && counts.length === 0 && (
        <div className="empty">
          <strong>Say what has to hold</strong>A check is a few lines in the language of templates.
          {may && (
            <p>
              <Button type="primary" onClick={takeShipped}>
                Take the set that ships
              </Button>{' '}
              <Link to="/checks">
                <Button>Write one</Button>
              </Link>
            </p>
          )}
        </div>
      )}
      {counts.length > 0 && (
        <div className="panel">
          <table className="plain-table">
            <thead>
              <tr>
                <th>What has to hold</th>
                <th>Check</th>
                {numbers.map((title) => (
                  <th key={title} className="number">
                    {title}
                  </th>
                ))}
                <th>Judged</th>
              </tr>
            </thead>
            <tbody>
              {counts.map((one) => (
                <Row key={one.check} one={one} />
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Page>
  );
}

const numbers = ['Devices', 'Hold', 'Do not', 'Not known', 'Excepted'];

function Row({ one }: { one: CheckCounts }) {
  const unknown = one.unknown + one.unjudged;
  return (
    <tr>
      <td>
        <span
          className={`mark ${one.broken > 0 ? (one.severity === 'failure' ? 'failure' : 'attention') : 'plain'}`}
          aria-hidden
        />{' '}
        <Link to={pathOf('check', one.check)}>{one.title}</Link>
        {one.fault !== null && <div className="wrong">for nobody knows which devices: {one.fault}</div>}
      </td>
      <td className="mono second">{one.check}</td>
      <td className="number">{one.devices}</td>
      <td className="number">{one.holds}</td>
      <td className="number" style={one.broken > 0 ? { color: 'var(--berry)', fontWeight: 600 } : {}}>
        {one.broken}
      </td>
      <td className="number">{unknown}</td>
      <td className="number">{one.excepted}</td>
      <td className="second nowrap">
        {one.judgedAt === null ? 'never' : <Ago at={one.judgedAt} />}
        {one.hour === null ? '' : `, daily at ${String(one.hour).padStart(2, '0')}:00`}
      </td>
    </tr>
  );
}

/** A page of its own, which the browser prints. */
async function print(where: string): Promise<string> {
  const among = where === '' ? {} : { where };
  const page = window.open('', '_blank');
  const { items: counts } = await client.call('check.counts', { query: among });
  const results: ShownResult[] = [];
  let more = false;
  for (const state of shownStates.filter((one) => one !== 'holds')) {
    const found = await client.call('check.results', { query: { ...among, state, limit: '20000' } });
    results.push(...found.items);
    more ||= found.more;
  }
  const html = reportHtml({ counts, results, at: new Date().toISOString(), where, more });
  const url = URL.createObjectURL(new Blob([html], { type: 'text/html' }));
  if (page) page.location.href = url;
  return 'the report is in a window of its own';
}
