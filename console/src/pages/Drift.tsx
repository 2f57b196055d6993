import { Button, Segmented } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate, useSearchParams } from 'react-router';
import type { ReplyOf } from '@zpine/contract/routes';
import { client, keys, problemOf } from '../api.ts';
import { Differences } from '../fleet/Differences.tsx';
import { FileDiffs } from '../fleet/FileDiffs.tsx';
import { FleetTabs } from '../fleet/FleetTabs.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { WhereInput } from '../records/WhereInput.tsx';
import { useMay } from '../session.tsx';

type Found = ReplyOf<'drift.list'>;
type Of = 'edition' | 'stored';

/** Who does not run what it should, or has not stored what it runs; devices that differ alike together. */
export default function Drift() {
  const [params, setParams] = useSearchParams();
  const of: Of = params.get('of') === 'stored' ? 'stored' : 'edition';
  const where = params.get('where') ?? '';
  const set = (next: { of?: Of; where?: string }) => {
    const all = { of, where, ...next };
    setParams(
      { ...(all.of === 'edition' ? {} : { of: all.of }), ...(all.where === '' ? {} : { where: all.where }) },
      { replace: true },
    );
  };
  const found = useQuery({
    queryKey: keys.worked('drift', of, where),
    queryFn: () => client.call('drift.list', { query: { of, ...(where === '' ? {} : { where }) } }),
    retry: false,
    placeholderData: (last) => last,
  });
  return (
    <Page
      title="Drift"
      sentence={found.data && sentence(found.data, of)}
      actions={
        <Link to={`/fleet?do=compare&where=${encodeURIComponent(where === '' ? 'stage=serving' : where)}`}>
          <Button>Compare …</Button>
        </Link>
      }
    >
      <FleetTabs here="drift" />
      <div className="toolbar">
        <Segmented<Of>
          aria-label="What is compared"
          value={of}
          options={[
            { value: 'edition', label: 'Not as described' },
            { value: 'stored', label: 'Not stored' },
          ]}
          onChange={(next) => set({ of: next })}
        />
        <WhereInput
          kind="device"
          ariaLabel="Which devices"
          placeholder="which devices: site=har duty=access"
          value={where}
          onChange={(next) => set({ where: next })}
          wrong={found.isError}
          width={380}
        />
      </div>
      {found.isError && <div className="refused">{problemOf(found.error).detail}</div>}
      {found.data?.groups.map((group) => (
        <Group key={group.devices.join(' ')} group={group} of={of} />
      ))}
      {found.data?.more && <p className="second">Only the largest groups are shown: narrow them by a selection.</p>}
    </Page>
  );
}

function sentence({ count, compared }: Found, of: Of): string {
  if (compared === 0) return 'No device was compared yet. Each capture compares, and so does a run: choose Compare.';
  const what = of === 'edition' ? 'run what they should' : 'have stored what they run';
  if (count === 0) return `All ${compared} compared devices ${what}.`;
  return of === 'edition'
    ? `${count} of ${compared} compared devices do not run what they should.`
    : `${count} of ${compared} compared devices have not stored what they run: a restart would bring back what is stored.`;
}

const NAMED = 20;

function Group({ group, of }: { group: Found['groups'][number]; of: Of }) {
  const attempt = useAttempt();
  const navigate = useNavigate();
  const may = useMay('engineer');
  const { devices, count, lines, parts, since, differences, files } = group;
  const push = () =>
    void attempt(async () => {
      const { id } = await client.call('run.push', { body: { devices } });
      void navigate(`/fleet/${id}`);
      return 'what would be changed is being looked at';
    });
  return (
    <section className="panel group" aria-label={`${count} devices`}>
      <h2 className="spread">
        <span>
          {count} device{count === 1 ? '' : 's'}{' '}
          <span className="second">
            {lines} line{lines === 1 ? '' : 's'}
            {parts.length > 0 ? ` in ${parts.join(', ')}` : ''}, since <Ago at={since} />
          </span>
        </span>
        {may && count <= devices.length && (
          <Button onClick={push}>
            {of === 'edition' ? 'Push to' : 'Store on'} {count} device{count === 1 ? '' : 's'} …
          </Button>
        )}
      </h2>
      <div className="body">
        <p>
          {devices.slice(0, NAMED).map((device) => (
            <Link
              key={device}
              to={`${pathOf('device', device)}?show=fleet`}
              className="mono"
              style={{ marginRight: 10 }}
            >
              {device}
            </Link>
          ))}
          {count > NAMED && <span className="second">and {count - NAMED} more</span>}
        </p>
        <Differences all={differences} />
        <FileDiffs files={files} />
      </div>
    </section>
  );
}
