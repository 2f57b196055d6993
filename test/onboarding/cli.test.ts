import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { PASSWORD } from '../../ops/stack.ts';
import { zpineIn } from '../zpine.ts';
import { ardle, onboarding, type Onboarding } from './bench.ts';
import { eventually } from '../../trials/eventually.ts';

describe('the command line, bringing a switch into service', () => {
  const home = mkdtempSync(join(tmpdir(), 'zpine-cli-'));
  const { zpineWith, zpine, well } = zpineIn(home);
  let o: Onboarding;
  before(async function () {
    this.timeout(60_000);
    o = await onboarding();
    expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', o.url, '--user', 'engineer')).status).to.equal(0);
  });
  after(async () => {
    await o.end();
    rmSync(home, { recursive: true, force: true });
  });

  it('explains settings, sets them and takes them back', async () => {
    expect(await well('setting', 'explain', 'cob-acc-1', 'time.servers')).to.equal(
      [
        'setting       value                              from',
        'time.servers  10.77.0.5, 10.77.0.6, 10.77.32.12  everywhere',
        '  · set       10.77.0.5, 10.77.0.6               everywhere',
        '  · add       10.77.32.12                        site cob',
      ].join('\n'),
    );
    expect(await well('setting', 'set', 'time.servers', '10.77.16.9', '--on', 'site:ard', '--mode', 'add')).to.equal(
      'time.servers gets 10.77.16.9 on site ard',
    );
    expect(await well('setting', 'unset', 'time.servers', '--on', 'site:ard')).to.equal(
      'time.servers is no longer set on site ard',
    );
    const { status } = await zpineWith('new-word\n', {}, 'setting', 'set', 'trap.word', '--on', 'site:mos');
    expect(status).to.equal(0);
    expect(await well('setting', 'values', 'trap.word')).not.to.contain('new-word');
    const wrong = await zpine('setting', 'set', 'time.zone', 'x', '--on', 'planet:mars');
    expect(wrong.status).to.equal(2);
    expect(wrong.err).to.match(/"planet:mars" is not a layer/);
  });

  it('checks templates, with a caret, and gives them a text from a file', async () => {
    const file = join(home, 'greeting.pine');
    writeFileSync(file, 'greeting\n  | @{sit.title}\n');
    expect(await well('template', 'put', 'other', file, '--fragment')).to.equal(
      'added template other; it has 1 fault: zpine template check other',
    );
    const checked = await zpine('template', 'check', 'other');
    expect(checked.status).to.equal(1);
    expect(checked.out).to.equal(
      'other:2:7: there is no name "sit" here; did you mean "site"?\n  2 |   | @{sit.title}\n    |       ^\n1 fault\n',
    );
    writeFileSync(file, 'greeting\n  | @{site.title}\n');
    expect(await well('template', 'put', 'other', file)).to.equal('edited template other, no faults');
    expect(await well('template', 'text', 'other')).to.equal('greeting\n  | @{site.title}');
    expect(await well('template', 'names', 'ard-acc-1', 'device.management.address')).to.contain('10.77.16.11/24');
  });

  it('makes, shows and publishes editions', async () => {
    expect(await well('edition', 'list', 'ard-acc-1')).to.match(/^edition +made.*\n +1 .*given now$/);
    await well('setting', 'set', 'time.zone', 'Europe/Oslo', '--on', 'device:ard-acc-1');
    expect(await well('edition', 'list', 'ard-acc-1')).to.match(/given now, stale$/);
    const preview = await well('edition', 'make', 'ard-acc-1', '--preview');
    expect(preview).to.match(/- clock zone [\s\S]*\+ clock zone Europe\/Oslo/);
    expect(await well('edition', 'list', 'ard-acc-1')).to.match(/given now, stale$/);
    expect(await well('edition', 'make', 'ard-acc-1')).to.match(
      /^edition 2 of ard-acc-1: \d+ lines from furrow-access \([0-9a-f]{4}…\)\n {2}zpine edition publish ard-acc-1/,
    );
    expect(await well('edition', 'show', 'ard-acc-1')).to.contain('clock zone Europe/Oslo');
    expect(await well('edition', 'show', 'ard-acc-1', '--trace')).to.match(
      /clock zone Europe\/Oslo +furrow-access:6 {2}time\.zone \(device ard-acc-1\)/,
    );
    expect(await well('edition', 'publish', 'ard-acc-1', '--open', '2')).to.contain(
      'its arrival window is open for 2 h',
    );
    const none = await zpine('edition', 'show', 'har-log-1');
    expect(none.status).to.equal(2);
    expect(none.err).to.contain('har-log-1 has no edition');
  });

  it('explains what a device is told, and why somebody gets no answer', async () => {
    const told = await well('dhcp', 'explain', 'ard-acc-1');
    expect(told).to.match(/^ard-acc-1 +LF24-0188-01, MAC 00:00:5e:00:53:a1\n/);
    expect(told).to.match(
      / 42 {2}ntp-servers +10\.77\.0\.5, 10\.77\.0\.6 +0a 4d 00 05 0a 4d 00 06 +setting time\.servers, everywhere\n/,
    );
    expect(told).to.match(/ 67 {2}bootfile-name +"ard-acc-1\.furrow" .* boot profile of Furrow, edition 2\n/);
    expect(told).to.contain('not told: 7 log-servers, the client did not ask for it');
    expect(await well('dhcp', 'explain', 'ard-acc-1', '--relay', '10.77.16.77')).to.match(
      /no answer +relay 10\.77\.16\.77 is not declared/,
    );
    expect(await well('dhcp', 'explain', 'ske-acc-1')).to.match(/no answer +it has no box/);
  });

  it('watches an arrival until the device serves', async () => {
    o.lab.add(ardle);
    const watching = zpine('arrival', 'watch', 'ard-acc-1', '--until-served', '--limit', '20');
    o.lab.device('ardle').on();
    const { out, status } = await watching;
    expect(status, out).to.equal(0);
    expect(out).to.match(/\d\d:\d\d:\d\d {2}ard-acc-1 +powered +.*serial LF24-0188-01/);
    expect(out).to.match(/ard-acc-1: serving\n$/);
    expect(await well('arrival', 'show', 'ard-acc-1')).to.match(/called home +from 10\.77\.16\.11/);
    expect(await well('device', 'show', 'ard-acc-1')).to.match(/host key +SHA256:/);
    expect(await well('boot', 'log', 'ard-acc-1')).to.contain(
      'ACK of 10.77.16.11 (management address of ard-acc-1, on vlan304), boot file ard-acc-1.furrow',
    );
  });

  it('waits for another arrival of a device that serves already', async () => {
    await well('arrival', 'open', 'ard-acc-1');
    const { err, status } = await zpine('arrival', 'watch', 'ard-acc-1', '--until-served', '--limit', '1');
    expect(status).to.equal(1);
    expect(err).to.match(/^ard-acc-1 does not serve: /);
    await well('arrival', 'close', 'ard-acc-1');
    expect(await well('device', 'show', 'ard-acc-1')).to.contain('serving');
  });

  it('ends with a diagnosis where the device does not come', async () => {
    const { err, status } = await zpine('arrival', 'watch', 'cob-acc-1', '--until-served', '--limit', '2');
    expect(status).to.equal(1);
    expect(err).to.match(
      /cob-acc-1 does not serve: no packet: its window is open, and no DHCP packet of it came\n {2}see whether/,
    );
  });

  it('lists strangers with whom they could be, and recognises them', async () => {
    o.lab.add({
      name: 'skerry',
      model: 'LF-24',
      serial: 'LF24-0188-03',
      mac: '00:00:5e:00:53:b1',
      relay: '10.77.48.1',
    });
    o.lab.device('skerry').on();
    const listed = await eventually('it is listed', async () => {
      const said = await well('stranger', 'list');
      return said !== 'no strangers' && said;
    });
    expect(listed).to.match(
      /could be +ske-acc-1: has no box, the model fits, prepared\n +zpine stranger recognise 1 ske-acc-1/,
    );
    expect(await well('stranger', 'recognise', '1', 'ske-acc-1')).to.equal(
      'LF24-0188-03 is ske-acc-1; zpine arrival watch ske-acc-1',
    );
    expect((await zpine('arrival', 'watch', 'ske-acc-1', '--until-served', '--limit', '20')).status).to.equal(0);
    expect(await well('stranger', 'list')).to.equal('no strangers');
  });

  it('puts another box under a device, and forgets a host key', async () => {
    expect(await well('device', 'fit', 'ard-acc-1', 'LF24-0201-11', '--reason', 'dead')).to.match(
      /^LF24-0201-11 is fitted as ard-acc-1; its arrival window is closed, so .*: zpine arrival open ard-acc-1$/,
    );
    expect(await well('device', 'forget-key', 'ske-acc-1')).to.equal('the host key of ske-acc-1 is forgotten');
    expect((await zpine('device', 'forget-key', 'ske-acc-1')).status).to.equal(1);
    const healthy = await zpine('device', 'fit', 'cob-acc-1', 'LF24-0201-11');
    expect(healthy.err).to.contain('nothing says that anything is wrong with it');
    const fitted = await zpine('device', 'fit', 'cob-acc-1', 'LF24-0201-11', '--reason', 'dead, too');
    expect(fitted.err).to.contain('box LF24-0201-11 is fitted as ard-acc-1');
  });

  it('waits no longer for a device that is retired', async () => {
    await well('arrival', 'open', 'ard-acc-1', '--hours', '2');
    expect(await well('device', 'show', 'ard-acc-1')).to.contain('open until');
    await well('device', 'retire', 'ard-acc-1', '--yes');
    expect(await well('device', 'show', 'ard-acc-1'))
      .to.match(/retired[\s\S]*management +none\n/)
      .and.not.contain('open until');
    const again = await zpine('arrival', 'open', 'ard-acc-1');
    expect([again.status, again.err]).to.satisfy(
      ([status, err]: [number, string]) => status === 1 && err.includes('retired'),
    );
  });
});
