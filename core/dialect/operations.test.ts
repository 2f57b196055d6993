import { expect } from 'chai';
import fc from 'fast-check';
import { blankFaults, blankValues, filledIn, filledPattern, type Blanks } from './blanks.ts';
import { operationFaults, operationSchema, unproved } from './operations.ts';

const blanks: Blanks = {
  port: { is: 'port' },
  address: { is: 'address' },
  count: { is: 'number', least: 1, most: 9, usual: '3' },
  speed: { is: 'word', of: ['slow', 'fast'], usual: 'fast' },
  about: { is: 'text', usual: '' },
  time: { is: 'moment', usual: 'now' },
};
const how = { portName: (name: string) => `socket ${name}`, now: new Date('2026-11-27T10:02:11Z') };

describe('blanks', () => {
  it('tells all that is missing, unknown or unfit, each by its name', () => {
    const faults = blankFaults(blanks, {
      adress: '10.77.0.1',
      count: '10',
      speed: 'quick',
      time: 'noon',
      port: '; reboot',
    });
    expect(faults.map(({ code, blank }) => `${blank} ${code}`)).to.deep.equal([
      'adress blank-unknown',
      'port blank-unfit',
      'address blank-missing',
      'count blank-unfit',
      'speed blank-unfit',
      'about blank-missing',
      'time blank-unfit',
    ]);
    expect(faults[0]?.params.meant).to.equal('address');
  });

  it('become what stands in a command: ports by the name of the device, addresses and moments in one way', () => {
    const given = { port: '1/2', address: '2001:DB8:0::1', about: 'x', time: '2026-11-27T10:02Z' };
    expect(blankFaults(blanks, given)).to.deep.equal([]);
    expect(blankValues(blanks, given, how)).to.deep.equal({
      port: 'socket 1/2',
      address: '2001:db8::1',
      count: '3',
      speed: 'fast',
      about: 'x',
      time: '2026-11-27 10:02:00',
    });
    expect(blankValues(blanks, { ...given, time: 'now' }, how).time).to.equal('2026-11-27 10:02:11');
  });

  it('are one word of a shell, whatever stands in them', () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, maxLength: 40 }), (value) => {
        const command = filledIn('say {about}', { about: value }, true);
        // What a shell makes of it (POSIX, section 2.2): quotes go, and all between them stands for itself.
        const word = command.slice('say '.length);
        const read = word.startsWith("'") ? word.slice(1, -1).replaceAll("'\\''", "'") : word;
        expect(read).to.equal(value);
        if (!word.startsWith("'")) expect(word).to.match(/^[A-Za-z0-9._:/@%+,=-]+$/);
      }),
    );
  });

  it('stand for themselves in a pattern', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 20 }), (value) => {
        expect(new RegExp(`^${filledPattern('{about}', { about: value })}$`).test(value)).to.equal(true);
      }),
    );
    expect(new RegExp(filledPattern('^it is {about}$', { about: '1.2' })).test('it is 1x2')).to.equal(false);
  });
});

describe('operations of a sheet', () => {
  const read = (more: object) =>
    operationSchema.parse({
      title: 'Try',
      commands: ['try {address}'],
      blanks: { address: { is: 'address' } },
      ...more,
    });

  it('are checked as far as a schema cannot: holes, patterns, questions, ports, names of their own', () => {
    const operations = {
      restart: read({}),
      good: read({ succeeds: '^{address} is there$' }),
      bad: read({
        commands: ['try {adress}'],
        succeeds: '(',
        touches: 'address',
        hostKey: '^key$',
        proves: { question: 'keys' },
      }),
    };
    expect(
      operationFaults({ questions: {}, operations }).map(({ path, message }) => `${path.join('.')}: ${message}`),
    ).to.deep.equal([
      'operations.restart: restart is a key of its own in a sheet',
      'operations.bad.commands.0: there is no blank {adress}',
      'operations.bad.succeeds: no pattern: missing closing ): `(`',
      'operations.bad.hostKey: it has no part named fingerprint: (?<fingerprint>...)',
      'operations.bad.touches: "address" is not a blank for a port',
      'operations.bad.proves.question: there is no question keys',
    ]);
  });

  it('are proved by a row that is as it has to be, as before, or another than before', () => {
    const { proves } = read({
      proves: {
        question: 'faces',
        row: { interface: '{port}' },
        is: { errors: '^0$' },
        asBefore: ['state'],
        changes: ['since'],
      },
    });
    if (!proves) throw new Error('it has one');
    const values = { port: 'socket 1/2' };
    const row = (state: string, errors: string, since: string) => [{ interface: 'socket 1/2', state, errors, since }];
    const wrong = (after: Record<string, string>[]) =>
      unproved(proves, { before: row('up', '7', '10:02'), after, values });
    expect(wrong(row('up', '0', '10:05'))).to.deep.equal([]);
    expect(wrong(row('down', '7', '10:02'))).to.deep.equal([
      'errors is "7"',
      'state is "down", and was "up"',
      'since is "10:02", as before',
    ]);
    const unseen = unproved(proves, { before: [], after: row('up', '0', '10:05'), values });
    expect(unseen).to.deep.equal(['nothing was told of state before']);
    expect(wrong([{ interface: 'socket 1/3' }])).to.deep.equal(['the answer to faces has nothing about socket 1/2']);
  });
});
