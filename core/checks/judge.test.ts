import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { parse } from 'yaml';
import { dialectFrom } from '../dialect/dialect.ts';
import { dialectSheet } from '../dialect/sheet.ts';
import { compileTemplate } from '../template/compile.ts';
import { parseTemplate } from '../template/parse.ts';
import { render } from '../template/render.ts';
import type { Val } from '../template/values.ts';
import { answerRows, carriedIn, configFacts } from './facts.ts';
import { judged, MOST_FINDINGS, usesOf, type Judged } from './judge.ts';

const shipped = (name: string) =>
  dialectFrom(
    name,
    dialectSheet.parse(parse(readFileSync(new URL(`../../dialects/${name}.yaml`, import.meta.url), 'utf8'))),
  );
const uses = (source: string) => usesOf(parseTemplate('check', source).template);
const host = { sha256: (text: string) => text, sha512crypt: (text: string) => text };

function judge(source: string, data: Record<string, Val>, missing: string[] = []): Judged {
  const compiled = compileTemplate('check', source, () => undefined);
  return judged(() => render(compiled, { data, secrets: {}, trace: false, host })[0]?.text ?? '', missing);
}

describe('judging a check', () => {
  it('holds when nothing comes out, and finds every line that does, each once', () => {
    expect(judge('@if false\nx\n@end\n', {})).to.deep.equal({ state: 'holds', findings: [], why: '' });
    expect(judge('  one\n\ntwo\none\n', {})).to.deep.equal({ state: 'broken', findings: ['one', 'two'], why: '' });
  });

  it('does not say that it holds where something is missing, fails, or is required in vain', () => {
    expect(judge('', {}, ['nothing was captured', 'nobody answered'])).to.deep.equal({
      state: 'unknown',
      findings: [],
      why: 'nothing was captured; nobody answered',
    });
    expect(judge('@require x, "no x"\n', { x: null })).to.deep.include({ state: 'unknown', why: 'no x' });
    const failing = judge('a\n@for y of x\nb\n@end\n', { x: null });
    expect(failing.state).to.equal('unknown');
    expect(failing.why).to.match(/^line 2: /);
    expect(failing.findings).to.deep.equal([]);
  });

  it('keeps so many findings, and counts the rest', () => {
    const { findings } = judge('@for n of range(1, 300)\nport @{n}\n@end\n', {});
    expect(findings).to.have.length(MOST_FINDINGS + 1);
    expect(findings.at(-1)).to.equal('and 100 more');
  });

  it('knows by the text alone what it asks for, branches that are never taken too', () => {
    expect(
      uses(
        '@if false\n@{stored.text}\n@end\n@for r of answers.arp where answers["macs"]\n@{factory.user ?? answers?.time}\n@end\n',
      ),
    ).to.deep.equal({
      running: true,
      stored: true,
      factory: true,
      carried: false,
      questions: ['arp', 'macs', 'time'],
      unnamed: undefined,
    });
    expect(uses('@let running_ = set.x\nrunning and stored as words\n')).to.deep.include({
      running: false,
      stored: false,
      questions: [],
    });
    expect(uses('x\n@for q, rows of answers\n@end\n').unnamed?.line).to.equal(2);
    expect(uses('@{answers[device.name]}\n').unnamed?.line).to.equal(1);
    expect(uses('@for way of carried\n@end\n')).to.include({ carried: true, running: true });
  });
});

describe('what a check sees of a device', () => {
  const text = [
    'shell on',
    'bare on',
    'socket 1/1',
    '  lanes 304,316',
    'socket 1/2',
    '  lane 316',
    'socket 1/1',
    '  lane 328',
    '',
  ].join('\n');

  it('has lines with their blocks, other ways in, and what ports carry', () => {
    const furrow = shipped('furrow');
    const facts = configFacts(furrow, { text, at: '2026-11-28T06:00:00.000Z' });
    expect(facts.lines).to.include('socket 1/1 / lanes 304,316');
    expect(facts.doors).to.deep.equal(['bare on']);
    expect(facts.carries).to.deep.equal([
      { port: '1/1', vlans: [304, 316, 328] },
      { port: '1/2', vlans: [316] },
    ]);
    expect([
      ...(carriedIn(shipped('quill'), 'port cu1 {\n vlan 304 {\n address 10.77.0.1/24\n }\n}\n') ?? []),
    ]).to.be.an('array');
  });

  it('does not take what a sheet never tells for an answer', () => {
    const facts = configFacts(shipped('shale'), { text: 'host a\n', at: '' });
    expect(facts.doors).to.equal(null);
    expect(facts.carries).to.equal(null);
  });

  it('gives rows all their fields, the name that the records have, and whether they are live', () => {
    const rows = answerRows(
      shipped('furrow'),
      'interfaces',
      [
        { interface: 'socket 1/3', state: 'up' },
        { interface: 'lane 304', state: 'down', address: '10.77.16.11/24' },
        { interface: 'socket 9/9', state: 'still' },
      ],
      ['1/3', 'vlan304'],
    );
    expect(rows).to.deep.equal([
      { interface: 'socket 1/3', state: 'up', address: null, name: '1/3', live: true },
      { interface: 'lane 304', state: 'down', address: '10.77.16.11/24', name: 'vlan304', live: false },
      { interface: 'socket 9/9', state: 'still', address: null, name: null, live: false },
    ]);
    expect(answerRows(shipped('furrow'), 'arp', [{ address: '10.77.0.1', mac: 'x', interface: '1/3' }], ['1/3']))
      .to.deep // the bare name of a port is known, too
      .equal([{ address: '10.77.0.1', mac: 'x', interface: '1/3', name: '1/3' }]);
  });
});
