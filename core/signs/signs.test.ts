import { expect } from 'chai';
import fc from 'fast-check';
import { LogStream, readLogLine } from './syslog.ts';
import { snmpVersion, trapOne, trapText, trapTwo } from './traps.ts';

describe('log lines', () => {
  it('are read as the examples of RFC 5424, section 6.5', () => {
    expect(
      readLogLine(
        "<34>1 2003-10-11T22:14:15.003Z mymachine.example.com su - ID47 - \u{feff}'su root' failed for lonvick on /dev/pts/8",
      ),
    ).to.deep.equal({
      severity: 2,
      facility: 4,
      time: '2003-10-11T22:14:15.003Z',
      host: 'mymachine.example.com',
      app: 'su',
      text: "'su root' failed for lonvick on /dev/pts/8",
    });
    expect(
      readLogLine(
        "<165>1 2003-08-24T05:14:15.000003-07:00 192.0.2.1 myproc 8710 - - %% It's time to make the do-nuts.",
      ),
    ).to.include({
      severity: 5,
      facility: 20,
      app: 'myproc',
      text: "%% It's time to make the do-nuts.",
    });
    const both =
      '[exampleSDID@32473 iut="3" eventSource="Application" eventID="1011"][examplePriority@32473 class="high"]';
    expect(readLogLine(`<165>1 2003-10-11T22:14:15.003Z mymachine.example.com evntslog - ID47 ${both}`).text).to.equal(
      '',
    );
    expect(readLogLine(`<165>1 - - - - - [x@1 a="\\]\\"" b="]"] behind it`)).to.deep.equal({
      ...{ severity: 5, facility: 20, time: null, host: null, app: null },
      text: 'behind it',
    });
  });

  it('are read as the examples of RFC 3164, section 5.4, and whatever else comes is text', () => {
    expect(readLogLine("<34>Oct 11 22:14:15 mymachine su: 'su root' failed for lonvick on /dev/pts/8")).to.deep.equal({
      ...{ severity: 2, facility: 4, time: 'Oct 11 22:14:15', host: 'mymachine', app: 'su' },
      text: "'su root' failed for lonvick on /dev/pts/8",
    });
    expect(readLogLine('Use the BFG!')).to.deep.equal({
      ...{ severity: null, facility: null, time: null, host: null, app: null },
      text: 'Use the BFG!',
    });
    expect(readLogLine('<13>Feb  5 17:32:18 10.0.0.99 Use the BFG!')).to.include({
      host: '10.0.0.99',
      text: 'Use the BFG!',
    });
    expect(readLogLine('<192>too much').text).to.equal('<192>too much');
    expect(readLogLine('<13>\u001b]0;owned\u0007 x').text).to.equal(']0;owned  x');
  });

  it('never throw, and never end without end', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 300 }), (text) => {
        for (const one of [text, `<13>1 ${text}`, `<13>1 - - - - - [${text}`]) readLogLine(one);
      }),
    );
  });

  it('come out of a stream however it is cut up, counted or line by line', () => {
    const lines = ['<13>one', '<14>two', '<15>a longer one, the third'];
    fc.assert(
      fc.property(fc.boolean(), fc.array(fc.nat(20), { minLength: 1, maxLength: 20 }), (counted, cuts) => {
        const whole = counted ? lines.map((line) => `${line.length} ${line}`).join('') : `${lines.join('\n')}\n`;
        const stream = new LogStream(100);
        const out: string[] = [];
        let at = 0;
        for (let i = 0; at < whole.length; i += 1) {
          const cut = 1 + (cuts[i % cuts.length] ?? 0);
          out.push(...stream.push(whole.slice(at, (at += cut))));
        }
        expect(out).to.deep.equal(lines);
      }),
    );
  });

  it('leave out what is beyond the longest, and go on behind it', () => {
    const stream = new LogStream(10);
    expect(stream.push('0123456789abc')).to.deep.equal(['0123456789']);
    expect(stream.push('def\nnext\n')).to.deep.equal(['next']);
    expect(stream.push('99999 <13>0123456789abcdef\nlast\n')).to.deep.equal(['99999 <13>', 'last']);
  });
});

describe('traps', () => {
  it('are named as the standards name them, of version 1 and of the others', () => {
    expect(trapText(trapOne('1.3.6.1.4.1.32473', 0, 0, []))).to.equal('coldStart');
    expect(trapText(trapOne('1.3.6.1.4.1.32473.1', 6, 17, []))).to.equal('1.3.6.1.4.1.32473.1.0.17');
    const two = trapTwo([
      { oid: '1.3.6.1.2.1.1.3.0', value: '4711' },
      { oid: '1.3.6.1.6.3.1.1.4.1.0', value: '1.3.6.1.6.3.1.1.5.3' },
      { oid: '1.3.6.1.2.1.2.2.1.2.4', value: 'socket 1/4' },
      { oid: '1.3.6.1.2.1.2.2.1.8.4', value: '2' },
    ]);
    expect(trapText(two)).to.equal('linkDown: interface socket 1/4, state 2');
    expect(trapText(trapTwo([]))).to.equal('a notification without a name');
    expect(trapText({ name: 'x', bindings: [{ oid: '1.2', value: `\u001b[2J${'y'.repeat(200)}` }] })).to.have.length(
      'x: 1.2 '.length + 80,
    );
  });

  it('say their version in their first bytes', () => {
    // RFC 1157: SEQUENCE of 40 bytes, INTEGER 0; with a long form of the length; RFC 3412: INTEGER 3.
    expect(snmpVersion(Uint8Array.of(0x30, 0x28, 0x02, 0x01, 0x00, 0x04))).to.equal(0);
    expect(snmpVersion(Uint8Array.of(0x30, 0x82, 0x01, 0x00, 0x02, 0x01, 0x01))).to.equal(1);
    expect(snmpVersion(Uint8Array.of(0x30, 0x81, 0x80, 0x02, 0x01, 0x03))).to.equal(3);
    expect(snmpVersion(Uint8Array.of(0x31, 0x28))).to.equal(undefined);
    expect(snmpVersion(new Uint8Array(0))).to.equal(undefined);
  });
});
