import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { kindNames } from '@zpine/contract/kinds';
import { bootNet, PASSWORD } from '../../ops/stack.ts';
import { refusal, demoService, testService, type TestBench } from '../service.ts';
import { zpineIn } from '../zpine.ts';

describe('imports and exports', () => {
  let demo: TestBench;
  let empty: TestBench;
  before(async function () {
    this.timeout(60_000);
    demo = await demoService(bootNet().env);
    empty = await testService();
  });
  after(async () => {
    await demo.stop();
    await empty.stop();
  });

  const take = (bench: TestBench, body: object) =>
    bench.clients.engineer.call('import.run', { body: { apply: false, columns: {}, ...body } });
  const exported = async (bench: TestBench, query: object = {}) =>
    (await bench.clients.viewer.call('export.run', { query })).text;
  const faultsOf = async (body: object) =>
    (await take(demo, body)).faults.map((f) => `${f.row} ${f.column ?? '-'} ${f.code}`);

  it('give the whole demo out, and take it into an empty database without a difference in any record', async function () {
    this.timeout(60_000);
    const text = await exported(demo);
    const done = await take(empty, { text, apply: true });
    expect(done.faults).to.deep.equal([]);
    expect(done.applied).to.equal(true);
    expect(await exported(empty)).to.equal(text);
    // Built-in records were there already.
    expect(done.counts.same).to.be.greaterThan(5);
    expect(done.counts.add).to.be.greaterThan(150);
  });

  for (const as of ['yaml', 'json', 'csv'] as const) {
    it(`find nothing to change in what was given out as ${as}, for every kind`, async function () {
      this.timeout(60_000);
      for (const kind of kindNames) {
        const text = await exported(demo, { kinds: kind, as });
        const done = await take(demo, { text, kind, ...(as === 'csv' ? {} : { kind: undefined }) });
        if (done.rows === 0) continue;
        expect(done.format, kind).to.equal(as);
        expect(done.faults, kind).to.deep.equal([]);
        expect(done.items, kind).to.deep.equal([]);
        expect(done.counts, kind).to.deep.equal({ add: 0, edit: 0, same: done.rows });
      }
    });
  }

  it('show field by field what would be added, edited and left, and save nothing', async () => {
    const text = 'code;title;area\nard;Ardle Pier;north-line\ncob;Cobbleholm;north-line\nlum;Lumsay;south-line\n';
    const done = await take(demo, { kind: 'site', text });
    expect(done.counts).to.deep.equal({ add: 1, edit: 1, same: 1 });
    expect(done.items[1]).to.deep.include({ row: 4, key: 'lum', action: 'add' });
    expect(done.items[0]).to.deep.equal({
      file: null,
      row: 2,
      kind: 'site',
      key: 'ard',
      action: 'edit',
      changes: [{ field: 'title', before: 'Ardle', after: 'Ardle Pier' }],
    });
    expect((await demo.clients.viewer.show('site', 'ard')).title).to.equal('Ardle');
    expect((await refusal(demo.clients.viewer.show('site', 'lum'))).code).to.equal('not-found');
  });

  it('name every fault with row, column, value and remedy, all at once', async () => {
    const text =
      'name,site,duty,model,rack,U\nske-acc-8,ARDL,access,larkfield/lf-24,,\nske-acc-9,ske,acces,larkfield/lf-24,,\n,ske,access,,,\nske-acc-7,ske,access,,,seven\n';
    const done = await take(demo, { kind: 'device', text, apply: true });
    expect(done.applied).to.equal(false);
    expect(done.faults.map((f) => [f.row, f.column, f.value, f.remedy])).to.deep.include.members([
      [2, 'site', 'ARDL', 'did you mean ard?'],
      [3, 'duty', 'acces', 'did you mean access?'],
      [5, 'U', 'seven', null],
    ]);
    expect(done.faults.some((f) => f.row === 4 && f.column === 'name')).to.equal(true);
  });

  it('do not blame rows for the faults of those that they refer to', async () => {
    const text =
      'site:\n  - { code: new, title: New, area: nowhere }\nroom:\n  - { site: new, name: closet }\n  - { site: neww, name: closet }\n';
    const done = await take(demo, { text });
    expect(done.faults.map((f) => `${f.kind} ${f.row} ${f.column} ${f.code}`)).to.deep.equal([
      'site 1 area ref-unknown',
      'room 2 site ref-unknown',
    ]);
  });

  it('take records that refer to one another in the same text, in any order, but not in a circle', async () => {
    const text = 'area:\n  - { name: inner, parent: outer }\n  - { name: outer }\n';
    expect((await take(demo, { text })).counts.add).to.equal(2);
    const circle = 'area:\n  - { name: one, parent: two }\n  - { name: two, parent: one }\n';
    expect((await take(demo, { text: circle })).faults.map((f) => f.code)).to.deep.equal([
      'import-circle',
      'import-circle',
    ]);
  });

  const bad: [string, object, string[]][] = [
    ['a quote that is never closed', { kind: 'site', text: 'code,title\nabc,"never\n' }, ['2 - import-format']],
    [
      'ragged rows',
      { kind: 'site', text: 'code,title\nabc\nabd,Title,more\n' },
      ['2 - import-ragged', '3 - import-ragged'],
    ],
    ['an unknown column', { kind: 'site', text: 'code,titel\nabc,Title\n' }, ['1 titel import-header']],
    [
      'a column twice',
      { kind: 'site', text: 'code,title,Title\nabc,a,b\n' },
      ['1 title import-header-twice', '1 Title import-header-twice'],
    ],
    ['the same key twice', { kind: 'site', text: 'code,title\nabc,One\nABC ,Two\n' }, ['3 code import-twice']],
    [
      'YAML aliases that explode',
      {
        text: `a: &a [x, x, x, x, x, x, x, x, x]\nb: &b [*a, *a, *a, *a, *a, *a, *a, *a, *a]\nc: &c [*b, *b, *b, *b, *b, *b, *b, *b, *b]\nsite: [*c, *c, *c, *c, *c, *c, *c, *c, *c]\n`,
      },
      ['0 - import-format'],
    ],
    ['a file that was cut off', { text: '{"site": [{"code": "abc", "tit' }, ['0 - import-format']],
    ['no kind', { text: 'code,title\nabc,Title\n' }, ['0 - import-kind']],
    ['an unknown kind', { text: 'sites:\n  - { code: abc }\n' }, ['0 - import-kind-unknown']],
    [
      'an address that says "unassigned"',
      { kind: 'address', text: 'address,description\nunassigned,x\n' },
      ['2 address address-syntax'],
    ],
    [
      'a stage that is not changed by hand',
      { kind: 'device', text: 'name,stage\nard-acc-1,retired\n' },
      ['2 stage field-by-verb'],
    ],
    ['nothing at all', { kind: 'site', text: 'code,title\n' }, ['0 - import-empty']],
  ];
  for (const [what, body, expected] of bad) {
    it(`refuse ${what}`, async () => {
      const found = await faultsOf(body);
      expect(found).to.deep.equal(expected);
    });
  }

  it('take columns under other names, when told', async () => {
    const text = 'Serial No.\tHardware\tRoom no.\nX-1\tlarkfield/lf-24\t7\n';
    const columns = { 'Serial No.': 'serial', Hardware: 'model', 'Room no.': null };
    const done = await take(demo, { kind: 'box', text, columns, apply: true });
    expect(done.faults).to.deep.equal([]);
    expect(done.items[0]?.key).to.equal('x-1');
    expect(done.heads).to.deep.equal([
      { column: 'Serial No.', field: 'serial', remembered: false },
      { column: 'Hardware', field: 'model', remembered: false },
      { column: 'Room no.', field: null, remembered: false },
    ]);
    // The next table of the kind is understood without a word.
    const again = await take(demo, { kind: 'box', text: text.replace('X-1', 'X-2') });
    expect(again.faults).to.deep.equal([]);
    expect(again.heads.map((head) => [head.field, head.remembered])).to.deep.equal([
      ['serial', true],
      ['model', true],
      [null, true],
    ]);
  });

  it('put a tick before what a spreadsheet would run, and take it off again', async () => {
    await demo.clients.engineer.add('owner', { name: 'formula', title: '=1+1', note: '-x' });
    const text = await exported(demo, { kinds: 'owner', as: 'csv' });
    expect(text).to.contain("formula,'=1+1,'-x");
    expect((await take(demo, { kind: 'owner', text })).items).to.deep.equal([]);
    await demo.clients.engineer.remove('owner', 'formula');
  });

  it('are for engineers, and exports for everybody', async () => {
    expect(
      (await refusal(demo.clients.installer.call('import.run', { body: { text: 'x', kind: 'site' } }))).code,
    ).to.equal('role-insufficient');
  });

  describe('on the command line', () => {
    const home = mkdtempSync(join(tmpdir(), 'zpine-cli-'));
    const { zpineWith, zpine, well } = zpineIn(home);
    before(async () => {
      expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', demo.url, '--user', 'engineer')).status).to.equal(0);
    });
    after(() => rmSync(home, { recursive: true, force: true }));

    it('say what they would do, refuse with every fault, and save with --yes', async () => {
      const file = join(home, 'landings.csv');
      writeFileSync(file, 'name,site,duty\nske-acc-8,ARDL,access\nske-acc-9,ske,access\n');
      const refused = await zpine('import', 'device', file);
      expect(refused.status).to.equal(1);
      expect(refused.err).to.equal(
        'landings.csv: 2 rows, 1 fault, refused: nothing saved\n  row 2  device  site  "ARDL"  there is no site "ARDL"; did you mean ard?\n',
      );
      writeFileSync(file, 'name,site,duty\nske-acc-8,ske,access\nske-acc-9,ske,access\n');
      expect(await well('import', 'device', file, '--yes', '--reason', 'two more')).to.match(
        /add +device +ske-acc-9 +name ske-acc-9, duty access, site ske.*\nlandings\.csv: 2 rows, 2 added: saved$/,
      );
      expect(await well('import', 'device', file)).to.equal('landings.csv: 2 rows, 2 as they were: nothing to do');
    });

    it('read what spreadsheets write: a mark at the beginning, semicolons, another encoding', async () => {
      const file = join(home, 'windows.csv');
      writeFileSync(file, Buffer.from('code;title\r\nold;Gr\u00fcnau\r\n', 'latin1'));
      const { out, err } = await zpine('import', 'site', file, '--yes');
      expect(err).to.contain('not UTF-8; read as Windows-1252');
      expect(out).to.contain('title Grünau');
      writeFileSync(file, '\uFEFFcode;title\r\nold;Neuau\r\n');
      expect(await well('import', 'site', file, '--yes')).to.match(/edit +site +old +title Grünau → Neuau/);
    });

    it('are taken back whole', async () => {
      const history = await well('history', 'site', 'old', '--limit', '1');
      const set = /^#(\d+)/.exec(history)?.[1] ?? '';
      expect(await well('undo', set, '--preview')).to.contain('nothing saved');
      expect(await well('undo', set)).to.contain(`change set #${set} is undone`);
      expect((await demo.clients.viewer.show('site', 'old')).title).to.equal('Grünau');
      expect((await zpine('undo', set)).err).to.contain(`change set ${set} was undone by change set`);
      expect(await well('history', 'site', 'old', '--limit', '2')).to.match(/undoes #\d+[\s\S]*undone by #\d+/);
    });
  });
});
