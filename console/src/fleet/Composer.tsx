import { Button, Checkbox, Input, Segmented, Select } from 'antd';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import type { ExpectationKind } from '@zpine/core/fleet/expectations';
import type { RunKind } from '@zpine/contract/fleetShapes';
import { client, keys, problemOf } from '../api.ts';
import { WhereInput } from '../records/WhereInput.tsx';

const verbs = [
  { value: 'reach', label: 'Reach' },
  { value: 'ask', label: 'Ask' },
  { value: 'capture', label: 'Capture' },
  { value: 'errand', label: 'Errand' },
] as const;

const about: Record<RunKind, string> = {
  reach:
    'The way into each device, rung by rung: name, answer, port, key exchange, host key, sign-in, privilege, dialect.',
  ask: 'Commands that only read, or named questions; equal answers come together. What would change a device is refused.',
  capture:
    'Running and stored configuration, and the files its dialect names. A version is kept only when something changed.',
  errand:
    'Some lines, once. First you see what each device has already and what would be new; nothing is sent before you confirm.',
};

/** Which devices, and what: the beginning of every run. */
export function Composer() {
  const [params, setParams] = useSearchParams();
  const navigate = useNavigate();
  const [kind, setKind] = useState<RunKind>(verbs.find((verb) => verb.value === params.get('do'))?.value ?? 'reach');
  const [where, setWhere] = useState(params.get('where') ?? '');
  // What is being written stands in the address, too: it can be sent to somebody else.
  useEffect(() => {
    setParams({ ...(kind === 'reach' ? {} : { do: kind }), ...(where === '' ? {} : { where }) }, { replace: true });
  }, [kind, where, setParams]);
  const [questions, setQuestions] = useState<string[]>([]);
  const [command, setCommand] = useState('');
  const [expect, setExpect] = useState('');
  const [expectKind, setExpectKind] = useState<ExpectationKind>('has');
  const [lines, setLines] = useState('');
  const [table, setTable] = useState('');
  const [before, setBefore] = useState<string[]>([]);
  const [keep, setKeep] = useState(true);
  const [insist, setInsist] = useState(false);
  const [reason, setReason] = useState('');
  const [wrong, setWrong] = useState<string>();
  const [busy, setBusy] = useState(false);
  const chosen = useQuery({
    queryKey: keys.worked('chosen', where),
    queryFn: () => client.list('device', { where, count: 'true', limit: '1' } as never),
    enabled: where !== '',
    retry: false,
    placeholderData: (last) => last,
  });
  const shipped = useQuery({ queryKey: keys.worked('shipped'), queryFn: () => client.call('dialect.shipped') });
  const own = useQuery({
    queryKey: keys.list('dialect', { limit: '200' }),
    queryFn: () => client.list('dialect', { limit: '200' }),
  });
  const sheets = [
    ...(shipped.data?.items ?? []).map(({ sheet }) => sheet),
    ...(own.data?.items ?? []).map(({ sheet }) => sheet ?? ''),
  ];
  const names = [...new Set(sheets.flatMap(questionsIn))].sort();
  const count = where === '' || chosen.isError ? undefined : (chosen.data as { count?: number } | undefined)?.count;
  const ready =
    (where !== '' || (table !== '' && kind !== 'reach' && kind !== 'capture')) &&
    count !== 0 &&
    (kind !== 'ask' || questions.length > 0 || command.trim() !== '' || table !== '') &&
    (kind !== 'errand' || lines.trim() !== '' || table !== '') &&
    (kind !== 'errand' || !insist || reason.trim() !== '');
  const start = async () => {
    setBusy(true);
    setWrong(undefined);
    try {
      const selection = where === '' ? {} : { where };
      const perDevice = table === '' ? {} : { perDevice: { text: table } };
      const expected = expect
        .split('\n')
        .map((text) => text.trim())
        .filter((text) => text !== '')
        .map((text) => ({ kind: expectKind, text }));
      const asks = [
        ...questions.map((question) => ({ question })),
        ...command.split('\n').flatMap((one) => (one.trim() === '' ? [] : [{ command: one.trim() }])),
      ];
      const made =
        kind === 'reach'
          ? await client.call('run.reach', { body: selection })
          : kind === 'capture'
            ? await client.call('run.capture', { body: selection })
            : kind === 'ask'
              ? await client.call('run.ask', { body: { ...selection, ...perDevice, asks, expect: expected } })
              : await client.call('run.errand', {
                  body: {
                    ...selection,
                    ...perDevice,
                    ...(lines.trim() === '' ? {} : { lines }),
                    questions: before,
                    keep,
                    insist,
                  },
                  ...(insist ? { reason: reason.trim() } : {}),
                });
      void navigate(`/fleet/${made.id}`);
    } catch (error) {
      const { detail, remedy, errors } = problemOf(error);
      setWrong(
        errors?.[0]
          ? [errors[0].detail, errors[0].remedy].filter(Boolean).join('; ')
          : remedy
            ? `${detail}; ${remedy}`
            : detail,
      );
    } finally {
      setBusy(false);
    }
  };
  const devices = count === undefined ? '' : ` ${count} device${count === 1 ? '' : 's'}`;
  return (
    <section className="panel composer" aria-label="Begin a run">
      <div className="body">
        <div className="line">
          <Segmented<RunKind> aria-label="What to do" options={[...verbs]} value={kind} onChange={setKind} />
          <WhereInput
            kind="device"
            ariaLabel="Which devices"
            placeholder="which devices: site=har dialect=furrow"
            value={where}
            onChange={setWhere}
            wrong={chosen.isError}
            width={420}
          />
          <Button type="primary" loading={busy} disabled={!ready} onClick={() => void start()}>
            {kind === 'errand'
              ? `Look at${devices || ' them'}`
              : `${verbs.find((verb) => verb.value === kind)?.label ?? ''}${devices}`}
          </Button>
        </div>
        <p className="second">{chosen.isError && where !== '' ? problemOf(chosen.error).detail : about[kind]}</p>
        {kind === 'ask' && (
          <div className="two">
            <div>
              <label htmlFor="ask-questions">Questions</label>
              <Select
                id="ask-questions"
                mode="multiple"
                style={{ width: '100%' }}
                value={questions}
                options={names.map((value) => ({ value, label: value }))}
                onChange={setQuestions}
                placeholder="version, interfaces, neighbours …"
              />
              <label htmlFor="ask-command">Commands, one per line</label>
              <Input.TextArea
                id="ask-command"
                className="mono"
                autoSize={{ minRows: 1, maxRows: 6 }}
                value={command}
                onChange={(event) => setCommand(event.target.value)}
              />
            </div>
            <div>
              <label htmlFor="ask-expect">Every answer</label>
              <div className="line">
                <Select<ExpectationKind>
                  aria-label="How it is expected"
                  value={expectKind}
                  onChange={setExpectKind}
                  options={[
                    { value: 'has', label: 'has' },
                    { value: 'lacks', label: 'has no' },
                    { value: 'matches', label: 'has a line that fits' },
                  ]}
                  style={{ width: 170 }}
                />
                <Input.TextArea
                  id="ask-expect"
                  className="mono"
                  autoSize={{ minRows: 1, maxRows: 4 }}
                  placeholder="10.77.0.5 (one per line)"
                  value={expect}
                  onChange={(event) => setExpect(event.target.value)}
                />
              </div>
              <TableInput value={table} onChange={setTable} />
            </div>
          </div>
        )}
        {kind === 'errand' && (
          <div className="two">
            <div>
              <label htmlFor="errand-lines">Lines, as in a configuration; “- ” before a line takes it away</label>
              <Input.TextArea
                id="errand-lines"
                className="mono"
                spellCheck={false}
                autoSize={{ minRows: 4, maxRows: 16 }}
                placeholder={'journal to 10.77.0.7\nsocket 1/3\n  about "to @{site.name}"'}
                value={lines}
                onChange={(event) => setLines(event.target.value)}
              />
            </div>
            <div>
              <label htmlFor="errand-before">Ask before and after</label>
              <Select
                id="errand-before"
                mode="multiple"
                style={{ width: '100%' }}
                value={before}
                options={names.map((value) => ({ value, label: value }))}
                onChange={setBefore}
              />
              <TableInput value={table} onChange={setTable} />
              <Checkbox checked={keep} onChange={(event) => setKeep(event.target.checked)} style={{ marginTop: 8 }}>
                Have the devices store what then runs
              </Checkbox>
              <Checkbox checked={insist} onChange={(event) => setInsist(event.target.checked)} style={{ marginTop: 8 }}>
                Send it although the service would lose its way in
              </Checkbox>
              {insist && (
                <Input
                  aria-label="Why"
                  placeholder="why, such as: the console cable is in"
                  value={reason}
                  onChange={(event) => setReason(event.target.value)}
                />
              )}
            </div>
          </div>
        )}
        {wrong && (
          <div className="refused" role="alert">
            {wrong}
          </div>
        )}
      </div>
    </section>
  );
}

/** The names below `questions:` of a sheet. */
function questionsIn(sheet: string): string[] {
  const [, below = ''] = sheet.split(/^questions:\n/m);
  const [part = ''] = below.split(/^\S/m);
  return [...part.matchAll(/^ {2}([a-z][a-z0-9-]*):$/gm)].map((match) => match[1] ?? '');
}

function TableInput({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  return (
    <>
      <label htmlFor="run-table">Or a table with one column or one row per device, pasted from a spreadsheet</label>
      <Input.TextArea
        id="run-table"
        className="mono"
        spellCheck={false}
        autoSize={{ minRows: 1, maxRows: 8 }}
        placeholder={'har-acc-1;har-acc-2'}
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </>
  );
}
