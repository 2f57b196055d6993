/** What devices are told to do by name, and what they are asked with something said with it: three dialects, one way. */
import { expect } from 'chai';
import type { Fault } from '@zpine/lab/faults';
import { acquainted, fleet, rowOf, settled, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';
import type { ShownRun } from '@zpine/contract/fleetShapes';

const BOTH = ['har-acc-1', 'har-xr-1', 'har-wb-1'];

const hearing = (...ports: string[]) =>
  ports.map((on, i) => ({
    on,
    port: '1',
    neighbour: 'har-core-1',
    mac: `02:00:00:00:00:0${i}`,
    address: `10.77.1.${i + 1}`,
  }));

describe('operations', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 3, quill: 2, shale: 2 });
    // The first port is the way in, and something hangs on the second.
    for (const name of ['har-acc-1', 'har-acc-2']) {
      const { memory } = f.lab.furrow(name);
      memory.take(['socket 1/1'], 'lanes 304,316');
      f.lab.device(name).options.flash.kept = memory.print();
      f.lab.device(name).options.hears = hearing('1/1', '1/2');
    }
    f.lab.device('har-xr-1').options.hears = hearing('cu1');
    f.lab.device('har-wb-1').options.hears = hearing('front1');
    await acquainted(f.client);
  });
  after(() => f.end());

  const fault = (name: string, word: Fault) => f.lab.device(name).options.faults.add(word);
  const clear = (name: string) => f.lab.device(name).options.faults.clear();
  const look = async (body: object): Promise<ShownRun> =>
    settled(f.client, await f.client.call('run.operation', { body: body as { operation: string } }));
  const go = async (run: ShownRun): Promise<ShownRun> =>
    settled(f.client, await f.client.call('run.go', { params: { id: String(run.id) }, body: { count: run.toDo } }));
  const operate = async (body: object): Promise<ShownRun> => go(await look(body));
  const asked = async (question: string, device: string, blanks?: Record<string, string>) => {
    const asks = [{ question, ...(blanks ? { blanks } : {}) }];
    const run = await settled(f.client, await f.client.call('run.ask', { body: { devices: [device], asks } }));
    return rowOf(run, device).answers?.[0]?.rows ?? [];
  };

  it('are told by dialect, with their blanks', async () => {
    const { items } = await f.client.call('dialect.knows', { query: { dialect: 'furrow' } });
    expect(items.map(({ dialect }) => dialect)).to.deep.equal(['furrow']);
    expect(items[0]?.operations.map(({ operation }) => operation)).to.include.members([
      'set-clock',
      'bounce-port',
      'restart',
      'wipe',
    ]);
    expect(items[0]?.questions.find(({ question }) => question === 'route')?.blanks).to.deep.equal([
      { name: 'address', is: 'address' },
    ]);
    expect((await refusal(f.client.call('dialect.knows', { query: { dialect: 'furow' } }))).remedy).to.contain(
      'furrow',
    );
  });

  it('set the clock of three dialects, and would tell whose did not change', async () => {
    for (const name of BOTH) fault(name, 'clock-astray');
    const at = Date.now();
    expect((await asked('time', 'har-acc-1'))[0]?.state).to.equal('astray');
    const run = await operate({ devices: BOTH, operation: 'set-clock' });
    expect(run.counts).to.deep.equal({ done: 3 });
    for (const name of BOTH) {
      const now = (await asked('time', name))[0]?.now ?? '';
      expect(Math.abs(Date.parse(`${now.replace(' ', 'T')}Z`) - at), name).to.be.below(20_000);
    }
    fault('har-acc-1', 'drops-line');
    const lost = await operate({
      devices: ['har-acc-1'],
      operation: 'set-clock',
      blanks: { time: '2026-01-01 00:00:00' },
    });
    expect(lost.counts).to.deep.equal({ 'not as expected': 1 });
    expect(rowOf(lost, 'har-acc-1').detail).to.match(/^time \d{4}-/);
    clear('har-acc-1');
  });

  it('answer what a device asks back; its new host key is pinned, and the next session finds it so', async () => {
    const pinned = async (name: string) => (await asked('key', name))[0]?.fingerprint;
    const before = await Promise.all(BOTH.map(pinned));
    const run = await operate({ devices: BOTH, operation: 'key-pair' });
    expect(run.counts).to.deep.equal({ done: 3 });
    const after = await Promise.all(BOTH.map(pinned));
    for (const [i, key] of after.entries())
      expect(key, BOTH[i])
        .to.match(/^SHA256:/)
        .and.not.equal(before[i]);
    const { items } = await f.client.call('history.list', { query: { limit: '20' } });
    const changed = items.flatMap(({ changes }) => changes).find(({ key }) => key === 'host key of har-acc-1');
    expect(changed?.after).to.deep.equal({ fingerprint: after[0] });
  });

  it('are believed when they are seen: a port that stays dark, a key that is the old one', async () => {
    fault('har-acc-1', 'stays-dark');
    const dark = await operate({ devices: ['har-acc-1'], operation: 'bounce-port', blanks: { port: '1/2' } });
    expect(rowOf(dark, 'har-acc-1')).to.include({
      outcome: 'not as expected',
      detail: 'state is "down", and was "up"',
    });
    await f.lab.device('har-acc-1').off();
    f.lab.device('har-acc-1').on();
    clear('har-acc-1');
    fault('har-acc-2', 'drops-line');
    const old = await operate({ devices: ['har-acc-2'], operation: 'key-pair' });
    expect(rowOf(old, 'har-acc-2').outcome).to.equal('not as expected');
    clear('har-acc-2');
    const well = await operate({ devices: ['har-acc-2'], operation: 'bounce-port', blanks: { port: '1/2' } });
    expect(rowOf(well, 'har-acc-2').outcome).to.equal('done');
  });

  it('do not take the way in along: by a VLAN, and on the port itself', async () => {
    for (const [device, port] of [
      ['har-acc-1', '1/1'],
      ['har-xr-1', 'self0'],
    ] as const) {
      const run = await look({ devices: [device], operation: 'bounce-port', blanks: { port } });
      expect(rowOf(run, device).outcome, device).to.equal('turned down');
      expect(rowOf(run, device).detail, device).to.contain('may not get in meanwhile');
    }
    const body = { devices: ['har-acc-1'], operation: 'bounce-port', blanks: { port: '1/1' }, insist: true };
    expect((await refusal(f.client.call('run.operation', { body }))).code).to.equal('insist-reason');
    const reason = 'the console cable is in';
    const run = await settled(f.client, await f.client.call('run.operation', { body, reason }));
    expect((await go(run)).counts).to.deep.equal({ done: 1 });
  });

  it('take what stands in their blanks from a table, with all faults by row and column', async () => {
    const table = 'Device;Port\nhar-acc-1;1/2\n10.77.96.12;1/2\n';
    const run = await operate({ operation: 'clear-counters', perDevice: { text: table } });
    expect(run.counts).to.deep.equal({ done: 2 });
    const bad = await refusal(
      f.client.call('run.operation', {
        body: { operation: 'clear-counters', perDevice: { text: 'device,port\nhar-acc-1,; x\nhar-acc-9,1/1\n,1/2\n' } },
      }),
    );
    expect(bad.errors?.map(({ detail }) => detail)).to.deep.equal([
      'row 4, column 1: no device stands there',
      'row 3, column "device": there is no device "har-acc-9", by name or address: did you mean har-acc-1?',
    ]);
    const unfit = await refusal(
      f.client.call('run.operation', {
        body: { operation: 'clear-counters', perDevice: { text: 'device,port\nhar-acc-1,; x\n' } },
      }),
    );
    expect(unfit.errors?.map(({ detail }) => detail)).to.deep.equal([
      'row 2, column "port": "; x": that is no name of a port',
    ]);
  });

  it('test from each device to an address, and one that fails keeps no other waiting', async () => {
    const body = { devices: BOTH, operation: 'test-address', blanks: { address: '10.77.0.5' } };
    expect(await look(body)).to.include({ sideBySide: true });
    f.lab.device('har-acc-1').options.hears = [];
    const near = await operate(body);
    expect(rowOf(near, 'har-acc-1')).to.include({ outcome: 'not as expected', detail: 'back 0, sent 3' });
    expect(rowOf(near, 'har-xr-1')).to.include({ outcome: 'done', detail: 'back 3, sent 3' });
    expect(rowOf(near, 'har-wb-1')).to.include({ outcome: 'done' });
  });

  it('refuse what no dialect names, and blanks that are missing or unknown, before any device is reached', async () => {
    const runs = async () => (await f.client.call('run.list', { query: {} })).items.length;
    const before = await runs();
    const wrong = async (body: object) =>
      refusal(f.client.call('run.operation', { body: body as { operation: string } }));
    expect((await wrong({ devices: BOTH, operation: 'bounce-prt' })).remedy).to.contain('bounce-port');
    const blanks = await wrong({ devices: BOTH, operation: 'bounce-port', blanks: { prt: '1' } });
    expect(blanks.errors?.map(({ code }) => code)).to.deep.equal(['blank-unknown', 'blank-missing']);
    expect(
      (await wrong({ devices: ['har-wb-1'], operation: 'bounce-port', blanks: { port: '$(reboot)' } })).code,
    ).to.equal('blank-unfit');
    expect(
      (await refusal(f.clients.viewer.call('run.operation', { body: { devices: BOTH, operation: 'set-clock' } })))
        .status,
    ).to.equal(403);
    expect(await runs()).to.equal(before);
  });

  it('are begun again as they were typed', async () => {
    const run = await look({ devices: ['har-acc-1'], operation: 'clear-counters', blanks: { port: '1/2' } });
    const again = await settled(
      f.client,
      await f.client.call('run.again', { params: { id: String(run.id) }, body: {} }),
    );
    expect(again).to.include({ title: run.title, selection: run.selection, state: 'previewed', toDo: 1 });
  });
});

