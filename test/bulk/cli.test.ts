/** Many at a time, by the command line, on the demo data. */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { demoService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('the command line, many at a time', () => {
  let demo: TestBench;
  const home = mkdtempSync(join(tmpdir(), 'zpine-bulk-'));
  const { zpineWith, zpine, well } = zpineIn(home);
  const file = (name: string, text: string): string => {
    const path = join(home, name);
    writeFileSync(path, text);
    return path;
  };
  before(async function () {
    this.timeout(60_000);
    demo = await demoService(bootNet().env);
    expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', demo.url, '--user', 'engineer')).status).to.equal(0);
  });
  after(async () => {
    await demo.stop();
    rmSync(home, { recursive: true, force: true });
  });
  const engineer = () => demo.clients.engineer;

  it('edits a selection: what would come of it, then all of it', async () => {
    const where = 'site=har duty=access';
    const looked = await zpine('device', 'edit', '--where', where, '--add-labels', 'tower', '--note', 'In the tower');
    expect(looked.out).to.match(
      /^device +what\nhar-acc-1 +note – → In the tower, labels – → tower\n[\s\S]*3 devices selected, 3 would be edited\n$/,
    );
    // Nobody said yes: a script must not take it for done.
    expect(looked.status).to.equal(1);
    expect(looked.err).to.contain('not saved; --yes saves without asking');
    expect((await engineer().show('device', 'har-acc-1')).note).to.equal(null);
    expect(await well('device', 'edit', '--where', where, '--add-labels', 'tower', '--yes')).to.match(/3 edited$/);
    expect(await well('device', 'edit', '--where', where, '--add-labels', 'tower', '--yes')).to.match(
      /^3 devices selected, 0 edited, 3 as they are already$/,
    );
    const refused = await zpine('device', 'edit', '--where', where, '--positionU', '48', '--yes');
    expect(refused.status).to.equal(1);
    expect(refused.err).to.match(/^refused: \d of 3 devices, nothing saved\n {2}har-acc-/);
    expect(await well('device', 'edit', 'har-acc-1', '--drop-labels', 'tower')).to.match(/labels tower → –/);
  });

  it('refuses two labels that disagree until one is ranked, and then hears the stronger', async () => {
    for (const [label, zone] of [
      ['old', 'UTC'],
      ['quay', 'Europe/Oslo'],
    ] as const) {
      await well('label', 'add', label);
      await well('setting', 'set', 'time.zone', zone, '--on', `label:${label}`);
    }
    await well('device', 'edit', 'ske-acc-1', '--add-labels', 'quay');
    expect(await well('setting', 'explain', 'ske-acc-1', 'time.zone')).to.match(/Europe\/Oslo +label quay/);
    const refused = await zpine('device', 'edit', 'ske-acc-1', '--add-labels', 'old');
    expect(refused.status).to.equal(1);
    expect(refused.err).to.match(
      /the labels (old and quay|quay and old) of device ske-acc-1 say different things about time\.zone/,
    );
    await well('label', 'edit', 'old', '--rank', '10');
    await well('device', 'edit', 'ske-acc-1', '--add-labels', 'old');
    expect(await well('setting', 'explain', 'ske-acc-1', 'time.zone')).to.match(/time\.zone +UTC +label old/);
    expect((await zpine('label', 'edit', 'old', '--clear', 'rank')).err).to.contain('rank them');
    await well('setting', 'set', 'banner', 'Mind the gap', '--on', 'label:old');
    expect((await zpine('setting', 'set', 'banner', 'Mind the quay', '--on', 'label:quay')).status).to.equal(0);
    expect(await well('setting', 'explain', 'ske-acc-1', 'banner')).to.match(/banner +Mind the gap +label old/);
    expect((await zpine('label', 'remove', 'old', '--yes')).err).to.contain('devices carry it: 1');
  });

  it('adds many of a row at once, all of them or none', async () => {
    expect(await well('interface', 'add', 'ske-xr-1:v{1..12}', '--form', 'vlan', '--vlan', '316', '--yes')).to.match(
      /^added 12 interfaces: ske-xr-1:v1 ske-xr-1:v2 .* ske-xr-1:v12$/,
    );
    expect((await engineer().show('interface', 'ske-xr-1:v7')).vlan).to.equal('ske/316');
    expect(
      (await zpine('interface', 'add', 'ske-xr-1:v{12..14}', '--form', 'vlan', '--vlan', '316', '--yes')).err,
    ).to.match(/"ske-xr-1:v12" is taken .*\(row 1, field name\)/);
    expect((await zpine('interface', 'list', 'ske-xr-1:v13', '--json')).out.trim()).to.equal('[]');
    expect(await well('vlan', 'add', 'ske/{401..403}', '--title', 'spare', '--yes')).to.equal(
      'added 3 VLANs: ske/401 ske/402 ske/403',
    );
    const wrong = await zpine('interface', 'add', 'ske-xr-1:1/{1..100000}', '--yes');
    expect([wrong.status, wrong.err]).to.deep.equal([2, '"ske-xr-1:1/{1..100000}" stands for more than 1000\n']);
  });

  it('proposes the next name, by the pattern that the layers give', async () => {
    expect(await well('device', 'next', '--site', 'ske', '--duty', 'access')).to.equal('ske-acc-2');
    expect(await well('device', 'next', '--rack', 'har/equipment/e1', '--duty', 'crossing-router')).to.equal(
      'har-xr-3',
    );
    expect(await well('device', 'next', '--site', 'ske', '--duty', 'core')).to.equal('ske-core-1');
    await well('setting', 'set', 'naming.pattern', 'sw{nnn}.{site}', '--on', 'site:mos');
    expect(await well('device', 'next', '--site', 'mos', '--duty', 'access')).to.equal('sw001.mos');
    expect((await zpine('device', 'next', '--site', 'ske')).err).to.contain('wants to know the duty');
    await well('setting', 'set', 'naming.pattern', '{site}-{colour}', '--on', 'site:mos');
    expect((await zpine('device', 'next', '--site', 'mos')).err).to.contain('"{colour}"');
    await well('setting', 'unset', 'naming.pattern', '--on', 'site:mos');
  });

  it('says in a sentence what is wrong with a file, whatever the command', async () => {
    const missing = join(home, 'nowhere.txt');
    const strange = join(home, 'strange.txt');
    writeFileSync(strange, Buffer.from('good line\nbl\xe5 boat\n', 'latin1'));
    const commands = [
      ['template', 'put', 'other', missing],
      ['errand', 'run', missing, '--where', 'site=ske'],
      ['errand', 'run', '--table', missing],
      ['ask', '--table', missing],
      ['device', 'paste', missing],
      ['device', 'clone', 'ske-acc-1', '--list', missing],
      ['box', 'scan', missing],
      ['dialect', 'check', missing],
      ['import', 'device', missing],
      ['model', 'read-sheets', missing],
    ];
    for (const command of commands) {
      const said = await zpine(...command);
      expect([said.status, said.err], command.join(' ')).to.deep.equal([2, `there is no file ${missing}\n`]);
    }
    const folder = await zpine('template', 'put', 'other', home);
    expect([folder.status, folder.err]).to.deep.equal([2, `${home} is a folder, not a file\n`]);
    const letters = await zpine('template', 'put', 'other', strange);
    expect(letters.status).to.equal(2);
    expect(letters.err).to.match(/is not UTF-8: line 2 has letters in another encoding; save it as UTF-8\n$/);
    const out = await zpine('export', 'device', '--output', join(home, 'no-folder', 'x.yaml'));
    expect([out.status, out.err]).to.satisfy(
      ([status, err]: [number, string]) => status === 2 && /cannot be written: there is no such folder\n$/.test(err),
    );
  });

  it('asks before many are made, and takes silence for no', async () => {
    for (const command of [
      ['vlan', 'add', 'ske/{411..413}'],
      ['device', 'clone', 'ske-acc-1', 'ske-acc-{61..63}'],
      ['address', 'reserve', '10.77.34.0/24', '--count', '3'],
      ['device', 'stage', 'retired', '--where', 'site=ske'],
      ['device', 'remove', '--where', 'name=ske-acc-1', '--contents'],
    ]) {
      const asked = await zpine(...command);
      expect([asked.status, asked.err], command.join(' ')).to.satisfy(
        ([status, err]: [number, string]) => status === 1 && /^not (saved|removed); --yes/.test(err),
      );
      expect(asked.out.split('\n').length, command.join(' ')).to.be.above(1);
    }
    expect(await well('vlan', 'list', '--where', 'number=411')).to.equal('');
    expect(await well('device', 'list', '--where', 'stage=retired')).to.equal('');
    expect(await well('device', 'remove', '--where', 'name=nobody', '--contents', '--yes')).to.equal(
      'no device matches',
    );
  });

  it('copies a device with its interfaces, positions from a row, boxes from a list', async () => {
    expect(
      await well(
        'device',
        'clone',
        'ske-acc-1',
        'ske-acc-{11..13}',
        '--positionU',
        '{2..4}',
        '--serial',
        'N-1,N-2,N-3',
        '--yes',
      ),
    ).to.equal('added 3 devices like ske-acc-1: ske-acc-11 ske-acc-12 ske-acc-13');
    const copy = await engineer().call('device.overview', { params: { ref: 'ske-acc-12' } });
    expect(copy.device).to.deep.include({
      positionU: 3,
      rack: 'ske/closet/w1',
      management: 'ske-acc-12:vlan304',
      stage: 'sketched',
    });
    expect(copy.box).to.deep.include({ serial: 'N-2', condition: 'fitted' });
    const said = copy.interfaces.filter((i) => i.version !== 0).map((i) => i.name);
    expect(said).to.deep.equal(['1/1', '1/24', 'vlan304']);
    expect(copy.interfaces).to.have.length(25);
    expect(copy.addresses).to.deep.equal([]);
    const list = file('copies.txt', 'Name;U;Serial;MAC\nske-acc-14;5;N-4;0000.5e00.53fd\nske-acc-15;6;;\n');
    await well('device', 'clone', 'ske-acc-1', '--list', list, '--yes');
    expect((await engineer().show('box', 'n-4')).mac).to.equal('00:00:5e:00:53:fd');
    const wrong = await zpine('device', 'clone', 'ske-acc-1', 'ske-acc-{21..23}', '--positionU', '1,2', '--yes');
    expect([wrong.status, wrong.err]).to.deep.equal([2, '--positionU has 2 values for 3 records\n']);
    const taken = await zpine('device', 'clone', 'ske-acc-1', 'ske-acc-{14..16}', '--yes');
    expect(taken.err).to.match(/row 1, field name: "ske-acc-14" is taken/);
    expect(await well('rack', 'clone', 'ske/closet/w1', 'ske/closet/w2')).to.contain('ske/closet/w2');
  });

  it('says before a removal what would go, and what stands in its way', async () => {
    expect(await well('device', 'remove', 'ske-acc-15', '--preview')).to.match(
      /^with it go 5:\n( +port +\d +ske-acc-15:1\/1.*\n| +interface +\d +.*ske-acc-15:vlan304.*\n)[\s\S]*nothing saved/,
    );
    const used = await zpine('site', 'remove', 'ske', '--preview');
    expect(used.status).to.equal(1);
    expect(used.err).to.match(
      /^refused: site ske is in use: room ske\/closet \(site\); VLANs ske\/304.*; devices ske-acc-1/,
    );
    await well('device', 'remove', 'ske-acc-15', '--yes', '--reason', 'one too many');
    expect(await well('removed', 'device', 'acc-15')).to.match(/device +ske-acc-15 .* engineer +one too many/);
    expect(await well('restore', 'device', 'ske-acc-15')).to.match(/interface +ske-acc-15:vlan304/);
    expect((await engineer().show('device', 'ske-acc-15')).management).to.equal('ske-acc-15:vlan304');
  });

  it('does things to all devices of a selection, and goes on behind one that refuses', async () => {
    const made = await zpine(
      'edition',
      'make',
      '--where',
      'site=ske duty=access',
      '--reason',
      'all of Skerry',
      '--yes',
    );
    expect(made.status).to.equal(1);
    expect(made.out).to.match(/edition \d of ske-acc-1: \d+ lines/);
    expect(made.err).to.match(/ske-acc-15: refused: /);
    expect(made.out).to.match(/\d of 6 devices\n$/);
    expect(await well('device', 'stage', 'retired', '--where', 'name=ske-acc-15', '--yes')).to.match(
      /ske-acc-15 is .*retired\n1 of 1 device$/,
    );
    expect((await zpine('device', 'stage', 'retired', '--where', 'name=nobody-*', '--yes')).err).to.contain(
      'no device matches',
    );
  });

  it('takes scans into stock, and fits them to devices that wait', async () => {
    const scans = file('pallet.txt', 'LF-24\nN-21\n0000.5e00.53f1\nN-21\nN-22\n00-00-5E-00-53-F2\n');
    const seen = await well('box', 'scan', scans, '--whereabouts', 'cupboard at HAR', '--labels', 'pallet-7', '--yes');
    expect(seen).to.match(/pallet\.txt: 2 rows, 2 added: saved$/);
    expect(await engineer().show('box', 'n-21')).to.deep.include({
      model: 'larkfield/lf-24',
      mac: '00:00:5e:00:53:f1',
      condition: 'stock',
      whereabouts: 'cupboard at HAR',
      labels: ['pallet-7'],
    });
    expect(await well('box', 'scan', scans)).to.contain('2 as they were: nothing to do');
    await well('device', 'clone', 'ske-acc-1', 'ske-acc-{31..32}', '--yes');
    const fitted = await well('box', 'scan', scans, '--where', 'name=ske-acc-3*', '--yes');
    expect(fitted).to.match(/edit +box +n-21 .*device – → ske-acc-31[\s\S]*edit +box +n-22 .*device – → ske-acc-32/);
    const odd = await zpine('box', 'scan', file('odd.txt', 'N-41\nplease scan here\n'));
    expect(odd.err).to.match(
      /row 1 +box +model +"N-41" +it is not said what model[\s\S]*row 2 +box +"please scan here"/,
    );
  });

  it('makes unproved devices of a pasted list, with the login said once', async () => {
    const hosts = file(
      'hosts',
      '127.0.0.1 localhost\n10.90.1.5 old-sw-1.brackwater.example old-sw-1 # pier\n10.90.1.6 old-sw-2\nold-sw-3 unassigned\n',
    );
    const env = { ZPINE_LOGIN_PASSWORD: 'bell-buoy-2' };
    const args = ['device', 'paste', hosts, '--dialect', 'furrow', '--user', 'netops', '--port', '2022'];
    const seen = await zpineWith('', env, ...args);
    expect(seen.out).to.match(
      /add +prefix +10\.90\.1\.0\/24[\s\S]*add +value +users label list-1 +value netops=••••••/,
    );
    expect(seen.out + seen.err).not.to.contain('bell-buoy-2');
    expect((await zpineWith('', env, ...args, '--yes')).status).to.equal(0);
    const shown = await engineer().call('device.overview', { params: { ref: 'old-sw-1' } });
    expect(shown.device).to.deep.include({ stage: 'unproved', dialect: 'furrow', labels: ['list-1'] });
    expect(shown.management?.address).to.equal('10.90.1.5');
    const explained = await well('setting', 'explain', 'old-sw-2', 'access');
    expect(explained)
      .to.match(/access\.port +2022 +label list-1/)
      .and.match(/access\.user +netops +label list-1/);
    expect((await engineer().show('device', 'old-sw-3')).management).to.equal(null);
    // The same list again, with an address for the third: only that is new.
    const again = file('again', 'old-sw-1,10.90.1.5\nold-sw-3,10.90.1.7\n');
    expect(await well('device', 'paste', again, '--yes')).to.match(
      /again: 2 rows, 2 added, 1 edited, 1 as they were: saved$/,
    );
    // What a device has on another interface is known, too: a hosts file of our own changes nothing.
    await engineer().add('interface', { device: 'old-sw-1', name: 'self0', form: 'loopback' });
    for (const address of ['10.90.1.201', '10.90.1.202'])
      await engineer().add('address', { address, interface: 'old-sw-1:self0' });
    const own = file('own', '10.90.1.201 old-sw-1\n10.90.1.202 old-sw-1\n');
    expect(await well('device', 'paste', own)).to.match(/0 added, 0 edited|nothing to save|1 as (it was|they were)/);
    const twice = await zpine('device', 'paste', file('twice', '10.90.1.201 old-sw-1\n10.90.1.203 old-sw-1\n'));
    expect(twice.err).to.match(/row 2 .*old-sw-1 stands in row 1 already/);
    const wrong = file('wrong', 'old-sw-1,10.90.1.99\nthief,10.90.1.6\nbad,10.90.1.256\nbad-2,010.1.1.1\n');
    const refused = await zpine('device', 'paste', wrong);
    expect(refused.err).to.match(
      /row 1 .*old-sw-1 has the management address 10\.90\.1\.5[\s\S]*row 2 .*10\.90\.1\.6 is on old-sw-2:management already[\s\S]*row 3 .*256[\s\S]*row 4 .*leading zero/,
    );
  });

  it('finds a MAC however it is written, and several words together', async () => {
    for (const mac of ['00005e0053f1', '00:00:5E:00:53:F1', '0000.5e00.53f1', '53f1'])
      expect(await well('search', mac), mac).to.match(
        /box +n-21 .*Base MAC +00:00:5e:00:53:f1[\s\S]*device +ske-acc-31/,
      );
    expect(await well('search', 'ske', 'quay')).to.match(/device +ske-acc-1 /);
    expect(await well('search', '10.90.1.6')).to.match(/address +10\.90\.1\.6 [\s\S]*device +old-sw-2/);
    expect(await well('search', 'nothing-of-the-kind')).to.equal('nothing is found by "nothing-of-the-kind"');
  });

  it('keeps views, and lists by them', async () => {
    await well('view', 'save', 'device', 'old', '--where', 'label=list-1', '--sort', '-key', '--shared');
    expect(await well('device', 'list', '--view', 'old', '--where', 'name!=old-sw-2', '--csv')).to.match(
      /name[^\n]*\r\nold-sw-3,.*\r\nold-sw-1,/,
    );
    expect((await zpine('device', 'list', '--view', 'nope')).err).to.equal(
      'there is no view "nope" of device; there are old, tidal\n',
    );
    expect((await zpine('view', 'save', 'device', 'bad', '--where', 'sitee=ard')).status).to.equal(1);
  });

  it('takes a folder in as one, and names the file of a fault', async () => {
    const folder = join(home, 'estate');
    mkdirSync(folder);
    writeFileSync(join(folder, 'rooms.csv'), 'site,name\nlum,closet\n');
    writeFileSync(join(folder, 'device.csv'), 'name,site\nlum-acc-1,lum\n');
    writeFileSync(join(folder, 'base.yaml'), 'site:\n  - { code: lum, title: Lumsay, area: nowhere }\n');
    writeFileSync(join(folder, 'values.txt'), 'left alone');
    const refused = await zpine('import', folder);
    expect(refused.err).to.match(/^3 files: 3 rows, 1 fault.*\n {2}base\.yaml row 1 +site +area +"nowhere"/);
    writeFileSync(join(folder, 'base.yaml'), 'site:\n  - { code: lum, title: Lumsay, area: south-line }\n');
    expect(await well('import', folder, '--yes')).to.match(/3 files: 3 rows, 3 added: saved$/);
    writeFileSync(join(folder, 'whatever.csv'), 'a\n');
    expect((await zpine('import', folder)).err).to.contain('whatever.csv: a CSV in a folder is named after its kind');
  });

  it('gives values of settings out, without secrets, and takes them in', async () => {
    const { out, err } = await zpine('export', 'value', '--as', 'csv');
    expect(err).to.match(/^\d values of secret settings were not exported\n$/);
    expect(out).to.match(/time\.zone,label,old,set,UTC/);
    const values = file('values.csv', out);
    expect(await well('import', 'value', values)).to.match(/as they were: nothing to do$/);
    const text =
      'setting,layer,of,mode,value\ntime.servers,site,lum,add,"10.77.0.9, 10.77.0.8"\ntime.servers,site,nowhere,set,10.77.0.9\ntime.serverz,everywhere,,set,10.77.0.9\naccess.port,everywhere,,set,ssh\ntime.zone,planet,,set,UTC\n';
    const refused = await zpine('import', 'value', file('bad.csv', text));
    expect(refused.err).to.match(
      /row 3 +value +of +"nowhere"[\s\S]*row 4 +value +setting +"time\.serverz" .*did you mean time\.servers\?[\s\S]*row 5 +value +value +"ssh" .*not a number[\s\S]*row 6 +value +layer +"planet"/,
    );
    await well('import', 'value', file('good.csv', text.split('\n').slice(0, 2).join('\n')), '--yes');
    expect(await well('setting', 'values', 'time.servers', '--on', 'site:lum')).to.match(
      /add +10\.77\.0\.9, 10\.77\.0\.8/,
    );
  });

  it('takes the columns of a foreign table once told, and the example of a kind', async () => {
    const table = file('foreign.csv', 'Hostname;Location;Owner dept\nlum-acc-9;lum;x\n');
    const columns = ['--column', 'Hostname=name', '--column', 'Location=site', '--column', 'Owner dept='];
    expect((await zpine('import', 'device', table)).err).to.contain('no field is called "Hostname"');
    await well('import', 'device', table, ...columns, '--yes');
    expect(await well('import', 'device', table)).to.contain('1 as they were: nothing to do');
    // A box of the example is at home in the demo: nothing in it contradicts itself.
    const boxes = file('box.csv', await well('import', 'box', '--example'));
    expect((await zpine('import', 'box', boxes)).err).not.to.match(/fault/);
    const example = await well('import', 'site', '--example');
    expect(example).to.match(/^code,title,area,/);
    expect((await zpine('import', 'site', file('site.csv', example))).out).to.match(
      /site\.csv: 2 rows, 1 added, 1 edited: not saved yet\n$/,
    );
  });

  it('completes commands, options, keys and selections for the shell', async () => {
    const complete = async (...words: string[]) => (await well('complete', '--', ...words)).split('\n');
    expect(await complete('dev')).to.deep.equal(['device']);
    expect(await complete('device', 'li')).to.deep.equal(['list']);
    expect(await complete('device', 'list', '--whe')).to.deep.equal(['--where']);
    expect(await complete('device', 'show', 'old-sw-')).to.deep.equal(['old-sw-1', 'old-sw-2', 'old-sw-3']);
    expect(await complete('edition', 'make', '--where', "'site=ske du")).to.deep.equal(['site=ske duty=']);
    expect(await complete('device', 'list', '--where', 'label=li')).to.deep.equal(['label=list-1']);
    expect(await complete('import', '--as', 'y')).to.deep.equal(['yaml']);
    expect(await well('completion')).to.contain('complete -F _zpine zpine');
  });
});
