/**
 * Forty secrets that nobody could mistake for anything else go through everything that the service does with secrets; then
 * all that anybody is shown, the stream, the log and the database are searched for them.
 */
import type { SettingValue } from '@zpine/core/settings/layers';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { QueryTypes } from 'sequelize';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { RefusedError } from '@zpine/contract/client';
import { roles } from '@zpine/contract/roles';
import { routes } from '@zpine/contract/routes';
import { PASSWORD } from '../../ops/stack.ts';
import { zpineIn } from '../zpine.ts';
import { ardle, onboarding, prepare, serves, type Onboarding } from '../onboarding/bench.ts';
import { eventually } from '../../trials/eventually.ts';

/** Words as people choose them: six letters, and nothing that tells a secret from a word. */
const words = ['mizzle', 'quaich', 'gurnet', 'squill', 'wimble', 'zaffre', 'pintle', 'sprits', 'ullage', 'yarrow'];
const numbered = (n: number, of: (i: number) => string): string[] => Array.from({ length: n }, (_, i) => of(i));
const odd = [
  ...numbered(6, (i) => `quoted "canary${i}k" it's`),
  ...numbered(6, (i) => `with blanks canary${i}b here`),
  ...numbered(3, (i) => `canary${i}first\ncanary${i}second`),
  ...numbered(3, (i) => `canary${i}\\back{brace}`),
];
const plain = numbered(12, (i) => `CANARY${i}x7f3a`);
const secrets = [...words, ...odd, ...plain];
/** What must be found nowhere: of several lines each. */
const needles = secrets.flatMap((secret) => secret.split('\n'));

