/** Hardware, interfaces, cables and copies by the command line, on the demo data. */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('the command line of hardware', () => {
  let demo: TestBench;
  const home = mkdtempSync(join(tmpdir(), 'zpine-hardware-'));
  const { zpineWith, zpine, well } = zpineIn(home);
  before(async function () {
    this.timeout(60_000);
    demo = await demoService(bootNet().env);
    expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', demo.url, '--user', 'engineer')).status).to.equal(0);
  });
  after(async () => {
    await demo.stop();
    rmSync(home, { recursive: true, force: true });
  });

  it('puts ten switches into three racks by one command', async () => {
    const racks = ['ard/closet/w1', 'cob/closet/w1', 'ske/closet/w1'];
    const fill = ['rack', 'fill', ...racks, '--count', '10', '--model', 'larkfield/lf-24', '--duty', 'access'];
    const seen = await zpine(...fill);
    expect(seen.err).to.contain('not saved; --yes saves without asking');
    const said = (await well(...fill, '--yes')).split('\n');
    expect(said.map((line) => line.split(/ +/).join(' '))).to.deep.equal([
      'device rack U',
      'ard-acc-2 ard/closet/w1 1',
      'ard-acc-3 ard/closet/w1 2',
      'ard-acc-4 ard/closet/w1 3',
      'ard-acc-5 ard/closet/w1 4',
      'cob-acc-3 cob/closet/w1 1',
      'cob-acc-4 cob/closet/w1 2',
      'cob-acc-5 cob/closet/w1 3',
      'ske-acc-2 ske/closet/w1 1',
      'ske-acc-3 ske/closet/w1 2',
      'ske-acc-4 ske/closet/w1 3',
      'added 10 devices',
    ]);
    expect(await well('interface', 'list', 'ske-acc-4:', '--csv')).to.contain('ske-acc-4,1/24,port');
    const full = await zpine(
      'rack',
      'fill',
      'mos/closet/w1',
      '--count',
      '11',
      '--model',
      'larkfield/lf-24',
      '--duty',
      'access',
    );
    expect(full.err).to.match(/^refused: there is room for 10 of 11 \(field count\)/);
    const top = await well(
      'rack',
      'fill',
      'mos/closet/w1',
      '--count',
      '2',
      '--model',
      'hazel/h1',
      '--duty',
      'log-host',
      '--from',
      'top',
      '--yes',
    );
    expect(top).to.match(/mos-log-1 +mos\/closet\/w1 +11\nmos-log-2 +mos\/closet\/w1 +5\n/);
  });

  it('adds a row of devices, with a place each', async () => {
    await well(
      'device',
      'add',
      'har-cam-{1..3}',
      '--rack',
      'har/equipment/e2',
      '--positionU',
      '{10..12}',
      '--model',
      'hazel/h1',
      '--yes',
    ).catch(() => undefined);
    const taken = await zpine(
      'device',
      'add',
      'har-cam-{1..2}',
      '--rack',
      'har/equipment/e2',
      '--positionU',
      '{10..11}',
      '--model',
      'hazel/h1',
      '--yes',
    );
    expect(taken.err).to.match(/U 11 of har\/equipment\/e2 is taken by device har-cam-1/);
    await well(
      'device',
      'add',
      'har-cam-{1..2}',
      '--rack',
      'har/equipment/e2',
      '--positionU',
      '10,12',
      '--model',
      'hazel/h1',
      '--yes',
    );
  });

  it('shows what is in a chassis, takes what was found, and brings ports with cards', async () => {
    expect(await well('device', 'hardware', 'har-core-1')).to.match(
      /^slot +takes +declared +ports\n1 +c4-card +larkfield\/c4-24t C424-0410 +24 +\? declared; nobody has looked yet\n2 .*empty\n3 .*\n {2}3\/1 /,
    );
    const found = await zpine('device', 'found', 'har-core-1', '1=C4-24T:C424-0410', '2=C4-24T:C424-0999', '3=C4-8X');
    expect(found.out).to.match(
      /\n2 .*\+ found C4-24T, and nothing is declared\n3 .*≠ declared larkfield\/c4-bay, found C4-8X/,
    );
    expect(found.err).to.contain('zpine device declare-found har-core-1');
    expect(await well('device', 'declare-found', 'har-core-1')).to.match(
      /\n2 +c4-card +larkfield\/c4-24t C424-0999 +24 /,
    );
    expect(await well('port', 'list', 'har-core-1:2/24')).to.match(/har-core-1:2\/24 +1000base-t +card +har-core-1:2/);
    expect((await zpine('card', 'remove', 'har-core-1:1', '--yes')).err).to.match(
      /^refused: card har-core-1:1 would take ports along that are in use: a cable in har-core-1:1\/1, /,
    );
    expect(await well('card', 'remove', 'har-core-1:2', '--yes')).to.contain('removed card har-core-1:2');
  });

  it('sets many interfaces at once', async () => {
    expect(
      await well('interface', 'edit', 'ard-acc-1:1/{3..6}', '--vlan', '316', '--description', 'desks', '--yes'),
    ).to.match(
      /ard-acc-1:1\/6 +description – → desks, mode – → access, vlan – → ard\/316\n4 interfaces selected, 4 edited$/,
    );
    const wrong = await zpine(
      'interface',
      'edit',
      'ard-acc-1:1/{3..6}',
      '--tagged',
      '316,999',
      '--mode',
      'trunk',
      '--yes',
    );
    expect(wrong.status).to.equal(1);
    expect(wrong.err).to.contain('ard has no VLAN 999; add it first: zpine vlan add ard/999 --title TITLE');
    expect(await well('device', 'show', 'ard-acc-1')).to.match(
      /1\/24 +port +on +trunk +t 304, 316, 328, 340, 352 +ard-xr-1:cu2 +to ard-xr-1\n[\s\S]*nothing said yet: 1\/\{7\.\.22\}$/,
    );
  });

  it('plugs rows of cables, lists plugs, and follows ways', async () => {
    expect(
      await well(
        'cable',
        'pairs',
        'cob-acc-1:1/{3..6}',
        'cob-acc-3:1/{1..4}',
        '--kind',
        'cat6',
        '--colour',
        'blue',
        '--marking',
        'COB-{003..006}',
        '--yes',
      ),
    ).to.equal('added 4 cables: cob-acc-1:1/3 to cob-acc-3:1/1 … cob-acc-1:1/6 to cob-acc-3:1/4');
    expect((await zpine('cable', 'pairs', 'cob-acc-1:1/{7..9}', 'cob-acc-3:1/{5..6}', '--yes')).err).to.contain(
      'has 3 ports',
    );
    expect(await well('cable', 'plugs', '--device', 'cob-acc-1')).to.match(
      /7 +cob-acc-1:1\/3 +cob-acc-3:1\/1 +U 1 +cat6 +blue +COB-003\n[\s\S]*5 plugs$/,
    );
    expect(await well('cable', 'trace', 'har-acc-1:1/24')).to.equal(
      [
        'har-acc-1:1/24 (har/equipment/e1 U 46)',
        '↓ cat6 grey 1.5 m',
        'har-pp-1:1-rear (har/equipment/e1 U 39)',
        '↓ cat6 grey 1 m',
        'har-core-1:1/1 (har/equipment/e1 U 40)',
        'ends there, 2.5 m in all',
      ].join('\n'),
    );
    const pairs = join(home, 'pairs.csv');
    writeFileSync(
      pairs,
      'from;to;kind;length\ncob-acc-1:1/10;cob-acc-4:1/1;cat6;200\ncob-acc-1:1/11;cob-acc-4:con;cat6;200\n',
    );
    const faulty = await zpine('import', 'cable', pairs, '--column', 'length=lengthCm', '--yes');
    expect(faulty.err).to.match(/row 3 +cable +to +"cob-acc-4:con" .*do not fit/);
    writeFileSync(pairs, 'from;to;kind;length\ncob-acc-1:1/10;cob-acc-4:1/1;cat6;200\n');
    expect(await well('import', 'cable', pairs, '--column', 'length=lengthCm', '--yes')).to.contain('1 added: saved');
  });

  it('writes and reads model sheets, and brings devices along', async () => {
    const folder = join(home, 'sheets');
    expect(await well('model', 'write-sheet', '*', '--to', folder)).to.equal(`wrote 12 sheets to ${folder}`);
    expect(await well('model', 'read-sheets', folder)).to.equal('12 as they were: nothing to do');
    const sheet = join(folder, 'larkfield-lf-48.yaml');
    writeFileSync(
      sheet,
      'vendor: larkfield\nname: lf-48\nheightU: 1\nports:\n  - { names: "1/{1..46}", kind: 1000base-x2 }\n',
    );
    const faulty = await zpine('model', 'read-sheets', folder, '--yes');
    expect(faulty.status).to.equal(1);
    expect(faulty.err).to.match(
      /larkfield-lf-48\.yaml:5:\d+ {2}ports\.0\.kind {2}"1000base-x2" {2}.*did you mean 1000base-x\?/,
    );
    mkdirSync(join(home, 'one'));
    const same = { title: 'LF-48', dialect: 'furrow', depth: 'half', powerWatts: 80, weightGrams: 3900 };
    const lf48 = { vendor: 'larkfield', name: 'lf-48', ...same };
    const other = join(home, 'one', 'lf-48.json');
    writeFileSync(other, JSON.stringify({ ...lf48, ports: '1/{1..50} 1000base-t' }));
    const read = await zpine('model', 'read-sheets', join(home, 'one'), '--yes');
    expect(read.out).to.match(/^edit {2}larkfield\/lf-48 .*ports .* → 1\/\{1\.\.50\} 1000base-t.*\n1 edited: saved\n$/);
    expect(read.err).to.contain('1 device would differ');
    expect(await well('model', 'differing', 'larkfield/lf-48')).to.match(
      /har-acc-3 +missing 1\/49 1\/50; too many con pwr\n1 differs/,
    );
    expect((await zpine('model', 'align', 'larkfield/lf-48')).status).to.equal(1);
    expect(await well('model', 'align', 'larkfield/lf-48', '--yes')).to.contain('brought along: har-acc-3');
    expect(await well('model', 'differing', 'larkfield/lf-48')).to.equal('no device differs from larkfield/lf-48');
  });

  it('makes the same landing again', async () => {
    const seen = await zpine('site', 'copy', 'mos', 'bel', '--title', 'Bellhaven');
    expect(seen.out).to.match(/device +bel-acc-1 +mos-acc-1\n[\s\S]*: not saved yet\n$/);
    expect(seen.err).to.match(/not copied: address .*\nnot copied: box .*\nnot saved/);
    expect(await well('site', 'copy', 'mos', 'bel', '--title', 'Bellhaven', '--yes')).to.contain('bel is like mos');
    expect(await well('cable', 'trace', 'bel-acc-1:1/24')).to.match(/bel-xr-1:cu2 \(bel\/closet\/w1 U 9\)\nends there/);
  });

  it('says what a rack draws and bears', async () => {
    const drawn = (await well('rack', 'draw', 'ard/closet/w1')).split('\n');
    expect(drawn.slice(-3)).to.deep.equal([
      'power 285 of 300 W, 2 of unknown power',
      'weight 16.2 of 40 kg, 2 of unknown weight',
      'beside the U: ard-ps-1',
    ]);
    await well('rack', 'edit', 'ard/closet/w1', '--powerWatts', '200');
    expect(await well('rack', 'draw', 'ard/closet/w1')).to.contain('power 285 of 200 W, 85 W too much');
  });
});
