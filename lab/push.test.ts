/** Random configurations of each dialect, brought to random editions on the simulated devices themselves. */
import { bareFacts } from './facts.ts';
import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { describe, it } from 'mocha';
import fc from 'fast-check';
import { parse } from 'yaml';
import { compareConfig } from '@zpine/core/config/compare';
import type { Intended } from '@zpine/core/config/intended';
import { pushSteps } from '@zpine/core/config/push';
import { dialectFrom, type Dialect } from '@zpine/core/dialect/dialect';
import { dialectSheet } from '@zpine/core/dialect/sheet';
import { commandsOf } from '@zpine/core/fleet/errand';
import { bareFurrow, bareQuill } from './shells.ts';
import { execute, type ShaleMemory } from './shale/commands.ts';

const sheetOf = (name: string): Dialect =>
  dialectFrom(
    name,
    dialectSheet.parse(parse(readFileSync(new URL(`../dialects/${name}.yaml`, import.meta.url), 'utf8'))),
  );

interface Device {
  print: () => string;
  /** Why a command is not taken. */
  say: (command: string) => string | undefined;
}

/** A part with the lines that it has in one configuration. */
interface Part {
  name: string;
  owned: boolean;
  owns?: string[];
  lines: string[];
}

function editionOf(parts: readonly Part[]): Intended {
  let text = '';
  const out = parts.map(({ name, owned, owns, lines }) => {
    const from = text.length;
    text += lines.map((line) => `${line}\n`).join('');
    return { name, owned, ...(owns ? { owns } : {}), from, to: text.length };
  });
  return { text, parts: out };
}

const some = <T>(items: readonly T[], least = 0): fc.Arbitrary<T[]> =>
  fc.shuffledSubarray([...items], { minLength: least });
