/** What a write would do elsewhere: said before it is saved, and held against what then happens. */
import { expect } from 'chai';
import fc from 'fast-check';
import { RefusedError, type Client } from '@zpine/contract/client';
import type { Impact, ImpactEvent } from '@zpine/contract/impactShapes';
import { bootNet } from '../../ops/stack.ts';
import { impactOf as impactOfWork } from '../../service/app/impact/impact.ts';
import { add } from '../../service/app/records/add.ts';
import type { Tx } from '../../service/store/tx.ts';
import { actor, refusal, demoService, type TestBench } from '../service.ts';
import { runs } from '../../trials/runs.ts';

type Write = (client: Client) => Promise<unknown>;

describe('impact', function () {
  this.timeout(120_000);
  let bench: TestBench;
  let keys: string[] = [];
  before(async () => {
    bench = await demoService(bootNet().env);
    for (const ref of ['ard-acc-1', 'cob-acc-1', 'har-acc-1']) await client().call('edition.make', { params: { ref } });
    keys = (await client().list('device', { limit: 500 })).items.filter((d) => d.provisioned).map((d) => d.key);
  });
  after(() => bench.stop());

  const client = () => bench.clients.admin;
  const impactOf = (write: Write): Promise<Impact> => client().impactOf(write, {});
  const history = async () => (await client().call('history.list', { query: { limit: '1' } })).items[0]?.id;

  /** What is true of a device now, by other routes than those that look ahead. */
  interface Now {
    text: string;
    lines: string[];
    boot: string;
  }
  async function nowOf(ref: string): Promise<Now | null> {
    const device = await client()
      .show('device', ref)
      .catch(() => null);
    if (!device?.provisioned) return null;
    const dhcp = await client().call('device.dhcp', { params: { ref }, query: {} });
    const boot = dhcp.client === null ? 'no box' : dhcp.silent !== null ? `silent in ${String(dhcp.prefix)}` : '';
    const told = dhcp.options.filter(({ code }) => ![51, 53, 54, 58, 59].includes(code) || code === 51);
    const address = dhcp.addressFrom?.startsWith('pool') ? dhcp.addressFrom : dhcp.address;
    const answer = [address, dhcp.noFile, dhcp.file, ...told.map(({ code, value }) => `${code} ${value}`)].join('\n');
    const edition = await client()
      .call('edition.make', { params: { ref } })
      .catch((error: unknown) => {
        if (error instanceof RefusedError) return error.problem;
        throw error;
      });
    const faulty = 'detail' in edition;
    return {
      text: faulty ? edition.detail : `${edition.digest} ${edition.wayBack.map((fault) => fault.detail).join('\n')}`,
      lines: faulty ? [] : edition.files.flatMap((file) => file.text.split('\n')),
      boot: boot || answer,
    };
  }
  const allNow = async (refs: string[]): Promise<Map<string, Now | null>> => {
    const out = new Map<string, Now | null>();
    for (const ref of refs) out.set(ref, await nowOf(ref));
    return out;
  };
  const groupOf = ({ groups }: Impact, device: string) => groups.find((group) => group.devices.includes(device));

  /** Lines that are in one text and not, or not as often, in the other. */
  function beyond(lines: string[], others: string[]): string[] {
    const left = [...others];
    return lines.filter((line) => {
      const at = left.indexOf(line);
      if (at < 0) return line !== '';
      left.splice(at, 1);
      return false;
    });
  }

  it('saves nothing, and says the same whole as piece by piece', async () => {
    const before = await history();
    const write: Write = (c) =>
      c.call('value.put', {
        body: { setting: 'time.servers', layer: 'everywhere', mode: 'set', value: ['10.77.0.9'] },
      });
    const heard: Impact[] = [];
    const streamed = await client().impactOf(write, { hear: (impact) => heard.push(impact) });
    const response = await fetch(`${bench.url}/api/v1/setting-values?preview=impact`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${bench.tokens.admin}`, 'Content-Type': 'application/json' },
      body: JSON.stringify({ setting: 'time.servers', layer: 'everywhere', mode: 'add', value: ['10.77.0.9'] }),
    });
    expect(response.headers.get('content-type')).to.contain('application/json');
    const whole = (await response.json()) as Impact;
    expect({ ...whole, milliseconds: 0 }).to.deep.equal({ ...streamed, milliseconds: 0 });
    expect(heard.length).to.be.greaterThan(2);
    expect(await history()).to.equal(before);
    const alike = streamed.groups.find((group) => group.diff.parts.length > 0);
    expect(alike?.words).to.equal("two lines in part 'identity'; one line of the boot answer");
    expect(alike?.diff.parts[0]?.added).to.deep.equal(['clock follow 10.77.0.9']);
    expect(streamed.stale).to.include('ard-acc-1');
  });

  it('is the refusal that the write would be, and takes no other preview', async () => {
    const taken = await refusal(impactOf((c) => c.add('site', { code: 'ard', title: 'Again' })));
    expect(taken.code).to.equal('taken');
    const viewer = bench.clients.viewer.impactOf((c) => c.edit('site', 'ard', { title: 'x' }), {});
    expect((await refusal(viewer)).code).to.equal('role-insufficient');
    const ask = (query: string, path = '/sites') =>
      fetch(`${bench.url}/api/v1${path}?${query}`, {
        method: 'POST',
        headers: { Authorization: `Bearer ${bench.tokens.admin}`, 'Content-Type': 'application/json' },
        body: '{}',
      }).then(async (r) => ((await r.json()) as { code: string }).code);
    expect(await ask('preview=all')).to.equal('preview-unknown');
    expect(await ask('preview=impact&previewSeconds=0')).to.equal('value-high');
    expect(await ask('preview=impact', '/reaches')).to.equal('preview-nothing');
    const faulty = impactOf((c) =>
      c.call('import.run', { body: { kind: 'device', text: 'name,site\nx-1,nowhere\n', apply: true } }),
    );
    expect((await refusal(faulty)).code).to.equal('preview-faulty');
  });

  it('tells records that are renumbered, renamed, orphaned or go along', async () => {
    const moved = await impactOf((c) => c.add('prefix', { cidr: '10.77.16.11/32' }));
    expect(moved.records).to.deep.include({
      kind: 'address',
      key: '10.77.16.11',
      what: 'renumbered',
      detail: 'moves from 10.77.16.0/24 into 10.77.16.11/32',
    });
    const renamed = await impactOf((c) => c.edit('device', 'ard-acc-1', { name: 'ard-acc-9' }));
    expect(renamed.records.map((one) => one.what)).to.deep.equal(['renamed']);
    // A salt is the device's own, whatever it is called: the same accounts.
    expect(renamed.groups[0]?.diff.parts.map((one) => one.part)).to.deep.equal(['identity']);
    const gone = await impactOf((c) => c.remove('device', 'ske-acc-1'));
    expect(gone.groups.map((group) => [group.diff.is, group.devices])).to.deep.include(['gone', ['ske-acc-1']]);
    const what = new Set(gone.records.map((one) => `${one.what} ${one.kind}`));
    expect([...what]).to.include.members(['goes along interface', 'goes along address', 'goes along cable']);
    await client().add('box', { serial: 'LF24-0400-1', model: 'larkfield/lf-24', device: 'ske-acc-1' });
    await client().edit('box', 'lf24-0400-1', { device: null });
    await client().edit('box', 'lf24-0400-1', { device: 'ske-acc-1' });
    const set = String(await history());
    const undone = await impactOf((c) => c.call('history.undo', { params: { id: set }, body: {} }));
    expect(undone.records).to.deep.equal([
      { kind: 'box', key: 'lf24-0400-1', what: 'orphaned', detail: 'fitted as would be empty' },
    ]);
    expect(groupOf(undone, 'ske-acc-1')?.diff.boot?.removed).to.include('address 10.77.48.11');
  });

  it('finds what would lock the service out', async () => {
    const impact = await impactOf((c) => c.edit('vlan', 'ard/304', { number: 305 }));
    const group = groupOf(impact, 'ard-acc-1');
    expect(group?.diff.troubles[0]).to.match(
      /^the service would not get in: the service will come to 10\.77\.16\.11\/24/,
    );
    expect(group?.words).to.contain('one thing would go wrong');
  });

  it('shows that a secret would be another one, and not which', async () => {
    const impact = await impactOf((c) =>
      c.call('value.put', {
        body: {
          setting: 'users',
          layer: 'duty',
          of: 'access',
          mode: 'add',
          value: { quay: 'low-tide-9' },
        },
      }),
    );
    const part = groupOf(impact, 'ard-acc-1')?.diff.parts[0];
    expect(part, JSON.stringify(impact.groups)).to.have.property('secret', true);
    expect(part?.removed).to.deep.equal(part?.added);
    expect(JSON.stringify(impact)).not.to.contain('low-tide');
  });

  it('says what a new device would get, and puts many new ones together', async () => {
    const text = [
      'name,duty,model,site',
      ...[21, 22, 23, 24, 25, 26, 27].map((n) => `mos-acc-${n},access,larkfield/lf-24,mos`),
    ];
    const impact = await impactOf((c) =>
      c.call('import.run', { body: { kind: 'device', text: text.join('\n'), apply: true } }),
    );
    expect(impact.changes.added).to.equal(7);
    expect(impact.groups.flatMap((group) => group.devices)).to.have.members(
      [21, 22, 23, 24, 25, 26, 27].map((n) => `mos-acc-${n}`),
    );
    expect(impact.groups.every((group) => group.diff.is === 'new')).to.equal(true);
  });

  it('stops when its time is over, and says what it did not reach', async () => {
    const work = (tx: Tx) =>
      add(
        tx,
        'device',
        Array.from({ length: 60 }, (_, n) => ({ name: `quay-${n}`, virtual: true })),
      );
    const told: ImpactEvent[] = [];
    for await (const event of impactOfWork({
      store: bench.store,
      actor,
      action: 'device.add',
      work,
      kind: 'device',
      seconds: 0,
    }))
      told.push(event);
    const last = told.at(-1);
    expect(last).to.include({ event: 'end', looked: 40, of: 60, changed: 40 });
    expect(last).to.have.property('stopped', '0 s were over: 20 of 60 devices were not looked at');
  });

  const devices = ['ard-acc-1', 'cob-acc-1', 'har-acc-1', 'mos-acc-1', 'ske-acc-1'];
  const sites = ['ard', 'cob', 'har', 'mos', 'ske'];
  const servers = fc.subarray(['10.77.0.5', '10.77.0.6', '10.77.0.9', '10.77.32.12'], { minLength: 1 });
  const layer = fc.constantFrom(
    { layer: 'everywhere' as const },
    ...sites.map((of) => ({ layer: 'site' as const, of })),
    ...devices.map((of) => ({ layer: 'device' as const, of })),
    { layer: 'duty' as const, of: 'access' },
    { layer: 'dialect' as const, of: 'furrow' },
    { layer: 'area' as const, of: 'north-line' },
    { layer: 'model' as const, of: 'larkfield/lf-24' },
  );
  const word = fc.constantFrom('quay', 'pier', 'ramp', 'store');
  const port = fc.tuple(fc.constantFrom(...devices), fc.integer({ min: 1, max: 8 })).map(([d, n]) => `${d}:1/${n}`);
  const writes = fc.oneof(
    fc
      .record({
        what: fc.constantFrom('time.servers', 'name.servers'),
        on: layer,
        value: servers,
        mode: fc.constantFrom('set' as const, 'add' as const),
      })
      .map(({ what, on, value, mode }): [string, Write] => [
        `${what} ${mode} ${JSON.stringify(on)} ${value.join()}`,
        (c) => c.call('value.put', { body: { setting: what, ...on, mode, value } }),
      ]),
    fc
      .record({ on: layer, value: word })
      .map(({ on, value }): [string, Write] => [
        `users on ${JSON.stringify(on)} ${value}`,
        (c) =>
          c.call('value.put', { body: { setting: 'users', ...on, mode: 'add', value: { [value]: `${value}-7741` } } }),
      ]),
    fc
      .tuple(port, word)
      .map(([on, text]): [string, Write] => [
        `describe ${on} ${text}`,
        (c) => c.edit('interface', on, { description: text }),
      ]),
    fc
      .tuple(port, fc.boolean())
      .map(([on, enabled]): [string, Write] => [
        `enable ${on} ${String(enabled)}`,
        (c) => c.edit('interface', on, { enabled }),
      ]),
    fc
      .tuple(fc.constantFrom(...sites), fc.constantFrom(304, 316, 328, 352), fc.integer({ min: 400, max: 420 }))
      .map(([site, from, to]): [string, Write] => [
        `vlan ${site}/${from} ${to}`,
        (c) => c.edit('vlan', `${site}/${from}`, { number: to }),
      ]),
    fc
      .tuple(fc.constantFrom(...sites), word)
      .map(([site, title]): [string, Write] => [`title ${site} ${title}`, (c) => c.edit('site', site, { title })]),
    fc
      .tuple(fc.constantFrom('10.77.16.0/24', '10.77.32.0/24'), fc.integer({ min: 2, max: 9 }))
      .map(([cidr, n]): [string, Write] => [
        `gateway ${cidr} ${n}`,
        (c) => c.edit('prefix', cidr, { gateway: cidr.replace('0/24', String(n)) }),
      ]),
    fc
      .constantFrom('10.77.16.0/28', '10.77.16.0/27', '10.77.32.0/26')
      .map((cidr): [string, Write] => [
        `add ${cidr}`,
        (c) => c.add('prefix', { cidr, gateway: cidr.replace('0/', '1/').replace(/\/.*/, '') }),
      ]),
    fc
      .tuple(fc.constantFrom(...devices), fc.constantFrom('access', 'crossing-router', null))
      .map(([device, duty]): [string, Write] => [
        `duty ${device} ${String(duty)}`,
        (c) => c.edit('device', device, { duty }),
      ]),
    fc
      .tuple(fc.constantFrom(...devices), word)
      .map(([device, note]): [string, Write] => [
        `note ${device} ${note}`,
        (c) => c.edit('device', device, { note, owner: null }),
      ]),
    fc
      .tuple(port, port)
      .map(([from, to]): [string, Write] => [`cable ${from} ${to}`, (c) => c.add('cable', { from, to })]),
    fc.constantFrom('furrow-greeting', 'furrow-access').map((name): [string, Write] => [
      `template ${name}`,
      async (c) => {
        const { source } = await c.show('template', name);
        await c.edit('template', name, { source: `${String(source)}\n# another line\n` });
      },
    ]),
    fc
      .constantFrom('ard-acc-1', 'mos-acc-1')
      .map((device): [string, Write] => [`unmanage ${device}`, (c) => c.edit('device', device, { management: null })]),
    fc
      .constantFrom('larkfield', 'larkfield/lf-24')
      .map((of): [string, Write] => [
        `title of ${of}`,
        (c) => c.edit(of.includes('/') ? 'model' : 'vendor', of, { title: `Another ${of.length}` }),
      ]),
  );

  /** One that certainly makes devices different, so that the lines are looked at whatever chance brings. */
  const certain: [string, Write] = [
    'time.servers everywhere',
    (c) =>
      c.call('value.put', {
        body: { setting: 'time.servers', layer: 'everywhere', mode: 'set', value: ['10.77.0.77'] },
      }),
  ];

  it('is what then happens, whatever is written', async function () {
    this.timeout(240_000);
    /** What was true after the last write is true before the next. */
    let standing: Map<string, Now | null> | undefined;
    let saved = 0;
    let different = 0;
    await fc.assert(
      fc.asyncProperty(fc.array(writes, { minLength: 1, maxLength: 3 }), async (several) => {
        for (const [words, write] of several) {
          const before = standing ?? (await allNow(keys));
          let impact: Impact;
          try {
            impact = await impactOf(write);
          } catch (error) {
            // What would be refused is refused in the same way.
            if (!(error instanceof RefusedError)) throw error;
            expect((await refusal(write(client()))).code, words).to.equal(error.problem.code);
            continue;
          }
          await write(client());
          saved += 1;
          const fresh = new Set<string>();
          const made = new Set<string>();
          for (const ref of keys) {
            const { items } = await client().call('edition.list', { params: { ref } });
            if (items[0]) made.add(ref);
            if (items[0] && !items[0].stale) fresh.add(ref);
          }
          const after = await allNow(keys);
          standing = after;
          for (const ref of keys) {
            const [was, is] = [before.get(ref), after.get(ref)];
            const group = groupOf(impact, ref);
            const changed = was?.text !== is?.text || was?.boot !== is?.boot;
            expect(group !== undefined, `${words}: ${ref} ${JSON.stringify(group)}`).to.equal(changed);
            // Only an edition can be a stale one.
            if (made.has(ref) && is && is.lines.length > 0 && was && was.lines.length > 0)
              expect(impact.stale.includes(ref), `${words}: stale ${ref}`).to.equal(!fresh.has(ref));
            if (!group || group.each || !was || !is || was.lines.length === 0 || is.lines.length === 0) continue;
            different += 1;
            const told = group.diff.parts.filter((part) => !part.secret && part.more === 0);
            const whole = told.length === group.diff.parts.length;
            if (!whole) continue;
            const removed = beyond(was.lines, is.lines);
            const added = beyond(is.lines, was.lines);
            // A line that only moved is told, and is in both texts.
            expect(
              told.flatMap((part) => part.removed),
              words,
            ).to.include.members(removed);
            expect(
              told.flatMap((part) => part.added),
              words,
            ).to.include.members(added);
          }
        }
      }),
      { numRuns: runs(4, 8), examples: [[[certain]]], includeErrorInReport: true },
    );
    expect(saved, 'writes that were saved').to.be.greaterThan(runs(2, 5));
    expect(different, 'devices that were different').to.be.greaterThan(0);
  });
});
