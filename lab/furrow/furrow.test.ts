import { expect } from 'chai';
import { describe, it } from 'mocha';
import { Memory } from './memory.ts';
import { bareFacts } from '../facts.ts';
import { Shell } from './shell.ts';

const memory = () => new Memory({ model: 'LF-24', sockets: { 1: 24 } });

describe('the memory of a Furrow switch', () => {
  it('takes a file and prints it as it was', () => {
    const text =
      'name a\ngreeting\n  | hello\n\naccount zpine\n  phrase plain x\n  rank full\nsocket 1/1\n  lanes 304,316\n  state live\n';
    const m = memory();
    expect(m.load(text)).to.deep.equal([]);
    expect(m.print()).to.equal(text.replace('\n\n', '\n'));
  });
  it('turns down what it does not understand, and takes the rest', () => {
    const m = memory();
    const rejected = m.load(
      'nmae a\nsocket 1/25\n  state live\nlane 5000\nclock follow 10.77.0.999\nname b\n  state live\n',
    );
    expect(rejected.map((r) => `${r.line}: ${r.why}`)).to.deep.equal([
      'nmae a: not understood',
      'socket 1/25: LF-24 has sockets 1/1 to 1/24',
      'lane 5000: lanes go from 1 to 4094',
      'clock follow 10.77.0.999: that is no address',
      'state live: "name b" begins no block',
    ]);
    expect(m.print()).to.equal('name b\n');
  });
  it('puts the new line of a single kind in the place of the old', () => {
    const m = memory();
    m.load('name a\nclock follow 10.77.0.5\nclock follow 10.77.0.6\nname b\nsocket 1/1\n  state live\n  state still\n');
    expect(m.print()).to.equal('name b\nclock follow 10.77.0.5\nclock follow 10.77.0.6\nsocket 1/1\n  state still\n');
  });
});

describe('the shell of a Furrow switch', () => {
  function shell() {
    const m = memory();
    m.load('name quay\nsocket 1/1\n  state live\n');
    let kept = '';
    const s = new Shell({
      memory: m,
      shown: (text) => text,
      about: () => 'model LF-24\n',
      tell: () => undefined,
      full: true,
      fault: () => undefined,
      starting: () => false,
      kept: () => kept,
      keep: () => void (kept = m.print()),
      restart: () => undefined,
      changed: () => false,
      prompt: (name) => name,
      erase: () => void (kept = ''),
      facts: bareFacts(),
    });
    return { m, s };
  }
  it('changes what runs line by line, in blocks, and strikes lines out', () => {
    const { m, s } = shell();
    expect(s.prompt()).to.equal('quay: ');
    s.line('plough');
    expect(s.prompt()).to.equal('quay/plough: ');
    for (const line of [
      'socket 1/2',
      'state live',
      'socket 1/1',
      'strike state live',
      'state still',
      'up',
      'name pier',
      'rest',
    ])
      expect(s.line(line), line).to.equal('');
    expect(m.print()).to.equal('name pier\nsocket 1/1\n  state still\nsocket 1/2\n  state live\n');
    expect(s.prompt()).to.equal('pier: ');
  });
  it('says what it does not take', () => {
    const { s } = shell();
    expect(s.line('make coffee')).to.equal('not understood: make coffee\n');
    s.line('plough');
    expect(s.line('socket 1/99')).to.match(/^not taken: LF-24 has sockets/);
    expect(s.line('strike lane 7')).to.match(/^not taken: there is no "lane 7" here/);
  });
  it('keeps when it is told, and shows both', () => {
    const { m, s } = shell();
    expect(s.line('tell kept')).to.equal('');
    expect(s.line('keep')).to.equal('kept\n');
    expect(s.line('tell kept')).to.equal(m.print());
    expect(s.line('leave')).to.equal(undefined);
  });
});
