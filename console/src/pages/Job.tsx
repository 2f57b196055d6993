import { Button, Input } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useParams } from 'react-router';
import { milestones } from '@zpine/core/arrival/arrival';
import { span } from '@zpine/core/text/span';
import type { JobCable, ShownJob } from '@zpine/contract/jobRoutes';
import { client, keys, problemOf, queries } from '../api.ts';
import { asSentence } from '../arrivals/Track.tsx';
import { CableColour } from '../cables/CableColour.tsx';
import { useAttempt } from '../look/attempt.tsx';
import { Page } from '../look/Page.tsx';
import { ScanButton } from '../onsite/ScanButton.tsx';
import { Strip } from '../onsite/Strip.tsx';
import { useMay } from '../session.tsx';

/** One device for whoever stands before its rack with a phone. */
export default function Job() {
  const { device = '' } = useParams();
  const found = useQuery({
    queryKey: keys.worked('job', device),
    queryFn: () => client.call('job.show', { params: { ref: device } }),
    refetchInterval: 3000,
  });
  if (found.isError)
    return (
      <Page title={device} mono>
        <div className="refused">{problemOf(found.error).detail}</div>
        <Link to="/jobs">All jobs</Link>
      </Page>
    );
  if (!found.data) return <Page title={device} mono children={null} />;
  const job = found.data;
  const place = [
    job.modelTitle ?? job.model,
    job.rack === null ? job.siteTitle : `into ${job.rack}`,
    job.positionU === null ? null : `U ${job.positionU}`,
  ];
  return (
    <Page
      title={job.device}
      mono
      sentence={place.filter(Boolean).join(', ')}
      crumbs={[
        ['On site', '/jobs'],
        [job.siteTitle ?? job.site?.toUpperCase() ?? 'no site', undefined],
      ]}
    >
      <div className="onsite">
        <section className="panel" aria-label="What to do">
          <div className="body">
            <strong>{asSentence(job.words)}</strong>
            {job.strip && <Strip strip={job.strip} />}
          </div>
        </section>
        <Cables job={job} />
        <Box job={job} />
        <Way job={job} />
      </div>
    </Page>
  );
}

const shown = (job: ShownJob): void => void queries.setQueryData(keys.worked('job', job.device), job);

function Cables({ job }: { job: ShownJob }) {
  const may = useMay('installer');
  const attempt = useAttempt();
  if (job.cables.length === 0) return null;
  const done = job.cables.filter(({ ticked }) => ticked !== null).length;
  const next = job.cables.find(({ ticked }) => ticked === null);
  const tick = ({ port, ticked }: JobCable) =>
    attempt(async () => {
      // It shows at once, whatever the line is like; should it be refused, the next look takes it back.
      const mark = ticked === null ? { by: '', at: new Date().toISOString() } : null;
      shown({ ...job, cables: job.cables.map((one) => (one.port === port ? { ...one, ticked: mark } : one)) });
      const body = { ports: [port], done: ticked === null };
      shown(await client.call('job.tick', { params: { ref: job.device }, body }));
      return ticked === null ? `${port} is in` : `${port} is not in`;
    });
  return (
    <section className="panel" aria-label="Cables">
      <h2>
        Cables{' '}
        <span className="second">
          {done} of {job.cables.length} in
        </span>
      </h2>
      {(job.findings ?? []).map((finding) => (
        <p className="refused" key={finding}>
          {asSentence(finding)}
        </p>
      ))}
      <ul className="plugs">
        {job.cables.map((cable) => (
          <li key={cable.port} className={cable === next ? 'next' : ''}>
            <label>
              <input
                type="checkbox"
                checked={cable.ticked !== null}
                disabled={!may}
                onChange={() => void tick(cable)}
              />
              <b className="mono">{cable.port}</b>
              <span>
                <span className="mono">{cable.farEnd}</span>
                <small>{[cable.marking, cable.farPlace].filter(Boolean).join(' · ')}</small>
              </span>
              <CableColour colour={cable.colour} />
            </label>
          </li>
        ))}
      </ul>
    </section>
  );
}

function Box({ job }: { job: ShownJob }) {
  const [typed, setTyped] = useState('');
  const may = useMay('installer');
  const attempt = useAttempt();
  const take = (box: string) =>
    attempt(async () => {
      shown(await client.call('job.box', { params: { ref: job.device }, body: { box } }));
      setTyped('');
      return `${box} is ${job.device}`;
    });
  return (
    <section className="panel" aria-label="Serial">
      <h2>Serial</h2>
      <div className="body serial">
        {job.takesBox && may ? (
          <>
            <Input
              className="mono"
              aria-label="Serial or MAC of the box"
              placeholder="serial or MAC"
              value={typed}
              autoCapitalize="characters"
              onChange={(event) => setTyped(event.target.value)}
              onPressEnter={() => void take(typed)}
            />
            <ScanButton onRead={(text) => setTyped(text)} />
            <Button type="primary" disabled={typed.trim() === ''} onClick={() => void take(typed.trim())}>
              It is this one
            </Button>
          </>
        ) : (
          <span className="mono">{job.box ?? 'none yet'}</span>
        )}
      </div>
    </section>
  );
}

/** The milestones from the top down, as they come. */
function Way({ job }: { job: ShownJob }) {
  const { arrival, usualSeconds } = job;
  if (!arrival)
    return (
      <section className="panel" aria-label="Arrival">
        <div className="body second">Its window is closed: it would be given nothing yet.</div>
      </section>
    );
  const reached = new Map(arrival.milestones.map((one) => [one.name, one.at]));
  const stones = milestones.filter((name) => name !== 'image' || reached.has(name));
  const next = stones.find((name) => !reached.has(name));
  const first = arrival.milestones[0]?.at;
  const waited = first === undefined ? null : Math.round((Date.now() - Date.parse(first)) / 1000);
  const since = (at: string): string => {
    if (first === undefined || at === first) return new Date(at).toLocaleTimeString('en-GB');
    return `+${((Date.parse(at) - Date.parse(first)) / 1000).toFixed(1)} s`;
  };
  return (
    <section className="panel" aria-label="Arrival">
      {arrival.diagnosis && (
        <p className="refused">
          <strong>{arrival.diagnosis.title}</strong>: {arrival.diagnosis.detail}
        </p>
      )}
      <ol className="steps">
        {stones.map((name) => {
          const at = reached.get(name);
          const isNow = name === next && arrival.endedAt === null && first !== undefined;
          return (
            <li key={name} className={at !== undefined ? 'done' : isNow ? 'now' : ''}>
              <i aria-hidden />
              <b>{name}</b>
              <span>
                {at !== undefined
                  ? since(at)
                  : isNow && waited !== null
                    ? `${span(waited)}${usualSeconds === null ? '' : ` of about ${span(usualSeconds)}`}`
                    : ''}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
