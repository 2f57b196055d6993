import { Button, Segmented } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { client, keys, problemOf } from '../api.ts';
import { WhereInput } from '../records/WhereInput.tsx';
import { AskFields } from './AskFields.tsx';
import { OperationFields } from './OperationFields.tsx';
import { knows, questionNames } from './words.ts';
import { begin, emptyDraft, faultWords, isReady, type DraftKind, type RunDraft } from './draft.ts';
import { ErrandFields } from './ErrandFields.tsx';
import { UpgradeFields } from './UpgradeFields.tsx';
import { PushFields } from './PushFields.tsx';

const verbs = [
  { value: 'reach', label: 'Reach' },
  { value: 'ask', label: 'Ask' },
  { value: 'capture', label: 'Capture' },
  { value: 'compare', label: 'Compare' },
  { value: 'push', label: 'Push' },
  { value: 'errand', label: 'Errand' },
  { value: 'operation', label: 'Operate' },
  { value: 'upgrade', label: 'Upgrade' },
  { value: 'check', label: 'Check' },
] as const;

const about: Record<DraftKind, string> = {
  reach:
    'The way into each device, rung by rung: name, answer, port, key exchange, host key, sign-in, privilege, dialect.',
  ask: 'Commands that only read, or named questions; equal answers come together. What would change a device is refused.',
  capture:
    'Running and stored configuration, and the files its dialect names. A version is kept only when something changed.',
  compare:
    'What each device runs, and what it has stored, against its published edition: owned parts only, the rest is left alone.',
  check:
    'All checks that are for each device: asked is what they ask for, and nothing else. What nobody knows is not called right.',
  push: 'Brings each device to its published edition with the smallest set of lines. First you see them; nothing is sent before you confirm.',
  upgrade:
    'Brings each device to the image that it wants by its layers: fetched by itself, held against its digest, started with, and proved. First you see what would be done.',
  operation:
    'What devices do by name, by the words of their dialects. First you see what would be said; nothing is sent before you confirm.',
  errand:
    'Some lines, once. First you see what each device has already and what would be new; nothing is sent before you confirm.',
};

/** Which devices, and what: the beginning of every run. */
export function Composer() {
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const [draft, setDraft] = useState<RunDraft>(() => ({
    ...emptyDraft,
    kind: verbs.find((verb) => verb.value === params.get('do'))?.value ?? 'reach',
    where: params.get('where') ?? '',
    lines: params.get('lines') ?? '',
    operation: params.get('operation') ?? '',
    image: params.get('image') ?? '',
  }));
  const change = (part: Partial<RunDraft>) => setDraft((before) => ({ ...before, ...part }));
  const { kind, where } = draft;
  // What is being written stands in the address, too: it can be sent to somebody else.
  useEffect(() => {
    setParams({ ...(kind === 'reach' ? {} : { do: kind }), ...(where === '' ? {} : { where }) }, { replace: true });
  }, [kind, where, setParams]);
  const [wrong, setWrong] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const chosen = useQuery({
    queryKey: keys.worked('chosen', where),
    queryFn: () => client.list('device', { where, count: 'true', limit: '1' }),
    enabled: where !== '',
    retry: false,
    placeholderData: (last) => last,
  });
  const told = useQuery({ queryKey: keys.worked('words'), queryFn: () => client.call('dialect.knows', { query: {} }) });
  const words = told.data?.items ?? [];
  const names = questionNames(words);
  const count = where === '' || chosen.isError ? undefined : chosen.data?.count;
  const start = async () => {
    setBusy(true);
    setWrong([]);
    try {
      const made = await begin(client, draft, knows(words));
      void navigate(`/fleet/${made.id}`);
    } catch (error) {
      setWrong(faultWords(problemOf(error)));
    } finally {
      setBusy(false);
    }
  };
  const devices = count === undefined ? '' : ` ${count} device${count === 1 ? '' : 's'}`;
  return (
    <section className="panel composer" aria-label="Begin a run">
      <div className="body">
        <div className="line">
          <Segmented<DraftKind>
            aria-label="What to do"
            options={[...verbs]}
            value={kind}
            onChange={(next) => change({ kind: next })}
          />
          <WhereInput
            kind="device"
            ariaLabel="Which devices"
            placeholder="which devices: site=har dialect=furrow"
            value={where}
            onChange={(next) => change({ where: next })}
            wrong={chosen.isError}
            width={230}
          />
          <Button type="primary" loading={busy} disabled={!isReady(draft, count)} onClick={() => void start()}>
            {['errand', 'push', 'operation', 'upgrade'].includes(kind)
              ? `Look at${devices || ' them'}`
              : `${verbs.find((verb) => verb.value === kind)?.label ?? ''}${devices}`}
          </Button>
        </div>
        <p className="second">{chosen.isError && where !== '' ? problemOf(chosen.error).detail : about[kind]}</p>
        {kind === 'ask' && <AskFields draft={draft} onChange={change} names={names} words={words} />}
        {kind === 'operation' && <OperationFields draft={draft} onChange={change} names={names} words={words} />}
        {kind === 'push' && <PushFields draft={draft} onChange={change} names={names} words={words} />}
        {kind === 'upgrade' && <UpgradeFields draft={draft} onChange={change} names={names} words={words} />}
        {kind === 'errand' && <ErrandFields draft={draft} onChange={change} names={names} words={words} />}
        {wrong.length > 0 && (
          <div className="refused" role="alert">
            {wrong.map((words) => (
              <div key={words}>{words}</div>
            ))}
          </div>
        )}
      </div>
    </section>
  );
}
