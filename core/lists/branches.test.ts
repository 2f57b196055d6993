import { expect } from 'chai';
import { parse } from 'yaml';
import { outer, readBranches, readIni, type Branch, type ListTree, type Plain } from './branches.ts';
import { guessMeaning, readGroupMeaning, readMeaning, soundsSecret, wordsOf } from './meanings.ts';

const nobody = () => undefined;
const entries = (all: ListTree['entries']) =>
  all.map(({ word, value }) => `${word}=${JSON.stringify(value)}`).join(' ');
const shown = ({ groups, hosts, entries: whole, faults }: ListTree) => [
  ...[...groups.values()].map((one) =>
    `[${one.name}] in ${[...one.within].join() || '-'}: ${entries(one.entries)}`.trim(),
  ),
  ...[...hosts.values()].map((one) =>
    `${one.name} in ${[...one.groups].join() || '-'}: ${entries(one.entries)}`.trim(),
  ),
  ...(whole.length > 0 ? [`all: ${entries(whole)}`] : []),
  ...faults.map(({ line, code, value }) => `${line} ${code} ${value}`),
];
function branch(value: Plain): Branch {
  if (Array.isArray(value)) return { line: 1, list: value.map(branch) };
  if (typeof value === 'object' && value !== null)
    return { line: 1, map: Object.entries(value).map(([key, held]): [string, Branch] => [key, branch(held)]) };
  return { line: 1, value };
}
const yaml = (text: string, told: Parameters<typeof readBranches>[1] = nobody) =>
  shown(readBranches(branch(parse(text) as Plain), told));

describe('lists of groups in INI', () => {
  it('have hosts with what is said of them, groups in groups, and what holds for a group', () =>
    expect(
      shown(
        readIni(
          `; of the tower
[tower]
old-1 ip=10.91.1.11 enable=up-1  # the first
Old-2 ip = 10.91.1.12
[access:groups]
tower
[access:values]
user = netops
greeting = "two words"
motto='a = b'
`,
          nobody,
        ),
      ),
    ).to.deep.equal([
      '[tower] in access:',
      '[access] in -: user="netops" greeting="two words" motto="a = b"',
      'old-1 in tower: ip="10.91.1.11" enable="up-1"',
      'old-2 in tower: ip="10.91.1.12"',
    ]));

  it('may have a section for each host', () =>
    expect(
      shown(readIni('[old-1]\nip = 10.91.1.11\nuser = netops\n[tower]\nuser = towerops\nold-9\n', nobody)),
    ).to.deep.equal(['[tower] in -: user="towerops"', 'old-1 in -: ip="10.91.1.11" user="netops"', 'old-9 in tower:']));

  it('say what stands in a section by a word that was told', () => {
    const told = (word: string) => (word === 'unter' ? ({ is: 'groups' } as const) : undefined);
    expect(shown(readIni('[tower]\nold-1\n[access unter]\ntower\n', told))).to.deep.equal([
      '[tower] in access:',
      '[access] in -:',
      'old-1 in tower:',
    ]);
  });

  it('name lines that are no host, and groups that go round', () =>
    expect(shown(readIni('[a]\nold-[01:20]\n[a:groups]\nb\n[b:groups]\na\n', nobody))).to.deep.equal([
      '[a] in b:',
      '[b] in a:',
      '2 list-host old-[01:20]',
      '1 list-round a',
      '4 list-round b',
    ]));
});

describe('lists of groups as trees', () => {
  it('are told by their shape', () =>
    expect(
      yaml(`
access:
  user: netops
  tower:
    old-1: { ip: 10.91.1.11, second: up-1 }
    old-2: { ip: 10.91.1.12, login: { user: towerops } }
  quay:
    ntp: [10.77.0.5]
    old-3:
core: [old-9, old-10]
domain: brackwater.example
`),
    ).to.deep.equal([
      '[access] in -: user="netops"',
      '[tower] in access:',
      '[quay] in access: ntp=["10.77.0.5"]',
      '[core] in -:',
      'old-1 in tower: ip="10.91.1.11" second="up-1"',
      'old-2 in tower: ip="10.91.1.12" login.user="towerops"',
      'old-3 in quay:',
      'old-9 in core:',
      'old-10 in core:',
      'all: domain="brackwater.example"',
    ]));

  it('are read as somebody says that they are meant', () => {
    const told = (word: string) =>
      word === 'ntp'
        ? ({ is: 'setting', setting: 'time.servers' } as const)
        : word === 'boxes'
          ? ({ is: 'members' } as const)
          : undefined;
    expect(
      yaml('quay: { ntp: [10.77.0.5], boxes: { old-3: , old-4: { port: 2222 } }, vars: { a: { b: 1 } } }', told),
    ).to.deep.equal(['[quay] in -: ntp=["10.77.0.5"] a.b=1', 'old-3 in quay:', 'old-4 in quay: port=2222']);
  });

  it('may be a list of what each host is', () =>
    expect(yaml('[{ name: old-1, ip: 10.91.1.11 }, { host: 10.91.1.12, user: netops }, old-3]')).to.deep.equal([
      'old-1 in -: ip="10.91.1.11"',
      '10.91.1.12 in -: host="10.91.1.12" user="netops"',
      'old-3 in -:',
    ]));

  it('have groups around a host, the nearest first', () => {
    const tree = readBranches(branch(parse('a: { b: { c: { hosts: [old-1] } } }') as Plain), nobody);
    expect([...outer(tree, [...(tree.hosts.get('old-1')?.groups ?? [])])]).to.deep.equal([
      ['c', 0],
      ['b', 1],
      ['a', 2],
    ]);
  });

  it('end where they are too deep', () =>
    expect(yaml(`${'{a: '.repeat(25)}{x: {y: 1}}${'}'.repeat(25)}`).at(-1)).to.match(/list-deep/));
});

describe('words of lists', () => {
  it('are guessed by what people usually call things, and never for what only ends alike', () => {
    const guessed = (word: string) => guessMeaning(word)?.is;
    expect(
      ['IP', 'ssh_user', 'Switch-Password', 'enable_password', 'ssh port', 'network_os', 'children'].map(guessed),
    ).to.deep.equal(['address', 'user', 'password', 'second', 'port', 'dialect', 'groups']);
    expect(['gateway_ip', 'uplink_port', 'snmp_user', 'vlan', 'ssh_vars'].map(guessed)).to.deep.equal(
      Array(5).fill(undefined),
    );
  });

  it('are said in words that come back', () => {
    for (const text of ['address', 'setting time.servers', 'members', 'nothing'])
      expect(wordsOf(readMeaning(text) ?? { is: 'nothing' })).to.equal(text);
    for (const text of ['', 'addres', 'setting', 'address of']) expect(readMeaning(text), text).to.equal(undefined);
    for (const text of ['label quay', 'site har', 'nothing'])
      expect(wordsOf(readGroupMeaning(text) ?? { is: 'label', of: '' })).to.equal(text);
    expect(readGroupMeaning('site')).to.equal(undefined);
  });

  it('sound like secrets, or not', () => {
    for (const word of [
      'password',
      'enable_secret',
      'snmp_community',
      'api-token',
      'ssh_key',
      'passphrase',
      'admin_pwd',
      'snmp_auth',
      'psk',
      'enable',
    ])
      expect(soundsSecret(word), word).to.equal(true);
    for (const word of ['user', 'port', 'ip', 'monkey', 'keyboard']) expect(soundsSecret(word), word).to.equal(false);
  });
});
