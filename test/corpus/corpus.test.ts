/** Packets as files, each with its source and what it means: one loop reads them all, and what they become when they are damaged. */
import { join } from 'node:path';
import { expect } from 'chai';
import { decodeMessage, typeOfMessage, type Message } from '@zpine/core/dhcp/message';
import { decodeOption } from '@zpine/core/dhcp/options';
import { requestState } from '@zpine/core/dhcp/reply';
import { decodePacket } from '@zpine/core/tftp/packet';
import { packetFuzz, specimensIn, type Specimen } from '../../trials/fuzz/packets.ts';

const specimens = specimensIn(join(import.meta.dirname, 'packets'));
const COUNT = 20_000;

type Meaning = {
  type?: string;
  state?: string;
  fault?: string;
  options?: Record<string, string>;
  values?: Record<string, unknown>;
  faults?: Record<string, string>;
} & Record<string, unknown>;

const optionsIn = (message: Message): Record<string, string> =>
  Object.fromEntries([...message.options].map(([code, bytes]) => [String(code), Buffer.from(bytes).toString('hex')]));

function asDhcp({ bytes, means }: Specimen): void {
  const { type, state, fault, options, values = {}, faults = {}, ...fields } = means as Meaning;
  const read = decodeMessage(bytes);
  if (fault !== undefined) {
    expect(read).to.have.nested.property('fault.code', fault);
    return;
  }
  if (!read.ok) throw new Error(read.fault.code);
  const message = read.value;
  const said = typeOfMessage(message);
  expect(said.ok ? said.value : 'none').to.equal(type);
  expect(optionsIn(message)).to.deep.equal(options ?? {});
  expect(message).to.deep.include(fields);
  if (state !== undefined) expect(requestState(message)).to.equal(state);
  const decoded = (code: string) => decodeOption(Number(code), message.options.get(Number(code)) ?? new Uint8Array());
  for (const [code, value] of Object.entries(values)) expect(decoded(code)).to.deep.equal({ ok: true, value });
  for (const [code, wrong] of Object.entries(faults))
    expect(decoded(code)).to.have.nested.property('fault.code', wrong);
}

function asTftp({ bytes, means }: Specimen): void {
  const read = decodePacket(bytes);
  if ('fault' in means) expect(read).to.have.nested.property('fault.code', means.fault);
  else expect(read).to.deep.equal({ ok: true, value: means });
}

describe('packets that are kept as files', () => {
  for (const specimen of specimens)
    it(`${specimen.name}: ${specimen.source}`, () =>
      specimen.decoder === 'dhcp' ? asDhcp(specimen) : asTftp(specimen));

  it('are read without a crash, a word that nobody knows, or a long look, when they are damaged', function () {
    this.timeout(60_000);
    const { findings, read, slowestMs } = packetFuzz(specimens, { count: COUNT, seed: 19 });
    expect(findings).to.deep.equal([]);
    // Not all of it was refused at the door.
    expect(read).to.be.greaterThan(COUNT / 4);
    expect(slowestMs).to.be.lessThan(100);
  });
});