describe('secrets, through everything', function () {
  this.timeout(180_000);
  let o: Onboarding;
  const log: string[] = [];
  const said: string[] = [];
  /** What the stream of events told an administrator meanwhile. */
  const streamed: string[] = [];
  const home = mkdtempSync(join(tmpdir(), 'zpine-canary-'));
  const leaving = new AbortController();
  before(async () => {
    o = await onboarding(undefined, (line) => log.push(line));
    const stream = await fetch(`${o.url}/api/v1/events`, {
      headers: { Authorization: `Bearer ${o.tokens.admin}` },
      signal: leaving.signal,
    });
    void (async () => {
      for await (const piece of stream.body ?? []) streamed.push(Buffer.from(piece as Uint8Array).toString());
    })().catch(() => undefined);
  });
  after(async () => {
    leaving.abort();
    await o.end();
    rmSync(home, { recursive: true, force: true });
  });

  const settingOf = (i: number): string => `canary.s${i}`;
  /** Whatever comes of it, refusals too, is something that somebody was shown. */
  const tried = async (call: Promise<unknown>): Promise<unknown> => {
    try {
      const answer = await call;
      said.push(JSON.stringify(answer ?? null));
      return answer;
    } catch (error) {
      if (!(error instanceof RefusedError)) throw error;
      said.push(JSON.stringify(error.problem));
      return undefined;
    }
  };
  const found = (text: string): string[] =>
    needles.filter((needle) => text.includes(needle) || text.includes(JSON.stringify(needle).slice(1, -1)));
  const ended = async (id: number): Promise<void> => {
    for (let i = 0; i < 300; i += 1) {
      const run = (await o.client.call('run.show', { params: { id: String(id) }, query: { text: 'true' } })) as {
        state: string;
      };
      if (run.state === 'ended' || run.state === 'previewed') return;
      await new Promise((done) => setTimeout(done, 50));
    }
    throw new Error(`run ${id} did not end`);
  };
  const carried = async (lines: string): Promise<void> => {
    const run = await o.client.call('run.errand', {
      body: { where: 'key=ard-acc-1', lines, questions: [] },
      reason: 'a test',
    });
    said.push(JSON.stringify(run));
    await ended(run.id);
    const { toDo } = await o.client.call('run.show', { params: { id: String(run.id) }, query: {} });
    if (toDo > 0) {
      await tried(o.client.call('run.go', { params: { id: String(run.id) }, body: { count: toDo } }));
      await ended(run.id);
    }
  };

  it('are words that stand nowhere beforehand', async () => {
    const { text } = await o.client.call('export.run', { query: {} });
    expect(found(text)).to.deep.equal([]);
  });

  it('are planted: in layers, as texts, in lists and maps; replaced, taken back, previewed, refused', async () => {
    for (const [i, secret] of secrets.entries()) {
      const valueType = i % 10 === 8 ? 'list-of-text' : i % 10 === 9 ? 'map' : 'text';
      const value =
        valueType === 'list-of-text' ? [secret, 'another'] : valueType === 'map' ? { keeper: secret } : secret;
      await o.client.add('setting', { name: settingOf(i), about: 'a canary', valueType, secret: true });
      const layer = (['everywhere', 'site', 'device'] as const)[i % 3] ?? 'everywhere';
      const of = { everywhere: undefined, site: 'ard', device: 'ard-acc-1' }[layer];
      const put = (held: SettingValue) =>
        o.client.call('value.put', { body: { setting: settingOf(i), layer, of, mode: 'set', value: held } });
      await tried(put(value));
      if (i % 7 === 0)
        await tried(
          o.client.impactOf(
            (client) =>
              client.call('value.put', {
                body: {
                  setting: settingOf(i),
                  layer,
                  of,
                  mode: 'set',
                  value: valueType === 'text' ? `${secret}!` : value,
                },
              }),
            {},
          ),
        );
      // Of another type than the setting wants: refused.
      await tried(put(valueType === 'text' ? { wrong: secret } : 7));
      await tried(
        put(
          valueType === 'map'
            ? { 'not a name': { deeper: secret } }
            : valueType === 'list-of-text'
              ? { x: secret }
              : [secret],
        ),
      );
    }
    for (const i of [0, 11, 25]) {
      await tried(
        o.client.call('value.put', {
          body: { setting: settingOf(i), layer: 'everywhere', mode: 'set', value: 'something else for now' },
        }),
      );
      const { items } = await o.client.call('history.list', { query: { kind: 'value', limit: '1' } });
      await tried(o.client.call('history.undo', { params: { id: String(items[0]?.id) }, body: { apply: true } }));
    }
    const wrong = secrets.map((secret, i) => ({
      setting: settingOf(i),
      layer: 'everywhere',
      mode: 'set',
      value: { not: { one: secret } },
    }));
    await tried(o.client.call('import.run', { body: { text: JSON.stringify({ value: wrong }), apply: false } }));
    const rows = secrets.map((secret, i) => ({ setting: settingOf(i), layer: 'nowhere', mode: 'set', value: secret }));
    await tried(o.client.call('import.run', { body: { text: JSON.stringify({ value: rows }), apply: true } }));
    await tried(
      o.client.call('import.run', {
        body: {
          text: JSON.stringify({
            value: rows.map((row) => ({ ...row, layer: 'device', of: 'ard-acc-1', mode: 'away' })),
          }),
          apply: false,
        },
      }),
    );
  });

  it('go through templates: printed, asked about, put into every function', async () => {
    for (const i of secrets.keys()) {
      const name = `set.${settingOf(i)}`;
      const source = [
        `x @{${name}}`,
        `@{network(${name})}`,
        `@{upper(${name})} @{base64(${name})} @{sha256(${name})} @{count(split(${name}, "a"))}`,
        `@if ${name} == "guess"`,
        'equal',
        '@end',
        `@{mac("x", ${name})} @{int(${name})} @{nth(${name}, 99)}`,
        `@require ${name} == "no" : "it is @{${name}}"`,
      ];
      for (const one of [source.join('\n'), ...source.slice(1, 3)])
        await tried(
          o.client.call('template.try', { body: { template: 'furrow-access', source: one, device: 'ard-acc-1' } }),
        );
    }
  });

  it('go to a device: by its edition, errands, asks and captures', async () => {
    await o.client.call('value.put', {
      body: { setting: 'trap.word', layer: 'everywhere', mode: 'set', value: plain[0] ?? '' },
    });
    await o.client.call('value.put', {
      body: {
        setting: 'users',
        layer: 'everywhere',
        mode: 'set',
        value: { zpine: plain[1] ?? '', quay: words[0] ?? '' },
      },
    });
    await prepare(o, 'ard-acc-1');
    o.lab.add(ardle);
    o.lab.device('ardle').on();
    await serves(o.client, 'ard-acc-1');
    // Where the dialect expects no secret, where it does, and typed in by hand.
    await carried(`name @{set.${settingOf(1)}}`);
    await carried(`alert to 10.77.0.9 word @{set.${settingOf(30)}}`);
    await carried(`alert to 10.77.0.11 word ${plain[2]}`);
    await carried(`nonsense { phrase plain ${plain[3]}; }`);
    const asked = await o.client.call('run.ask', {
      body: {
        where: 'key=ard-acc-1',
        asks: [{ command: 'tell now' }, { command: 'tell kept' }, { question: 'version' }],
      },
    });
    await ended(asked.id);
    const answers = await o.client.call('run.row', { params: { id: String(asked.id), device: 'ard-acc-1' } });
    said.push(JSON.stringify(answers));
    // They were asked for, and stand there: with dots for what is secret.
    expect(JSON.stringify(answers)).to.contain('alert to 10.77.0.11 word ••••••').and.to.contain('name ••••••');
    const capture = await o.client.call('run.capture', { body: { where: 'key=ard-acc-1' } });
    await ended(capture.id);
    const { items } = await o.client.call('capture.list', { query: { device: 'ard-acc-1' } });
    expect(items.length).to.be.greaterThan(0);
    for (const { id } of items) await tried(o.client.call('capture.show', { params: { id: String(id) } }));
    for (const needle of needles) {
      const hits = await o.client.call('capture.search', { query: { q: needle.slice(0, 90) } });
      expect(hits.items, needle).to.deep.equal([]);
    }
    const [first] = items;
    const revealed = await o.client.call('capture.reveal', {
      params: { id: String(first?.id) },
      body: {},
      idempotencyKey: 'canary',
    });
    expect(JSON.stringify(revealed)).to.contain(plain[0]);
  });

  it('were shown to nobody on the way', () => {
    const told = said.flatMap((text) => found(text).map((needle) => `${needle}: ${text.slice(0, 400)}`));
    expect(told.slice(0, 20)).to.deep.equal([]);
  });

  it('are in nothing that anybody can ask for', async () => {
    const kindRefs = new Map<string, string[]>();
    for (const kind of kindNames) {
      const { items } = await o.client.list(kind, { limit: 500 });
      kindRefs.set(kindOf(kind).path, items.map(({ id }) => `#${String(id)}`).slice(-3));
    }
    const ids = numbered(8, (i) => String(i + 1));
    const leaks: string[] = [];
    for (const role of roles)
      for (const [id, route] of Object.entries(routes)) {
        if (route.method !== 'GET' || id === 'events') continue;
        const known = Object.keys(route.query?.shape ?? {});
        const queries = [
          '?limit=100',
          '?trace=true',
          '?text=true',
          '?kind=value',
          '?device=ard-acc-1',
          '?from=2',
          '?settled=true',
          '?file=running',
        ];
        const [, path = ''] = route.path.split('/');
        const refs =
          path === 'devices'
            ? ['ard-acc-1']
            : route.path.includes('{ref}')
              ? (kindRefs.get(path) ?? [])
              : route.path.includes('{name}')
                ? ['admin']
                : route.path.includes('{id}')
                  ? ids
                  : [''];
        for (const one of refs)
          for (const number of route.path.includes('{number}') ? ['1', '2'] : ['']) {
            const filled = route.path
              .replace(/\{(ref|id|name)\}/, encodeURIComponent(one))
              .replace('{number}', number)
              .replace('{device}', 'ard-acc-1')
              .replace('{kind}', 'device');
            for (const query of [
              '',
              ...queries.filter((query) => known.includes(query.split('=')[0]?.slice(1) ?? '')),
            ]) {
              const response = await fetch(`${o.url}/api/v1${filled}${query}`, {
                headers: { Authorization: `Bearer ${o.tokens[role]}` },
              });
              const text = await response.text();
              for (const needle of found(text)) leaks.push(`${role} GET ${filled}${query}: ${needle}`);
            }
          }
      }
    expect([...new Set(leaks)]).to.deep.equal([]);
  });

  it('are not in the stream of events', () => {
    expect(streamed.join('')).to.contain('setting');
    expect(found(streamed.join(''))).to.deep.equal([]);
  });

  it('are in nothing that the command line prints', async () => {
    const { zpineWith, zpine } = zpineIn(home);
    expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', o.url, '--user', 'admin')).status).to.equal(0);
    const runs = (await o.client.call('run.list', { query: {} })).items.slice(0, 4).map(({ id }) => String(id));
    const commands = [
      'setting explain ard-acc-1',
      'setting values',
      'setting list',
      'device show ard-acc-1',
      'edition list ard-acc-1',
      'edition show ard-acc-1',
      'edition explain ard-acc-1',
      'capture list ard-acc-1',
      'capture show ard-acc-1',
      'capture search mizzle',
      'arrival list',
      'arrival show ard-acc-1',
      'boot log',
      'history --limit 100',
      'export',
      'today',
      ...runs.map((id) => `run show ${id}`),
    ];
    const leaks: string[] = [];
    let worked = 0;
    for (const command of commands) {
      const { out, err, status } = await zpine(...command.split(' '));
      if (status === 0) worked += 1;
      for (const needle of found(out + err)) leaks.push(`zpine ${command}: ${needle}`);
    }
    // A search says what was searched for.
    expect(leaks.filter((leak) => !leak.startsWith('zpine capture search'))).to.deep.equal([]);
    expect(worked).to.be.greaterThan(commands.length / 2);
  });

  it('are not in the log, at its most talkative', () => {
    expect(log.length).to.be.greaterThan(0);
    expect(found(log.join(''))).to.deep.equal([]);
  });

  it('are nowhere in the database but under seal', async () => {
    // What was kept before a secret was known is masked anew by a job.
    const open = async (): Promise<number> => {
      const [row] = await o.store.sequelize.query<{ n: number }>(
        "SELECT COUNT(*) AS n FROM job WHERE name = 'remask'",
        { type: QueryTypes.SELECT },
      );
      return Number(row?.n ?? 0);
    };
    await eventually('all is masked anew', async () => (await open()) === 0, { limitMs: 20_000 });
    const tables = await o.store.sequelize.query<{ name: string }>(
      'SELECT table_name AS name FROM information_schema.tables WHERE table_schema = DATABASE()',
      { type: QueryTypes.SELECT },
    );
    const leaks: string[] = [];
    for (const { name } of tables) {
      const rows = await o.store.sequelize.query(`SELECT * FROM \`${name}\``, { type: QueryTypes.SELECT });
      const text = JSON.stringify(rows, (_key, value: SettingValue) =>
        typeof value === 'object' && value !== null && (value as { type?: string }).type === 'Buffer'
          ? Buffer.from((value as { data: number[] }).data).toString('latin1')
          : value,
      );
      for (const needle of found(text)) leaks.push(`${name}: ${needle}`);
    }
    expect(leaks).to.deep.equal([]);
  });
});
