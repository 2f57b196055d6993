import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { describe, it } from 'mocha';
import { parse } from 'yaml';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { effectsOf, type Answers, type EffectsLook } from './effects.ts';
import { stepsOf } from './errandSteps.ts';

const furrow = dialectFrom(
  'furrow',
  dialectSheet.parse(parse(readFileSync(new URL('../../dialects/furrow.yaml', import.meta.url), 'utf8'))),
);

const before = 'socket 1/1\n  state live\nsocket 1/2\n  state still\nface lane 304\n  at 10.77.16.11/24\n';
const answers = (states: Record<string, string>, more: Partial<Answers> = {}): Answers => ({
  interfaces: Object.entries(states).map(([name, state]) => ({ interface: name, state })),
  neighbours: [],
  macs: [],
  ...more,
});

/** What lines come to, by what the device says before and after them. */
function effects(lines: string, after: string, was: Answers, is: Answers, more: Partial<EffectsLook> = {}) {
  return effectsOf({
    dialect: furrow,
    steps: stepsOf(furrow, lines, before),
    before,
    after,
    was,
    is,
    cabled: [],
    ...more,
  });
}
const opened = before.replace('state still', 'state live');
const open = 'socket 1/2\n  state live\n';

describe('the effect of a change', () => {
  const live = answers({ 'socket 1/1': 'up', 'socket 1/2': 'off' });
  it('is there when a port comes up that was opened, and somebody is heard behind its cable', () => {
    const is = answers(
      { 'socket 1/1': 'up', 'socket 1/2': 'up' },
      { macs: [{ interface: '1/2', mac: '02:00:00:00:00:01' }] },
    );
    expect(effects(open, opened, live, is, { cabled: ['socket 1/2'] })).to.deep.equal({ dark: [], remarks: [] });
  });
  it('is missing when a port with a cable stays dark, has nobody behind it, or is not there at all', () => {
    const dark = (state: string | undefined) =>
      effects(open, opened, live, answers({ 'socket 1/1': 'up', ...(state ? { 'socket 1/2': state } : {}) }), {
        cabled: ['socket 1/2'],
      }).dark;
    expect(dark('down')).to.deep.equal([
      'socket 1/2 is live in the lines, and dark on the device: its state is down: no link',
    ]);
    expect(dark('up')).to.deep.equal(['socket 1/2 is live, with link, and nobody is heard on it']);
    expect(dark(undefined)).to.deep.equal([
      'socket 1/2 is live in the lines, and dark on the device: the device does not have it',
    ]);
  });
  it('is only a remark where nothing is known to be plugged', () => {
    const is = answers({ 'socket 1/1': 'up', 'socket 1/2': 'down' });
    expect(effects(open, opened, live, is)).to.deep.equal({ dark: [], remarks: ['socket 1/2 has no link yet'] });
  });
  it('is none on ports that are shut in the lines, and on those that nothing was done to', () => {
    const is = answers({ 'socket 1/1': 'down', 'socket 1/2': 'off' });
    expect(effects('socket 1/2\n  about "x"\n', before, live, is).dark).to.deep.equal([]);
    expect(
      effects('socket 1/1\n  state still\n', before.replace('state live', 'state still'), live, is).dark,
    ).to.deep.equal([]);
  });
  it('is bad where a port was live and is dark now, cable or not', () => {
    const is = answers({ 'socket 1/1': 'down', 'socket 1/2': 'off' });
    expect(effects('socket 1/1\n  lane 316\n', `${before}`, live, is).dark).to.deep.equal([
      'socket 1/1 was live before, and is dark now: its state is down: no link',
    ]);
  });
  it('says which address no interface has, and which is on a dark one', () => {
    const after = `${before}face lane 316\n  at 10.77.17.1/24\n`;
    const lines = 'face lane 316\n  at 10.77.17.1/24\n';
    expect(effects(lines, after, live, live).dark).to.deep.equal([
      '10.77.17.1/24 is in the lines of lane 316, and no interface of the device has it',
    ]);
    const dark = {
      interfaces: [{ interface: 'lane 316', state: 'down', address: '10.77.17.1/24' }],
      neighbours: [],
      macs: [],
    };
    expect(effects(lines, after, live, dark).dark).to.deep.equal([
      '10.77.17.1/24 is on lane 316, which is dark: VLAN 316 is on no port',
    ]);
    const carried = `${after}socket 1/2\n  lanes 304,316\n`;
    const ports = { ...dark, interfaces: [...dark.interfaces, { interface: 'socket 1/2', state: 'down' }] };
    expect(effects(lines, carried, live, ports).dark).to.deep.equal([
      '10.77.17.1/24 is on lane 316, which is dark: VLAN 316 is on no live port: 1/2',
    ]);
    const up = { ...dark, interfaces: [...dark.interfaces, { interface: 'socket 1/2', state: 'up' }] };
    expect(effects(lines, carried, live, up).dark).to.deep.equal([
      '10.77.17.1/24 is on lane 316, which is dark: its state is down',
    ]);
  });
  it('says what a dark sub-interface sits on, and which address is there twice', () => {
    const quill = dialectFrom(
      'quill',
      dialectSheet.parse(parse(readFileSync(new URL('../../dialects/quill.yaml', import.meta.url), 'utf8'))),
    );
    const was = 'port cu2 [\n  link up\n]\n';
    const to = (link: string) => `port cu2 [\n  link ${link}\n]\nport cu2 / vlan 316 / address 10.77.17.1/24\n`;
    const look = (link: string, states: Record<string, string>, more: Partial<Answers> = {}) =>
      effectsOf({
        dialect: quill,
        steps: stepsOf(quill, 'port cu2 / vlan 316 / address 10.77.17.1/24\n', was),
        before: was,
        after: to(link),
        was: answers({ cu2: 'up' }),
        is: {
          ...answers(states, more),
          interfaces: Object.entries(states).map(([name, state]) => ({
            interface: name,
            state,
            ...(name === 'cu2.316' ? { address: '10.77.17.1/24' } : {}),
          })),
        },
        cabled: [],
      }).dark;
    expect(look('off', { cu2: 'off', 'cu2.316': 'down' })).to.include(
      '10.77.17.1/24 is on cu2.316, which is dark: it sits on cu2, which is shut in the lines',
    );
    expect(look('up', { cu2: 'down', 'cu2.316': 'down' })).to.include(
      '10.77.17.1/24 is on cu2.316, which is dark: it sits on cu2, which is dark: its state is down',
    );
    const pairs = [{ address: '10.77.17.1', mac: '02:00:00:00:00:09' }];
    expect(look('up', { cu2: 'up', 'cu2.316': 'up' }, { pairs })).to.deep.equal([
      '10.77.17.1/24 is there twice: 02:00:00:00:00:09 has it, too',
    ]);
  });
  it('names neighbours that are not heard any more, unless their port was shut', () => {
    const heard = { ...live, neighbours: [{ interface: '1/1', neighbour: 'har-xr-7', port: 'cu1' }] };
    expect(effects('socket 1/1\n  lane 316\n', before, heard, live).dark).to.deep.equal([
      'har-xr-7 cu1 was heard on 1/1, and is not any more',
    ]);
    expect(
      effects('socket 1/1\n  state still\n', before.replace('state live', 'state still'), heard, live).dark,
    ).to.deep.equal([]);
  });
});