const maybe = <T>(of: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> => fc.option(of, { nil: undefined });
const block = (head: string, ...lines: (string | number | undefined)[]): string[] => [
  head,
  ...lines.flatMap((line) => (line === undefined ? [] : [`  ${line}`])),
];

const servers = ['10.77.0.5', '10.77.0.6', '10.77.0.7', '10.77.0.8'];
const vlans = [304, 316, 328, 340];

const furrowSocket = fc.record({
  about: maybe(fc.constantFrom('"desk"', '"to the crane"', '"till 4"')),
  lane: maybe(fc.constantFrom(...vlans)),
  lanes: maybe(some(vlans, 1)),
  state: maybe(fc.constantFrom('live', 'still')),
});

/** The way in is by port 1/24 or 1/23, and its parts are always there: what carries it may change places. */
const furrowConfig = fc.record({
  zone: maybe(fc.constantFrom('UTC', 'Europe/London', 'Europe/Oslo')),
  follow: some(servers),
  via: some(servers),
  journal: some(servers),
  alerts: fc.uniqueArray(fc.tuple(fc.constantFrom(...servers), fc.constantFrom('bell', 'buoy')), {
    selector: ([server]) => server,
  }),
  greeting: fc.array(fc.constantFrom('hello', 'staff only', ''), { maxLength: 4 }),
  lanes: some(vlans),
  titles: fc.array(fc.constantFrom('"a"', '"b"'), { minLength: 4, maxLength: 4 }),
  sockets: fc.array(furrowSocket, { minLength: 5, maxLength: 5 }),
  loops: some([1, 2, 3]),
  loopAddresses: fc.shuffledSubarray(['10.77.255.1', '10.77.255.2', '10.77.255.3'], { minLength: 3 }),
  ways: some(['10.80.0.0/16', '10.81.0.0/16']),
  uplink: fc.constantFrom('1/23', '1/24'),
  gateway: fc.constantFrom('10.77.16.1', '10.77.16.2'),
});
type FurrowConfig = typeof furrowConfig extends fc.Arbitrary<infer T> ? T : never;

const furrowParts = (c: FurrowConfig, owned: readonly boolean[], management: boolean): Part[] =>
  [
    {
      name: 'time',
      owns: ['clock '],
      lines: [...(c.zone ? [`clock zone ${c.zone}`] : []), ...c.follow.map((s) => `clock follow ${s}`)],
    },
    { name: 'resolver', lines: c.via.map((s) => `resolve via ${s}`) },
    {
      name: 'logging',
      owns: ['journal to ', 'alert to '],
      lines: [...c.journal.map((s) => `journal to ${s}`), ...c.alerts.map(([s, word]) => `alert to ${s} word ${word}`)],
    },
    {
      name: 'greeting',
      lines: c.greeting.length > 0 ? block('greeting', ...c.greeting.map((l) => `| ${l}`.trimEnd())) : [],
    },
    { name: 'lanes', lines: c.lanes.flatMap((n, i) => block(`lane ${n}`, `title ${c.titles[i] ?? '"x"'}`)) },
    {
      name: 'sockets',
      owns: ['socket 1/1 ', 'socket 1/2 ', 'socket 1/3 ', 'socket 1/4 ', 'socket 1/5 '],
      lines: c.sockets.flatMap((s, i) =>
        block(
          `socket 1/${i + 1}`,
          s.about && `about ${s.about}`,
          s.lane && `lane ${s.lane}`,
          s.lanes && `lanes ${s.lanes.join(',')}`,
          s.state && `state ${s.state}`,
        ),
      ),
    },
    {
      name: 'loops',
      owns: ['face loop '],
      lines: c.loops.flatMap((n, i) => block(`face loop ${n}`, `at ${c.loopAddresses[i] ?? ''}/32`)),
    },
    { name: 'ways', owns: ['way 10.'], lines: c.ways.map((net) => `way ${net} by 10.77.16.9`) },
  ]
    .map((part, i): Part => ({ ...part, owned: owned[i] ?? true }))
    .concat({
      name: 'management',
      owned: management,
      owns: ['account netops', 'face lane 304', 'way 0.0.0.0/0 ', 'shell ', 'socket 1/23 ', 'socket 1/24 '],
      lines: [
        ...block('account netops', 'phrase plain rope', 'rank full'),
        ...block(`socket ${c.uplink}`, 'lanes 304,316', 'state live'),
        ...block(`socket ${c.uplink === '1/23' ? '1/24' : '1/23'}`, 'lane 316', 'state still'),
        ...block('face lane 304', 'at 10.77.16.11/24'),
        `way 0.0.0.0/0 by ${c.gateway}`,
        'shell on',
      ],
    });

const textOf = (parts: readonly Part[]): string => editionOf(parts).text;

/** A shell that says something to a change has not taken it. */
const furrowDevice = (start: string, own: boolean): Device => {
  const { print, say } = bareFurrow(start, own);
  return { print, say: (command) => say(command) || undefined };
};

/** Does a push as the service does it; `look` is called after each command that was taken. */
function push(dialect: Dialect, device: Device, edition: Intended, look: () => void = () => undefined): number {
  const { change } = dialect.sheet;
  const running = device.print();
  const { differences } = compareConfig(edition, running, dialect);
  const way = dialect.wayIn(running);
  const vlan = way.addresses.find((one) => one.address.startsWith('10.77.16.11/'))?.needs;
  const ports = (way.carriers ?? []).flatMap(({ port, vlans: carried }) =>
    carried.includes(vlan ?? '') ? [port] : [],
  );
  const steps = pushSteps(differences, dialect, { vlan, ports });
  if (steps.length === 0) return 0;
  const commands = [
    ...(change?.enter ?? []),
    ...commandsOf(dialect, steps).map(({ command }) => command),
    ...(change?.apply === undefined ? [] : [change.apply]),
    ...(change?.leave ?? []),
  ];
  for (const command of commands) {
    expect(device.say(command), `${command}\n--- on\n${running}\n--- to\n${edition.text}`).to.equal(undefined);
    look();
  }
  return steps.length;
}

/** Brings it there, and looks whether it is there, whether what is nobody's is untouched, and whether a second push finds nothing. */
function proves(dialect: Dialect, device: Device, edition: Intended, look?: () => void): void {
  const before = compareConfig(edition, device.print(), dialect);
  push(dialect, device, edition, look);
  const after = compareConfig(edition, device.print(), dialect);
  expect(after.differences, device.print()).to.deep.equal([]);
  expect([...after.elsewhere].sort()).to.deep.equal([...before.elsewhere].sort());
  expect(push(dialect, device, edition)).to.equal(0);
}

describe('a push', function () {
  this.timeout(60_000);
  const furrow = sheetOf('furrow');
  const owned = fc.array(fc.boolean(), { minLength: 8, maxLength: 8 });

  it('brings an indented device to any edition, line by line, and never cuts the way in', () => {
    fc.assert(
      fc.property(furrowConfig, furrowConfig, owned, fc.boolean(), (from, to, whose, management) => {
        const device = furrowDevice(textOf(furrowParts(from, whose, management)), false);
        const edition = editionOf(furrowParts(to, whose, management));
        proves(furrow, device, edition, () => {
          const way = furrow.wayIn(device.print());
          expect(way.shell, 'SSH').to.equal(true);
          expect(way.users.map(({ name }) => name)).to.include('netops');
          expect(way.addresses.map(({ address }) => address)).to.include('10.77.16.11/24');
          expect(way.gateway, 'the way out').to.be.oneOf([from.gateway, to.gateway]);
          const carry = (way.carriers ?? []).filter(
            ({ port, vlans: v }) => v.includes('304') && !way.still.includes(port),
          );
          expect(carry.length, device.print()).to.be.greaterThan(0);
        });
      }),
      { numRuns: 120 },
    );
  });

  it('brings a device there that writes otherwise: other order, small letters, nothing that is so anyway', () => {
    fc.assert(
      fc.property(furrowConfig, furrowConfig, owned, (from, to, whose) => {
        const device = furrowDevice(textOf(furrowParts(from, whose, true)), true);
        const edition = editionOf(furrowParts(to, whose, true));
        expect(device.print()).not.to.contain('state live');
        proves(furrow, device, edition);
      }),
      { numRuns: 100 },
    );
  });

  const quill = sheetOf('quill');
  const quillConfig = fc.record({
    domain: maybe(fc.constantFrom('brackwater.example', 'Quay.example')),
    servers: some(servers),
    logs: some(servers),
    ports: fc.array(
      fc.record({
        note: maybe(fc.constantFrom('"a"', '"to the crane"')),
        link: maybe(fc.constantFrom('up', 'off')),
        address: maybe(fc.constantFrom('10.77.9.1/24', '10.77.9.2/24')),
        vlan: maybe(fc.constantFrom(3, 4)),
      }),
      { minLength: 4, maxLength: 4 },
    ),
    routes: some(['10.80.0.0/16', '10.81.0.0/16']),
  });
  type QuillConfig = typeof quillConfig extends fc.Arbitrary<infer T> ? T : never;
  const quillParts = (c: QuillConfig, whose: readonly boolean[]): Part[] => {
    const lines: Omit<Part, 'owned'>[] = [
      { name: 'clock', lines: c.servers.map((s) => `clock / server ${s}`) },
      { name: 'log', lines: c.logs.map((s) => `log / server ${s}`) },
      {
        name: 'ports',
        owns: [1, 2, 3, 4].map((n) => `port cu${n}`),
        lines: c.ports.flatMap((p, i) =>
          [
            p.note && `note ${p.note}`,
            p.link && `link ${p.link}`,
            p.address && `${p.vlan ? `vlan ${p.vlan} / ` : ''}address ${p.address.replace('.9.', `.${20 + i}.`)}`,
          ].flatMap((line) => (line ? [`port cu${i + 1} / ${line}`] : [])),
        ),
      },
      { name: 'routes', owns: ['route 10.'], lines: c.routes.map((net) => `route ${net} / by 10.77.0.1`) },
      { name: 'names', owns: ['host / domain '], lines: c.domain ? [`host / domain ${c.domain}`] : [] },
    ];
    return [
      ...lines.map((part, i) => ({ ...part, owned: whose[i] ?? true })),
      {
        name: 'management',
        owned: true,
        owns: ['account netops', 'port self0', 'route 0.0.0.0/0', 'door', 'host / name '],
        lines: [
          'host / name quay',
          'account netops / word plain rope',
          'port self0 / address 10.77.16.11/32',
          'route 0.0.0.0/0 / by 10.77.0.1',
          'door / ssh on',
        ],
      },
    ];
  };
  it('brings a draft of blocks in brackets to any edition, and puts it in force as a whole', () => {
    fc.assert(
      fc.property(quillConfig, quillConfig, owned, (from, to, whose) => {
        const { print, say } = bareQuill(textOf(quillParts(from, whose)));
        const device: Device = {
          print,
          say: (command) => {
            const reply = say(command);
            return /^(unfit|no such)/.test(reply) ? reply : undefined;
          },
        };
        proves(quill, device, editionOf(quillParts(to, whose)));
      }),
      { numRuns: 100 },
    );
  });

  const shale = sheetOf('shale');
  const shaleConfig = fc.record({
    zone: maybe(fc.constantFrom('UTC', 'Europe/London')),
    ntp: some(servers),
    dns: some(servers),
    logs: some(servers),
    ports: fc.array(maybe(fc.constantFrom('up', 'down')), { minLength: 4, maxLength: 4 }),
    addresses: fc.shuffledSubarray(['10.77.30.1/24', '10.77.31.1/24', '10.77.32.1/24']),
  });
  type ShaleConfig = typeof shaleConfig extends fc.Arbitrary<infer T> ? T : never;
  const shaleParts = (c: ShaleConfig, whose: readonly boolean[]): Part[] => {
    const lines: Omit<Part, 'owned'>[] = [
      {
        name: 'time',
        owns: ['zone ', 'ntp '],
        lines: [...(c.zone ? [`zone ${c.zone}`] : []), ...c.ntp.map((s) => `ntp ${s}`)],
      },
      { name: 'names', lines: c.dns.map((s) => `dns ${s}`) },
      { name: 'log', lines: c.logs.map((s) => `log ${s}`) },
      { name: 'ports', lines: c.ports.flatMap((state, i) => (state ? [`port front${i + 1} ${state}`] : [])) },
      { name: 'addresses', owns: ['address front'], lines: c.addresses.map((a, i) => `address front${i + 1} ${a}`) },
    ];
    return [
      ...lines.map((part, i) => ({ ...part, owned: whose[i] ?? true })),
      {
        name: 'management',
        owned: true,
        owns: ['user netops ', 'address eth0 ', 'route 0.0.0.0/0 ', 'host '],
        lines: ['host quay', 'user netops word rope', 'address eth0 10.77.16.11/24', 'route 0.0.0.0/0 10.77.16.1'],
      },
    ];
  };
  it('brings flat lines of a shell to any edition', () => {
    fc.assert(
      fc.property(shaleConfig, shaleConfig, owned, (from, to, whose) => {
        const memory: ShaleMemory = {
          running: textOf(shaleParts(from, whose)).trimEnd().split('\n'),
          stored: [],
          licence: '',
        };
        const device: Device = {
          print: () => `${memory.running.join('\n')}\n`,
          say: (command) => {
            const { wrong, status } = execute(command, {
              memory,
              about: () => ({}),
              facts: bareFacts(),
              hears: () => [],
              files: new Map(),
              fileFaults: { full: () => false, loses: () => false },
              note: () => undefined,
              keep: () => undefined,
              reboot: () => undefined,
              fault: () => undefined,
              changed: () => false,
              guard: () => undefined,
            });
            return status === 0 ? undefined : wrong;
          },
        };
        proves(shale, device, editionOf(shaleParts(to, whose)));
      }),
      { numRuns: 100 },
    );
  });
});
