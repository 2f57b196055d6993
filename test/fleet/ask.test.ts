/** Read-only questions to forty devices of three dialects. */
import { expect } from 'chai';
import { acquainted, addDevice, fleet, paste, rowOf, settled, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';

describe('asking the fleet', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 18, quill: 10, shale: 12 });
    await acquainted(f.client);
  });
  after(() => f.end());

  const ask = async (body: object) => settled(f.client, await f.client.call('run.ask', { body: body }));

  it('asks one question across three dialects, and extracts the same fields from each', async () => {
    const run = await ask({ where: 'stage=unproved', asks: [{ question: 'time' }] });
    expect(run.counts).to.deep.equal({ answered: 40 });
    for (const name of ['har-acc-1', 'har-xr-1', 'har-wb-1'])
      expect(rowOf(run, name).answers?.[0]?.rows[0], name).to.include({
        server: '10.77.0.5, 10.77.0.6',
        state: 'in step',
      });
    expect(rowOf(run, 'har-wb-2').ms).to.be.greaterThan(0);
    expect(run.startedAt && run.endedAt && run.startedAt <= run.endedAt).to.equal(true);
  });

  it('groups equal answers, with the difference, and lists who lacks the expected text', async () => {
    f.lab.furrow('har-acc-7').memory.strike([], 'clock follow 10.77.0.6');
    const run = await ask({
      where: 'dialect=furrow',
      asks: [{ command: 'tell clock' }],
      expect: [
        { kind: 'has', text: '10.77.0.5' },
        { kind: 'has', text: '10.77.0.6' },
      ],
    });
    const { items } = await f.client.call('run.groups', { params: { id: String(run.id) } });
    expect(items).to.have.length(1);
    const [{ words, groups, failing } = { words: '', groups: [], failing: [] }] = items;
    expect(words).to.equal('17 alike, 1 differs');
    expect(groups[1]?.devices).to.deep.equal(['har-acc-7']);
    expect(groups[1]?.diff).to.include('-follows 10.77.0.6 in step');
    expect(failing).to.deep.equal([{ device: 'har-acc-7', missed: [{ kind: 'has', text: '10.77.0.6' }] }]);
  });

  it('refuses what would change a device, for all of them and before any is reached', async () => {
    const before = (await f.client.call('run.list', { query: {} })).items.length;
    for (const command of [
      'plough',
      'shale take x',
      'cat /etc/passwd; reboot',
      'tell now\nplough',
      'ip link set eth0 down',
      'ip address flush dev eth0',
      'ss -K dst 10.77.0.1',
      'cat $(reboot)',
    ])
      expect((await refusal(ask({ where: 'dialect=shale', asks: [{ command }] }))).status, command).to.equal(422);
    const problem = await refusal(ask({ where: 'stage=unproved', asks: [{ command: 'tell now' }] }));
    expect(problem.errors?.[0]?.detail).to.equal(`"tell now" is not one of Quill's read-only commands`);
    expect((await f.client.call('run.list', { query: {} })).items).to.have.length(before);
  });

  it('says which questions there are when one is mistyped, and that a selection matches nothing', async () => {
    const typo = await refusal(ask({ where: 'dialect=quill', asks: [{ question: 'tmie' }] }));
    expect(typo.errors?.[0]?.detail).to.match(/no question "tmie"|question "tmie"; there are accounts, arp/);
    expect(typo.errors?.[0]?.remedy).to.contain('time');
    expect((await refusal(ask({ where: 'site=nowhere', asks: [{ question: 'time' }] }))).status).to.equal(422);
    expect(
      (await refusal(ask({ where: 'dialect=quill and stage=retired', asks: [{ question: 'time' }] }))).code,
    ).to.equal('selection-empty');
    expect((await refusal(ask({ asks: [{ question: 'time' }] }))).code).to.equal('selection-missing');
  });

  it('asks each device what a table says, by columns of unequal length', async () => {
    const text = 'har-acc-1,har-xr-1,har-wb-1\ntell about,read about,shale about\n,read kin,\n';
    const run = await ask({ perDevice: { text } });
    expect(run.expected).to.equal(3);
    expect(rowOf(run, 'har-xr-1').answers?.map((one) => one.command)).to.deep.equal(['read about', 'read kin']);
    const wrong = await refusal(ask({ perDevice: { text: 'har-acc-1;har-xr-99\ntell about;read about\n' } }));
    expect(wrong.errors?.[0]?.detail).to.contain('har-xr-99');
    const rows = await ask({ perDevice: { text: 'har-acc-2;tell about;tell kin\n', by: 'rows' } });
    expect(rowOf(rows, 'har-acc-2').answers).to.have.length(2);
  });

  it('masks secrets in what it shows', async () => {
    const run = await ask({ devices: ['har-acc-1'], asks: [{ command: 'tell now' }] });
    const text = rowOf(run, 'har-acc-1').answers?.[0]?.text ?? '';
    expect(text).to.contain('phrase plain ••••••').and.not.contain('a-fleet-of-ferries');
  });

  it('turns pages where nothing switches them off', async () => {
    const shipped = (await f.client.call('dialect.shipped', {})).items.find((one) => one.name === 'quill')?.sheet ?? '';
    expect(shipped).to.contain('  off: [pages off]\n');
    await f.client.add('dialect', { name: 'quill-paged', sheet: shipped.replace('  off: [pages off]\n', '') });
    await f.client.edit('device', 'har-xr-2', { dialect: 'quill-paged' });
    const run = await ask({ devices: ['har-xr-2'], asks: [{ command: 'read script' }] });
    const text = rowOf(run, 'har-xr-2').answers?.[0]?.text ?? '';
    expect(text.split('\n').length).to.be.greaterThan(23);
    expect(text).to.not.contain('turn the page');
    const [inked = '', ...script] = text.split('\n');
    expect(inked).to.match(/^# inked at /);
    expect(script.join('\n').replaceAll('••••••', 'a-fleet-of-ferries')).to.equal(
      f.lab.device('har-xr-2').print().trimEnd(),
    );
    await f.client.edit('device', 'har-xr-2', { dialect: 'quill' });
  });

  it('stops after three refusals of one login, and leaves the other devices alone', async () => {
    const names = [1, 2, 3, 4, 5, 6].map((n) => addDevice(f.lab, 'shale', 50 + n, { password: 'something-else' }));
    await paste(f.client, 'shale', names);
    await settled(f.client, await f.client.call('run.reach', { body: { devices: names } }));
    const seen = await settled(f.client, await f.client.call('run.reach', { body: { devices: names } }));
    await f.client.call('hostKey.accept', { body: { run: seen.id } });
    const run = await ask({ devices: names, asks: [{ question: 'version' }] });
    expect(run.counts).to.deep.equal({ 'no contact': 3, 'left out': 3 });
    expect(run.rows.find((row) => row.outcome === 'left out')?.detail).to.contain('could lock it');
    const mixed = await ask({ devices: [...names, 'har-wb-1'], asks: [{ question: 'version' }] });
    expect(mixed.counts.answered, 'one right login proves the others wrong by themselves').to.be.oneOf([1, undefined]);
  });

  it('names the rung of every fault, and cuts an answer of fifty megabytes', async () => {
    const faults = {
      'old-algorithms': 'Key exchange',
      'no-prompt': 'Dialect',
      mute: 'Port',
    } as const;
    const list: [string, string][] = [];
    let n = 60;
    for (const [fault, rung] of Object.entries(faults)) {
      const name = addDevice(f.lab, 'furrow', (n += 1));
      list.push([name, rung]);
      await paste(f.client, 'furrow', [name]);
      const seen = await settled(f.client, await f.client.call('run.reach', { body: { devices: [name] } }));
      await f.client.call('hostKey.accept', { body: { run: seen.id } });
      const device = f.lab.device(name);
      await device.off();
      device.options.faults.add(fault as keyof typeof faults);
      device.on();
    }
    await f.client.call('value.put', {
      body: { setting: 'access.answer-seconds', layer: 'everywhere', value: 2 },
    });
    await new Promise((resolve) => setTimeout(resolve, 100));
    const run = await ask({ devices: list.map(([name]) => name), asks: [{ question: 'version' }] });
    for (const [name, rung] of list) expect(rowOf(run, name).detail, name).to.match(new RegExp(`^${rung}: `));
    // All that is missing at once, as a command to paste; with it, the way in is open.
    const old = list[0]?.[0] ?? '';
    const { detail } = rowOf(run, old);
    expect(detail).to.contain('key exchange (it offers diffie-hellman-group14-sha1, diffie-hellman-group1-sha1)');
    const [, names = '', on] = /zpine setting set access\.algorithms (\S+) --on (\S+)$/.exec(detail) ?? [];
    expect(on).to.equal(`device:${old}`);
    await f.client.call('value.put', {
      body: { setting: 'access.algorithms', layer: 'device', of: old, mode: 'set', value: names.split(',') },
    });
    expect(rowOf(await ask({ devices: [old], asks: [{ question: 'version' }] }), old).outcome).to.equal('answered');
    f.lab.device('har-acc-9').options.faults.add('floods');
    f.lab.device('har-wb-9').options.faults.add('floods');
    f.lab.device('har-acc-10').options.faults.add('goes-away');
    const flooded = await ask({ devices: ['har-acc-9', 'har-wb-9', 'har-acc-10'], asks: [{ question: 'version' }] });
    for (const name of ['har-acc-9', 'har-wb-9']) {
      const [answer] = rowOf(flooded, name).answers ?? [];
      expect(answer?.cut ?? rowOf(flooded, name).detail, name).to.not.equal(false);
      expect(answer?.text.length ?? 0).to.be.at.most(1024 * 1024);
    }
    expect(rowOf(flooded, 'har-acc-10').detail).to.contain('ended');
    for (const name of ['har-acc-9', 'har-wb-9', 'har-acc-10']) f.lab.device(name).options.faults.clear();
  });

  it('lets in what an access set permits by name', async () => {
    const name = 'har-acc-61';
    await f.client.call('value.put', {
      body: {
        setting: 'access.algorithms',
        layer: 'device',
        of: name,
        mode: 'set',
        value: ['diffie-hellman-group14-sha1', 'aes128-cbc', 'hmac-sha1'],
      },
    });
    const run = await ask({ devices: [name], asks: [{ question: 'version' }] });
    expect(run.counts).to.deep.equal({ answered: 1 });
    await f.client.call('value.put', {
      body: { setting: 'access.algorithms', layer: 'device', of: name, mode: 'set', value: ['ssh-rsb'] },
    });
    const typo = await ask({ devices: [name], asks: [{ question: 'version' }] });
    expect(rowOf(typo, name).detail).to.contain('permits "ssh-rsb", which is not known here');
  });

  it('stops at a changed host key until somebody accepts it', async () => {
    const device = f.lab.device('har-wb-4');
    await device.off();
    device.options.faults.add('other-key');
    device.on();
    await new Promise((resolve) => setTimeout(resolve, 100));
    const run = await ask({ devices: ['har-wb-4'], asks: [{ question: 'version' }] });
    expect(rowOf(run, 'har-wb-4').detail).to.match(
      /^Host key: it has changed: SHA256:\S+ was shown, SHA256:\S+ is pinned$/,
    );
    const seen = await settled(f.client, await f.client.call('run.reach', { body: { devices: ['har-wb-4'] } }));
    expect((await f.client.call('hostKey.accept', { body: { run: seen.id } })).accepted).to.deep.equal([]);
    const { accepted } = await f.client.call('hostKey.accept', { body: { run: seen.id, changed: true } });
    expect(accepted.map((one) => one.device)).to.deep.equal(['har-wb-4']);
    expect((await ask({ devices: ['har-wb-4'], asks: [{ question: 'version' }] })).counts).to.deep.equal({
      answered: 1,
    });
  });

  it('goes by way of a jump host', async () => {
    const put = (value: string) =>
      f.client.call('value.put', {
        body: { setting: 'access.jump', layer: 'device', of: 'har-xr-5', mode: 'set', value },
      });
    await put('har-wb-2');
    const run = await settled(f.client, await f.client.call('run.reach', { body: { devices: ['har-xr-5'] } }));
    expect(run.counts).to.deep.equal({ reached: 1 });
    expect(rowOf(run, 'har-xr-5').rungs?.[1]?.detail).to.equal('the way goes by har-wb-2');
    expect((await refusal(put('har-wb-77'))).code).to.equal('ref-unknown');
    await f.client.add('device', { name: 'har-wb-77' });
    await put('har-wb-77');
    await f.client.remove('device', 'har-wb-77');
    const lost = await ask({ devices: ['har-xr-5'], asks: [{ question: 'version' }] });
    expect(rowOf(lost, 'har-xr-5').detail).to.contain('it is reached by har-wb-77, and there is no such device');
  });

  it('remembers which address and which MAC was seen where', async () => {
    addDevice(f.lab, 'furrow', 70, {
      hears: [{ on: '1/2', neighbour: 'recorder', port: 'eth0', mac: '02:00:00:ca:fe:01', vlan: 352 }],
    });
    await paste(f.client, 'furrow', ['har-acc-70']);
    await acquainted(f.client, 'name=har-acc-70');
    await ask({ where: 'stage=unproved', asks: [{ question: 'interfaces' }] });
    await ask({ devices: ['har-acc-70'], asks: [{ question: 'macs' }] });
    const macs = await f.client.call('live.mac', { query: { mac: 'cafe01' } });
    expect(macs.items.map(({ device, interface: on, vlan }) => `${device} ${on} ${vlan ?? ''}`)).to.deep.equal([
      'har-acc-70 1/2 352',
    ]);
    const live = await f.client.call('live.addresses', { query: { prefix: '10.77.97.0/28' } });
    expect(live.items.map((one) => `${one.device} ${one.address} ${String(one.agrees)}`)).to.include(
      'har-xr-3 10.77.97.13/24 true',
    );
    const around = await f.client.call('live.addresses', { query: { prefix: '10.77.97.200/29' } });
    expect(
      around.items.map((one) => one.device),
      'their networks overlap it',
    ).to.include('har-xr-3');
  });

  it('begins with no more at a time than a layer permits, and gives everything as CSV', async () => {
    await f.client.call('value.put', {
      body: { setting: 'access.parallel', layer: 'dialect', of: 'quill', mode: 'set', value: 1 },
    });
    const run = await ask({ where: 'dialect=quill name!=har-xr-5', asks: [{ question: 'version' }] });
    expect(run.counts).to.deep.equal({ answered: 9 });
    const times = run.rows.map((row) => ({ from: Date.parse(row.startedAt ?? ''), ms: row.ms ?? 0 }));
    times.sort((a, b) => a.from - b.from);
    for (const [i, { from }] of times.entries()) {
      const before = times[i - 1];
      if (before) expect(from).to.be.at.least(before.from + before.ms - 5);
    }
    const response = await fetch(`${f.url}/api/v1/runs/${run.id}`, {
      headers: { Authorization: `Bearer ${f.tokens.engineer}`, Accept: 'text/csv' },
    });
    expect((await response.text()).split('\r\n')[0]).to.equal('device,name,model,serial,version,remark');
  });

  it('may be stopped', async () => {
    const made = await f.client.call('run.ask', {
      body: { where: 'stage=unproved', asks: [{ question: 'version' }] },
    });
    await f.client.call('run.stop', { params: { id: String(made.id) }, body: {} });
    const run = await settled(f.client, made);
    expect(run.done).to.equal(run.expected);
    expect((await refusal(f.client.call('run.stop', { params: { id: String(made.id) }, body: {} }))).code).to.equal(
      'run-over',
    );
  });
});
