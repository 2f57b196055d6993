import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { decodePacket, encodePacket, type Packet } from './packet.ts';
import { begin, step, type Receiving, type Step } from './receiving.ts';
import { begin as beginSending, step as stepSending } from './sending.ts';

const fileOf = (length: number): Uint8Array => Uint8Array.from({ length }, (_, i) => (i * 37) & 255);
const hex = (bytes: Uint8Array | undefined): string => Buffer.from(bytes ?? []).toString('hex');
const data = (block: number, bytes: Uint8Array): { packet: Packet } => ({ packet: { kind: 'data', block, bytes } });

/** What a line does to a datagram. */
type Fate = 'through' | 'lost' | 'twice' | 'late';

/** A client that writes a file to us over a line with these fates, one after the other, and then a good one. */
function written(file: Uint8Array, options: Record<string, string>, fates: readonly Fate[]) {
  const first = begin({ options }, 1_000_000);
  let [ours, theirs] = [first.state, beginSending({ options }, file.length).state];
  // A client that writes sends its first block when it hears the answer: it stands where a server stands after ACK 0.
  const got: Uint8Array[] = [];
  let ended: Step['ended'];
  let at = 0;
  const line: { to: 'us' | 'them'; bytes: Uint8Array }[] = [];
  const put = (to: 'us' | 'them', bytes: Uint8Array): void => {
    const fate = fates[at++] ?? 'through';
    if (fate === 'lost') return;
    const one = { to, bytes };
    if (fate === 'late') line.push(one);
    else line.unshift(...(fate === 'twice' ? [one, one] : [one]));
  };
  for (const bytes of first.send) put('them', bytes);
  for (let turns = 0; turns < 5000 && theirs.phase !== 'done' && theirs.phase !== 'failed'; turns += 1) {
    const next = line.pop();
    if (next?.to === 'us' || (!next && turns % 2 === 1)) {
      const event = next ? { packet: mustParse(decodePacket(next.bytes)) } : ('timeout' as const);
      const done: Step = step(ours, event);
      ours = done.state;
      if (done.take) got.push(done.take);
      ended ??= done.ended;
      if (ours.phase === 'failed') break;
      for (const bytes of done.send) put('them', bytes);
    } else {
      const packet = next && mustParse(decodePacket(next.bytes));
      const heard: Packet | undefined = packet?.kind === 'options' ? { kind: 'ack', block: 0 } : packet;
      const done = stepSending(theirs, heard ? { packet: heard } : 'timeout');
      // What begins a write is its request, which is not sent again here: it waits for the answer.
      if (theirs.phase === 'agreeing' && !heard) continue;
      theirs = theirs.phase === 'data' && heard?.kind === 'ack' && heard.block === 0 ? theirs : done.state;
      const send = heard?.kind === 'ack' && heard.block === 0 ? beginBlocks(theirs) : done.send;
      for (const one of send)
        put(
          'us',
          one instanceof Uint8Array
            ? one
            : encodePacket({ kind: 'data', block: one.block, bytes: file.subarray(one.from, one.to) }),
        );
    }
  }
  return { got: Uint8Array.from(Buffer.concat(got)), ended, ours };
}

/** The blocks of the first window. */
const beginBlocks = (state: ReturnType<typeof beginSending>['state']) =>
  stepSending({ ...state, phase: 'data', tries: 0 }, 'timeout').send;

describe('a file on its way here', () => {
  it('is answered as RFC 1350 has it: ACK 0, then an ACK for each block, the last one short', () => {
    const first = begin({ options: {} }, 10_000);
    expect(first.send.map(hex)).to.deep.equal(['00040000']);
    const second = step(first.state, data(1, fileOf(512)));
    expect(second.send.map(hex)).to.deep.equal(['00040001']);
    const third = step(second.state, data(2, fileOf(3)));
    expect(third.send.map(hex)).to.deep.equal(['00040002']);
    expect(third.ended).to.deep.equal({ ok: true });
    // Its acknowledgement was lost: it is said again, and nothing is taken twice.
    const again = step(third.state, data(2, fileOf(3)));
    expect(again.send.map(hex)).to.deep.equal(['00040002']);
    expect(again.take).to.equal(undefined);
  });

  it('agrees on options as RFC 2347 has it, and acknowledges a window as a whole (RFC 7440)', () => {
    const first = begin({ options: { blksize: '8', windowsize: '3', tsize: '40', shoesize: '42' } }, 10_000);
    const said = '0006' + hex(Buffer.from('blksize\0' + '8\0' + 'windowsize\0' + '3\0' + 'tsize\0' + '40\0'));
    expect(first.send.map(hex)).to.deep.equal([said]);
    let state: Receiving = first.state;
    const acks: string[] = [];
    for (const block of [1, 2, 3, 4, 6]) {
      const done = step(state, data(block, fileOf(8)));
      acks.push(...done.send.map(hex));
      state = done.state;
    }
    // Behind the third; and at the sixth, since the fifth is missing: there are four.
    expect(acks).to.deep.equal(['00040003', '00040004']);
    expect(state.got).to.equal(4);
  });

  it('takes no more than it may, whatever was announced', () => {
    const told = begin({ options: { tsize: '2000' } }, 1000);
    expect(told.ended).to.include({ ok: false, why: 'full' });
    expect(mustParse(decodePacket(told.send[0] ?? new Uint8Array(0)))).to.include({ kind: 'error', code: 3 });
    let at: Step = begin({ options: {} }, 1000);
    for (const block of [1, 2]) at = step(at.state, data(block, fileOf(512)));
    expect(at.ended).to.include({ ok: false, why: 'full' });
    const long = step(begin({ options: {} }, 10_000).state, data(1, fileOf(513)));
    expect(long.ended).to.include({ why: 'protocol' });
  });

  it('gives up after five silences, and says at which block', () => {
    let at: Step = step(begin({ options: {} }, 10_000).state, data(1, fileOf(512)));
    for (let i = 0; i < 4; i += 1) {
      at = step(at.state, 'timeout');
      expect(at.send.map(hex)).to.deep.equal(['00040001']);
    }
    expect(step(at.state, 'timeout').ended).to.include({ why: 'no-answer', detail: 'block 2 never came' });
  });

  it('comes whole over any line that loses, doubles and delays, or says that it did not', () => {
    const fate = fc.constantFrom<Fate>('through', 'through', 'lost', 'twice', 'late');
    const options = fc.constantFrom<Record<string, string>>(
      {},
      { blksize: '32' },
      { blksize: '16', windowsize: '4' },
      { blksize: '8', windowsize: '64', tsize: '0' },
    );
    fc.assert(
      fc.property(fc.nat(1500), options, fc.array(fate, { maxLength: 60 }), (length, asked, fates) => {
        const file = fileOf(length);
        const { got, ended, ours } = written(file, asked, fates);
        expect(Buffer.compare(got, file.subarray(0, got.length))).to.equal(0);
        if (ended?.ok) expect(got.length).to.equal(length);
        else expect(['agreeing', 'data', 'failed']).to.include(ours.phase);
        if (fates.length === 0) expect(ended).to.deep.equal({ ok: true });
      }),
    );
  });
});
