import { expect } from 'chai';
import fc from 'fast-check';
import { BareLine } from './bareLine.ts';

const text = (bytes: Uint8Array): string => Buffer.from(bytes).toString('latin1');
const hear = (line: BareLine, hex: string) => {
  const { shown, reply } = line.hear(Buffer.from(hex.replace(/ /g, ''), 'hex'));
  return [text(shown), Buffer.from(reply).toString('hex')];
};

describe('a line without encryption (RFC 854)', () => {
  it('lets the other end echo and go on without turns, and says no to the rest', () => {
    // WILL ECHO, WILL SUPPRESS-GO-AHEAD, DO TERMINAL-TYPE (RFC 1091), DO NAWS (RFC 1073), DO SUPPRESS-GO-AHEAD.
    const line = new BareLine();
    expect(hear(line, 'fffb01 fffb03 fffd18 fffd1f fffd03 77686f3a20')).to.deep.equal([
      'who: ',
      'fffd01fffd03fffc18fffc1ffffb03',
    ]);
    // The same once more is not answered again.
    expect(hear(line, 'fffb01 fffd18')).to.deep.equal(['', '']);
  });

  it('takes 255 for itself, leaves out what is negotiated at length, and NULs', () => {
    const line = new BareLine();
    expect(hear(line, '61 ffff 62 fffa18 01 ffff fff0 63 0d00 64')).to.deep.equal(['a\u00ffbc\rd', '']);
    expect(hear(line, 'fff1 65')).to.deep.equal(['e', '']);
  });

  it('types lines as lines end there', () =>
    expect(Buffer.from(new BareLine().typed(Buffer.from([0x61, 0x0a, 0xff]))).toString('hex')).to.equal('610d0affff'));

  it('hears the same, however it comes in pieces', () =>
    fc.assert(
      fc.property(
        fc.array(
          fc.oneof(
            fc.constantFrom([255, 251, 1], [255, 253, 24], [255, 250, 24, 1, 255, 240], [255, 255], [255, 241]),
            fc.array(fc.integer({ min: 1, max: 254 }), { maxLength: 5 }),
          ),
        ),
        fc.array(fc.integer({ min: 1, max: 7 }), { minLength: 1 }),
        (parts, sizes) => {
          const all = Uint8Array.from(parts.flat());
          const whole = new BareLine().hear(all);
          const line = new BareLine();
          const [shown, reply]: [number[], number[]] = [[], []];
          for (let at = 0, i = 0; at < all.length; i += 1) {
            const size = sizes[i % sizes.length] ?? 1;
            const heard = line.hear(all.slice(at, at + size));
            shown.push(...heard.shown);
            reply.push(...heard.reply);
            at += size;
          }
          expect([shown, reply]).to.deep.equal([[...whole.shown], [...whole.reply]]);
        },
      ),
    ));
});
