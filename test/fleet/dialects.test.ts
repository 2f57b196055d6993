/** The sheets that ship, sheets of one's own, and what is wrong with them. */
import { bareFurrow, bareQuill, type Bare } from '@zpine/lab/shells';
import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { filledIn, sampleValues } from '@zpine/core/dialect/blanks';
import fc from 'fast-check';
import { applied } from '@zpine/core/config/applied';
import { walk, type ConfigLine } from '@zpine/core/config/tree';
import { commandsOf, inverseLines } from '@zpine/core/fleet/errand';
import { stepsOf } from '@zpine/core/fleet/errandSteps';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { dialectFrom } from '@zpine/core/dialect/dialect';
import { Dialects, readSheet } from '../../service/store/dialects.ts';
import { acquainted, fleet, settled, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';

const shelf = new Dialects();
const known = (name: string): Dialect => {
  const dialect = shelf.of(name, null);
  if (!dialect) throw new Error(`no sheet ${name}`);
  return dialect;
};

describe('the sheets that ship', () => {
  it('can be read, and ask only by commands that read', () => {
    expect([...shelf.shipped.keys()]).to.deep.equal(['furrow', 'quill', 'shale']);
    for (const [name, text] of shelf.shipped) {
      expect(readSheet(text).faults, name).to.deep.equal([]);
      const { sheet, isRead } = known(name);
      for (const { command, blanks } of Object.values(sheet.questions)) {
        const said = filledIn(command, sampleValues(blanks), sheet.channel === 'exec');
        expect(isRead(said), said).to.equal(true);
      }
      for (const command of [sheet.keep, ...(sheet.change?.enter ?? []), sheet.restart?.command])
        if (command !== undefined) expect(isRead(command), command).to.equal(false);
    }
  });

  it('read a Furrow edition for the way back in', () => {
    const text =
      'account zpine\n  phrase sealed $6$abc$def\n  key ssh-ed25519 AAAAC3==\n  rank full\nface lane 304\n  at 10.77.16.11/24\nway 0.0.0.0/0 by 10.77.16.1\nshell on\nreport to http://10.77.0.10/life/x\n';
    expect(known('furrow').wayIn(text)).to.deep.equal({
      addresses: [{ on: 'lane 304', address: '10.77.16.11/24', needs: '304' }],
      gateway: '10.77.16.1',
      users: [{ name: 'zpine', password: '$6$abc$def', sealed: true }],
      keys: [{ name: 'zpine', key: 'ssh-ed25519 AAAAC3==' }],
      shell: true,
      callHome: 'http://10.77.0.10/life/x',
      carriers: [],
      still: [],
    });
    expect(known('furrow').wayIn('').shell).to.equal(false);
    expect(known('furrow').interfaceName('vlan304')).to.equal('lane 304');
  });
  it('read a Quill script and a Shale file for it, too', () => {
    const quill =
      'account zpine [\n  word plain hush\n  key ssh-rsa AAAAB3\n]\nport self0 [\n  address 10.77.255.1/32\n]\nport cu2 / vlan 316 / address 10.77.16.2/24\nroute 0.0.0.0/0 [\n  by 10.77.16.1\n]\ndoor / ssh on\n';
    expect(known('quill').wayIn(quill)).to.deep.equal({
      addresses: [
        { on: 'self0', address: '10.77.255.1/32' },
        { on: 'cu2.316', address: '10.77.16.2/24' },
      ],
      gateway: '10.77.16.1',
      users: [{ name: 'zpine', password: 'hush', sealed: false }],
      keys: [{ name: 'zpine', key: 'ssh-rsa AAAAB3' }],
      shell: true,
      callHome: undefined,
      carriers: [{ port: 'cu2', vlans: ['316'] }],
      still: [],
    });
    const shale = known('shale').wayIn(
      'host a\nuser zpine word $6$a$b\nuser zpine key ssh-ed25519 AAAAC3\naddress eth0 10.0.0.1/24\n',
    );
    expect(shale.users[0]?.sealed).to.equal(true);
    expect(shale.keys).to.deep.equal([{ name: 'zpine', key: 'ssh-ed25519 AAAAC3' }]);
  });
  it('mask secrets wherever they stand, and nothing else', () => {
    expect(known('quill').masked('account a [\n  word plain hush\n]\naccount b / word sealed x\n')).to.equal(
      'account a [\n  word plain ••••••\n]\naccount b / word sealed ••••••\n',
    );
    expect(known('shale').masked('user a word hush\nhost word\n')).to.equal('user a word ••••••\nhost word\n');
  });
});

/** Does an errand at a bench as the service does it. */
function carryOut(dialect: Dialect, bench: Bare, lines: string): void {
  const steps = stepsOf(dialect, lines, bench.print());
  const foretold = applied(dialect.parse(bench.print()), steps);
  const { change } = dialect.sheet;
  for (const command of [
    ...(change?.enter ?? []),
    ...commandsOf(dialect, steps).map((one) => one.command),
    ...(change?.apply === undefined ? [] : [change.apply]),
    ...(change?.leave ?? []),
  ])
    expect(dialect.refusal(bench.say(command)), `${command} in\n${lines}\non\n${bench.print()}`).to.equal(undefined);
  expect(stepsOf(dialect, lines, bench.print()).filter((step) => !step.right)).to.deep.equal([]);
  expect(entries(foretold), lines).to.deep.equal(entries(dialect.parse(bench.print())));
}

/** Lines with the blocks around them; blocks by themselves are left out, some dialects keep empty ones. */
const entries = (tree: ConfigLine[]): string[] =>
  [...walk(tree)]
    .filter(({ node, above }) => node.children.length === 0 && above.length > 0)
    .map(({ node, above }) => [...above, node.text].join(' / '))
    .sort();

/** The lines of a configuration without their order. */
const unordered = (dialect: Dialect, text: string): string[] => {
  const out: string[] = [];
  const walk = (nodes: ReturnType<Dialect['parse']>, above: string): void => {
    for (const node of nodes) {
      out.push(`${above}${node.text}`);
      walk(node.children, `${above}${node.text} / `);
    }
  };
  walk(dialect.parse(text), '');
  return out.sort();
};

describe('errands and their way back', () => {
  const sockets = fc.integer({ min: 1, max: 4 });
  const furrowLine = fc.oneof(
    fc.integer({ min: 5, max: 9 }).map((n) => `clock follow 10.77.0.${n}`),
    fc.constantFrom('name a', 'name b', 'clock zone UTC', 'clock zone Europe/London'),
    fc
      .tuple(sockets, fc.constantFrom('state live', 'state still', 'lane 304', 'lane 316', 'about "x"', 'about "y"'))
      .map(([n, line]) => `socket 1/${n}\n  ${line}`),
    fc.tuple(fc.constantFrom(304, 316), fc.constantFrom('a', 'b')).map(([n, t]) => `lane ${n}\n  title "${t}"`),
  );
  const quillLine = fc.oneof(
    fc.integer({ min: 5, max: 9 }).map((n) => `clock / server 10.77.0.${n}`),
    fc
      .tuple(sockets, fc.constantFrom('link up', 'link off', 'note "x"', 'note "y"'))
      .map(([n, line]) => `port cu${n} [\n  ${line}\n]`),
  );
  const away = (line: string): string => {
    const parts = line.split('\n');
    return parts.length === 1 ? `- ${line}` : `${parts[0] ?? ''}\n  - ${(parts[1] ?? '').trim()}`;
  };

  it('lead from any Furrow configuration to the wanted lines and back again', () => {
    const dialect = known('furrow');
    fc.assert(
      fc.property(
        fc.array(furrowLine, { maxLength: 12 }),
        fc.array(furrowLine, { minLength: 1, maxLength: 5 }),
        (had, wanted) => {
          const bench = bareFurrow(had.join('\n'));
          const before = bench.print();
          // Two wishes for one place contradict each other: the last one counts.
          const once = new Map(
            wanted.map((line) => {
              const path = line.split('\n').map((part) => part.trim());
              const head = dialect.singleHead(path);
              return [head === undefined ? line : [...path.slice(0, -1), head].join(' / '), line];
            }),
          );
          carryOut(dialect, bench, [...once.values()].join('\n'));
          const back = inverseLines(dialect, before, bench.print());
          if (back !== '') carryOut(dialect, bench, back);
          expect(unordered(dialect, bench.print())).to.deep.equal(unordered(dialect, before));
        },
      ),
      { numRuns: 200 },
    );
  });
  it('take lines away, and bring them back', () => {
    const dialect = known('furrow');
    fc.assert(
      fc.property(fc.array(furrowLine, { minLength: 1, maxLength: 12 }), fc.nat(11), (had, at) => {
        const bench = bareFurrow(had.join('\n'));
        const before = bench.print();
        carryOut(dialect, bench, away(had[at % had.length] ?? ''));
        const back = inverseLines(dialect, before, bench.print());
        if (back !== '') carryOut(dialect, bench, back);
        expect(unordered(dialect, bench.print())).to.deep.equal(unordered(dialect, before));
      }),
      { numRuns: 200 },
    );
  });
  it('are written with braces where a sheet says so', () => {
    // None of the shipped dialects has braces; a sheet of one's own may.
    const braces = dialectFrom('bracy', { ...known('quill').sheet, blocks: 'brace', comment: '//' });
    const [before, after] = ['clock { server 10.77.0.5; }', 'clock { server 10.77.0.6; zone UTC; }'];
    expect(inverseLines(braces, before, after)).to.equal(
      'clock { - server 10.77.0.6; }\nclock { - zone UTC; }\nclock { server 10.77.0.5; }',
    );
    const commands = commandsOf(braces, stepsOf(braces, inverseLines(braces, before, after), after));
    expect(commands.map(({ command }) => command)).to.deep.equal([
      'blot clock / server 10.77.0.6',
      'blot clock / zone UTC',
      'write clock / server 10.77.0.5',
    ]);
  });
  it('do the same with the drafts of Quill', () => {
    const dialect = known('quill');
    const base = 'account a / word plain x\ndoor / ssh on\n';
    fc.assert(
      fc.property(
        fc.array(quillLine, { maxLength: 10 }),
        fc.array(quillLine, { minLength: 1, maxLength: 4 }),
        (had, wanted) => {
          const bench = bareQuill(base);
          carryOut(
            dialect,
            bench,
            had.filter((line, i) => had.findIndex((o) => o.slice(0, 16) === line.slice(0, 16)) === i).join('\n'),
          );
          const before = bench.print();
          const once = wanted.filter((line, i) => wanted.findIndex((o) => o.slice(0, 16) === line.slice(0, 16)) === i);
          carryOut(dialect, bench, once.join('\n'));
          const back = inverseLines(dialect, before, bench.print());
          if (back !== '') carryOut(dialect, bench, back);
          expect(unordered(dialect, bench.print())).to.deep.equal(unordered(dialect, before));
        },
      ),
      { numRuns: 150 },
    );
  });
});

const OWN = readFileSync('dialects/furrow.yaml', 'utf8').replace('title: Furrow', 'title: Ridge');

describe('a sheet of one’s own', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 1, quill: 0, shale: 0 });
    await acquainted(f.client);
  });
  after(() => f.end());

  it('is checked with the line and column of every fault', async () => {
    const sheet = OWN.replace('blocks: indent', 'blocks: indented')
      .replace("prompt: '^", "prompt: '^(")
      .replace('keep: keep', 'kepe: keep');
    const { faults } = await f.client.call('dialect.check', { body: { sheet } });
    expect(faults.map((fault) => `${fault.line}:${fault.column} ${fault.place}`)).to.deep.equal([
      '5:9 prompt',
      '21:1 kepe',
      '41:9 blocks',
    ]);
    expect(faults[1]?.message).to.equal('unknown key "kepe"; did you mean keep?');
    const broken = await f.client.call('dialect.check', { body: { sheet: 'title: [x\n' } });
    expect(broken.faults[0]?.line).to.be.greaterThan(0);
    const problem = await refusal(f.client.add('dialect', { name: 'ridge', sheet }));
    expect(problem.errors?.[0]?.detail).to.match(/^line 5, column 9: prompt: no pattern/);
  });

  it('cannot hold a pattern that runs for ever, nor one that looks around', async () => {
    const slow = OWN.replace("rows: '^card ", "rows: '^(a+)+(b|a*)*$|^card ");
    const { tried } = await f.client.call('dialect.try', {
      body: { sheet: slow, session: `har-acc-1: tell about\n${'a'.repeat(60)}!\nhar-acc-1: ` },
    });
    expect(tried.find((one) => one.what === 'cards')?.rows).to.deep.equal([]);
    const { faults } = await f.client.call('dialect.check', {
      body: { sheet: OWN.replace("rows: '^card ", "rows: '(?=x)^card ") },
    });
    expect(faults[0]?.message).to.contain('no pattern');
  });

  it('is tried on a recorded session', async () => {
    const session =
      'har-acc-1: tell about\r\nmodel    LF-24\r\nserial   LF24-1\r\nversion  2.4.1\r\nhar-acc-1: tell now\r\nname har-acc-1\r\naccount a\r\n  phrase plain x\r\nhar-acc-1: plough\r\nhar-acc-1/plough: rest\r\nhar-acc-1: coffee\r\nnot understood: coffee\r\nhar-acc-1: ';
    const { tried, unread } = await f.client.call('dialect.try', { body: { sheet: OWN, session } });
    const version = tried.find((one) => one.what === 'version');
    expect(version).to.deep.include({ fits: true, rows: [{ model: 'LF-24', serial: 'LF24-1', version: '2.4.1' }] });
    expect(tried.find((one) => one.what === 'running')?.detail).to.equal(
      '2 lines or blocks at the top, secrets masked',
    );
    expect(tried.find((one) => one.what === 'arp')?.detail).to.equal('not in the session');
    expect(unread).to.deep.equal([
      'plough: is taken for a change',
      'rest: is taken for a change',
      'coffee: refused: coffee',
    ]);
  });

  it('is tried read-only on a device, and then used', async () => {
    const { run } = await f.client.call('dialect.try', { body: { sheet: OWN, device: 'har-acc-1' } });
    const shown = await settled(f.client, { id: run ?? 0 });
    expect(shown.counts).to.deep.equal({ answered: 1 });
    expect(shown.rows[0]?.answers?.find((one) => one.ask === 'version')?.rows[0]?.model).to.equal('LF-24');
    await f.client.add('dialect', { name: 'ridge', sheet: OWN });
    await f.client.edit('device', 'har-acc-1', { dialect: 'ridge' });
    const reached = await settled(f.client, await f.client.call('run.reach', { body: { devices: ['har-acc-1'] } }));
    expect(reached.counts).to.deep.equal({ reached: 1 });
    const { items } = await f.client.call('dialect.shipped', {});
    expect(items.map((one) => `${one.name} ${String(one.entered)}`)).to.deep.equal([
      'furrow true',
      'quill false',
      'shale false',
    ]);
  });
});