describe('questions with something said with them', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 2, quill: 1, shale: 1 });
    await acquainted(f.client);
  });
  after(() => f.end());
  const fault = (name: string, word: Fault) => f.lab.device(name).options.faults.add(word);
  const ask = async (body: object) => settled(f.client, await f.client.call('run.ask', { body: body }));

  it('are answered alike by three dialects: routes, hardware, states in the same words', async () => {
    const run = await ask({
      devices: BOTH,
      asks: [
        { question: 'route', blanks: { address: '192.0.2.9' } },
        { question: 'hardware' },
        { question: 'interfaces' },
      ],
    });
    expect(run.asks[0]).to.equal('route address=192.0.2.9');
    for (const name of BOTH) {
      const [route, hardware, interfaces] = rowOf(run, name).answers ?? [];
      expect(route?.rows[0], name).to.have.property('gateway');
      expect(hardware?.rows[0], name).to.include({ slot: '0', state: 'up' });
      expect(new Set(interfaces?.rows.map(({ state }) => state)), name).to.satisfy((states: Set<string>) =>
        [...states].every((state) => ['up', 'down', 'off'].includes(state)),
      );
    }
    const faulty = await refusal(ask({ devices: BOTH, asks: [{ question: 'route' }] }));
    expect(faulty.code).to.equal('blank-missing');
    const unsafe = await refusal(
      ask({ devices: ['har-wb-1'], asks: [{ question: 'route', blanks: { address: '1.2.3.4; reboot' } }] }),
    );
    expect(unsafe.code).to.equal('blank-unfit');
  });

  it('show a part of what runs, its secrets masked by the whole', async () => {
    const run = await ask({ devices: ['har-acc-1'], asks: [{ part: 'account' }, { part: 'account', lines: '^rank' }] });
    const [part, lines] = rowOf(run, 'har-acc-1').answers ?? [];
    expect(part?.text).to.match(/^account netops\n {2}phrase plain •+\n {2}rank full$/);
    expect(lines?.text).to.equal('account netops\n  rank full');
  });

  it('read rows by a pattern of whoever asks, and cut nothing of an answer', async () => {
    const rows = '^socket (?<port>\\S+) +in (?<in>\\d+)';
    const run = await ask({
      devices: ['har-acc-1'],
      asks: [{ command: 'tell counts', rows }, { command: 'tell clock' }],
    });
    const [counts, clock] = rowOf(run, 'har-acc-1').answers ?? [];
    expect(counts?.rows[0]).to.have.keys('port', 'in');
    expect(clock?.text).to.match(/^now /);
    expect((await refusal(ask({ devices: ['har-acc-1'], asks: [{ question: 'time', rows }] }))).code).to.equal(
      'ask-part',
    );
    expect(
      (await refusal(ask({ devices: ['har-acc-1'], asks: [{ command: 'tell clock', rows: '(' }] }))).code,
    ).to.equal('pattern-faulty');
  });

  it('are asked by nobody where a table names devices and no commands', async () => {
    const text = 'device,room\nhar-acc-1,east\n';
    expect((await refusal(ask({ perDevice: { text } }))).code).to.equal('ask-missing');
  });

  it('tell states of hardware that are not well', async () => {
    fault('har-acc-2', 'clock-astray');
    const run = await ask({
      devices: ['har-acc-1', 'har-acc-2'],
      asks: [{ question: 'time' }],
      expect: [{ kind: 'field', text: 'state=in step' }],
    });
    expect(rowOf(run, 'har-acc-1').answers?.[0]?.missed).to.deep.equal([]);
    expect(rowOf(run, 'har-acc-2').answers?.[0]?.missed).to.have.length(1);
  });
});
