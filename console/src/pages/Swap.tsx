import { Button, Input, Popconfirm, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { span } from '@zpine/core/text/span';
import type { ShownSwap, SwapCable } from '@zpine/contract/swapRoutes';
import { unaskedWords } from '@zpine/contract/swapWords';
import { client, keys, problemOf, queries } from '../api.ts';
import { asSentence } from '../arrivals/Track.tsx';
import { CableColour } from '../cables/CableColour.tsx';
import { Ago } from '../look/Ago.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { pathOf } from '../records/paths.ts';
import { useMay } from '../session.tsx';

const steps = ['begun', 'booting', 'serving', 'closed'] as const;
const stepWords: Record<(typeof steps)[number], string> = {
  begun: 'the old box is looked at, another is waited for',
  booting: 'another box is in, and boots',
  serving: 'it serves; every port is held against before',
  closed: 'its report is kept',
};

/** A swap from the beginning to its report: before and after side by side, the cables between them. */
export default function Swap() {
  const { id = '' } = useParams();
  const found = useQuery({
    queryKey: keys.worked('swap', id),
    queryFn: () => client.call('swap.show', { params: { id } }),
    refetchInterval: (query) => (query.state.data?.closedAt === null ? 3000 : false),
  });
  if (found.isError)
    return (
      <Page title={`Swap #${id}`}>
        <div className="refused">{problemOf(found.error).detail}</div>
      </Page>
    );
  if (!found.data) return <Page title={`Swap #${id}`} children={null} />;
  const swap = found.data;
  return (
    <Page
      title={swap.device}
      mono
      sentence={[
        `swap of ${swap.oldBox}`,
        swap.state,
        swap.downSeconds === null ? '' : `down for ${swap.downIsLeast ? 'at least ' : ''}${span(swap.downSeconds)}`,
        swap.reason ?? '',
      ]
        .filter(Boolean)
        .join(' · ')}
      crumbs={[
        ['Swaps', '/swaps'],
        [`#${swap.id}`, undefined],
      ]}
      actions={<Actions swap={swap} />}
    >
      <ol className="swap-steps" aria-label="How far it is">
        {steps.map((step) => {
          const at = steps.indexOf(swap.state as (typeof steps)[number]);
          const here = steps.indexOf(step);
          return (
            <li key={step} className={at < 0 ? '' : here < at ? 'done' : here === at ? 'now' : ''}>
              <b>{step}</b>
              <span>{stepWords[step]}</span>
            </li>
          );
        })}
      </ol>
      {(swap.state === 'taken back' || swap.state === 'called off') && (
        <p className="second">It was {swap.state}: the records have the box again that was there before.</p>
      )}
      {swap.diagnosis && (
        <div className="refused">
          <strong>{swap.diagnosis.title}</strong>: {swap.diagnosis.detail} {swap.diagnosis.remedy}
        </div>
      )}
      <div className="before-after">
        <Before swap={swap} />
        <After swap={swap} />
      </div>
      <Cables swap={swap} />
    </Page>
  );
}

function Before({ swap }: { swap: ShownSwap }) {
  const { before, spares, behind } = swap;
  return (
    <section className="panel" aria-label="Before">
      <h2>Before</h2>
      <div className="body">
        <dl className="facts">
          <dt>Box</dt>
          <dd className="mono">
            {swap.oldBox} <span className="second">{swap.oldBoxIs}</span>
          </dd>
          <dt>Version</dt>
          <dd className="mono">{before.version ?? 'not said'}</dd>
          <dt>Ports up</dt>
          <dd>
            {before.at === null ? (
              unaskedWords(swap)
            ) : (
              <>
                {before.up}, asked <Ago at={before.at} suffix=" ago" />
              </>
            )}
          </dd>
          {behind.length > 0 && (
            <>
              <dt>Behind it</dt>
              <dd>reached by nothing else: {behind.join(', ')}</dd>
            </>
          )}
        </dl>
        {before.handmade.length > 0 && (
          <>
            <p>
              <strong>{before.handmade.length} lines</strong> that its edition does not have; they go with the old box.{' '}
              <Link to={`${pathOf('device', swap.device)}?show=fleet`}>Take some of them over</Link>
            </p>
            <pre className="lines">{before.handmade.join('\n')}</pre>
          </>
        )}
        {spares.length > 0 && (
          <>
            <p className="second">Boxes of its model in stock:</p>
            <ul className="spares">
              {spares.map(({ box, whereabouts }) => (
                <li key={box}>
                  <span className="mono">{box}</span> <span className="second">{whereabouts}</span>
                </li>
              ))}
            </ul>
          </>
        )}
      </div>
    </section>
  );
}

function After({ swap }: { swap: ShownSwap }) {
  const { after } = swap;
  return (
    <section className="panel" aria-label="After">
      <h2>After</h2>
      <div className="body">
        <dl className="facts">
          <dt>Box</dt>
          <dd className="mono">{swap.newBox ?? 'waited for'}</dd>
          {after && (
            <>
              <dt>Version</dt>
              <dd className="mono">{after.version ?? 'not said'}</dd>
              <dt>Asked</dt>
              <dd>
                <Ago at={after.at} suffix=" ago" />
              </dd>
            </>
          )}
        </dl>
        {after && after.fault !== null && <p className="refused">It could not be asked since: {after.fault}</p>}
        {after === null && swap.state === 'begun' && swap.next !== null && <p>{asSentence(swap.next)}</p>}
        {after && after.findings.length === 0 && (
          <p className={swap.before.at === null ? 'second' : 'well'}>
            {swap.before.at === null ? 'Nothing is known of before to hold it against.' : 'Every port is as it was.'}
          </p>
        )}
        {after?.findings.map((finding) => (
          <p className="refused" key={finding}>
            {asSentence(finding)}
          </p>
        ))}
        {swap.state === 'serving' && swap.knew.length > 0 && (
          <p className="second">
            The old box knows the password of {swap.knew.join(', ')}, and what stands in its edition.
          </p>
        )}
      </div>
    </section>
  );
}

function Cables({ swap }: { swap: ShownSwap }) {
  const may = useMay('installer');
  const attempt = useAttempt();
  if (swap.cableList.length === 0) return null;
  const open = swap.closedAt === null;
  const next = swap.cableList.find(({ ticked }) => ticked === null);
  const tick = ({ port, ticked }: SwapCable) =>
    attempt(async () => {
      const mark = ticked === null ? { by: '', at: new Date().toISOString() } : null;
      const cableList = swap.cableList.map((one) => (one.port === port ? { ...one, ticked: mark } : one));
      queries.setQueryData(keys.worked('swap', String(swap.id)), { ...swap, cableList });
      const body = { ports: [port], done: ticked === null };
      const after = await client.call('swap.tick', { params: { id: String(swap.id) }, body });
      queries.setQueryData(keys.worked('swap', String(swap.id)), after);
      return `${port} is ${ticked === null ? '' : 'not '}in`;
    });
  return (
    <section className="panel" aria-label="Cables" style={{ marginTop: 14 }}>
      <h2>
        Cables{' '}
        <span className="second">
          {swap.ticked} of {swap.cables} ticked off
        </span>
      </h2>
      <table className="plain cables-of-swap">
        <thead>
          <tr>
            <th>In</th>
            <th>Port</th>
            <th>Before</th>
            <th>Now</th>
            <th>Label</th>
            <th>Colour</th>
            <th>Leads to</th>
            <th>Place</th>
          </tr>
        </thead>
        <tbody>
          {swap.cableList.map((cable) => (
            <tr key={cable.port} className={open && cable === next ? 'next' : ''}>
              <td>
                <input
                  type="checkbox"
                  aria-label={`${cable.port} is in`}
                  checked={cable.ticked !== null}
                  disabled={!may || !open}
                  onChange={() => void tick(cable)}
                />
              </td>
              <td className="mono">{cable.port}</td>
              <td>{cable.wasUp === null ? '' : cable.wasUp ? 'up' : 'dark'}</td>
              <td className={cable.wasUp === true && cable.state === 'dark' ? 'bad' : ''}>
                {cable.state === 'unknown' ? '' : cable.state}
              </td>
              <td className="mono">{cable.marking}</td>
              <td>
                <CableColour colour={cable.colour} />
              </td>
              <td className="mono">{cable.farEnd}</td>
              <td>{cable.farPlace}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Actions({ swap }: { swap: ShownSwap }) {
  const attempt = useAttempt();
  const [installer, engineer] = [useMay('installer'), useMay('engineer')];
  const [box, setBox] = useState('');
  const [old, setOld] = useState<'faulty' | 'stock' | 'retired'>('faulty');
  const params = { id: String(swap.id) };
  if (!installer || swap.closedAt !== null) return null;
  const done = (work: () => Promise<ShownSwap>, words: string) =>
    void attempt(async () => {
      queries.setQueryData(keys.worked('swap', params.id), await work());
      return words;
    });
  return (
    <>
      <Link to={`/jobs/${encodeURIComponent(swap.device)}`}>
        <Button>On site</Button>
      </Link>
      {swap.state === 'begun' ? (
        <>
          <Button onClick={() => done(() => client.call('swap.callOff', { params, body: {} }), 'called off')}>
            Call it off
          </Button>
          <Input
            className="mono"
            style={{ width: 170 }}
            placeholder="serial of the spare"
            aria-label="Serial of the spare"
            value={box}
            onChange={(event) => setBox(event.target.value)}
          />
          <Button
            type="primary"
            disabled={box.trim() === ''}
            onClick={() =>
              done(() => client.call('swap.fit', { params, body: { box: box.trim() } }), `${box} is fitted`)
            }
          >
            It is this one
          </Button>
        </>
      ) : (
        <>
          <Popconfirm
            title="Put the old box back? The new one goes to stock."
            okText="Take it back"
            onConfirm={() => done(() => client.call('swap.takeBack', { params, body: {} }), 'taken back')}
          >
            <Button>Take it back</Button>
          </Popconfirm>
          {swap.state === 'serving' && (
            <Button onClick={() => done(() => client.call('swap.look', { params, body: {} }), 'asked again')}>
              Ask again
            </Button>
          )}
          {engineer && (
            <>
              <Select
                aria-label="What becomes of the old box"
                value={old}
                onChange={setOld}
                options={[
                  { value: 'faulty', label: 'old box: for repair' },
                  { value: 'stock', label: 'old box: to stock' },
                  { value: 'retired', label: 'old box: retired' },
                ]}
              />
              <Button
                type="primary"
                disabled={swap.state !== 'serving'}
                onClick={() => done(() => client.call('swap.close', { params, body: { oldBox: old } }), 'closed')}
              >
                Close
              </Button>
            </>
          )}
        </>
      )}
    </>
  );
}
