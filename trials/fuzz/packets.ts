/** Packets that were changed at random, for whoever reads packets: no crash, no word that nobody knows, no long look. */
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import { decide } from '@zpine/core/dhcp/decide';
import { linkOf } from '@zpine/core/dhcp/link';
import { BootMemory } from '@zpine/core/dhcp/memory';
import { decodeMessage, encodeMessage } from '@zpine/core/dhcp/message';
import { decodeOption } from '@zpine/core/dhcp/options';
import { decodePacket } from '@zpine/core/tftp/packet';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { Chance } from './chance.ts';

/** A packet as a file, with what it means; `decoder` says who reads it. */
export type Specimen = {
  name: string;
  source: string;
  decoder: 'dhcp' | 'tftp';
  bytes: Uint8Array;
  means: Record<string, unknown>;
};

export const specimensIn = (folder: string): Specimen[] =>
  readdirSync(folder)
    .filter((name) => name.endsWith('.yaml'))
    .sort()
    .map((name) => {
      const read = parse(readFileSync(join(folder, name), 'utf8')) as Omit<Specimen, 'name' | 'bytes'> & {
        bytes: string;
      };
      return {
        ...read,
        name: name.replace(/\.yaml$/, ''),
        bytes: Buffer.from(read.bytes.replaceAll(/\s/g, ''), 'hex'),
      };
    });

const RELAY = '10.77.16.1';
const MOST_BYTES = 1500;

function memory(): BootMemory {
  const held = new BootMemory({ address: '10.77.0.10', httpPort: 80, httpsPort: 0 }, 50);
  const link = linkOf(
    {
      id: 1,
      key: '10.77.16.0/24',
      cidr: '10.77.16.0/24',
      vrf: 1,
      site: null,
      vlan: null,
      gateway: RELAY,
      relays: null,
      pool: '10.77.16.200-10.77.16.203',
      quarantine: '10.77.16.240-10.77.16.242',
      leaseSeconds: 600,
      answers: 'all',
      nameServers: '10.77.0.6',
      timeServers: null,
      domain: 'brackwater.example',
    },
    'default',
  );
  if (link) held.links.put(link);
  held.put({
    id: 1,
    key: 'ard-acc-1',
    boxes: [{ id: 1, serial: 'LF24-0188-01', mac: '00:00:5e:00:53:a1' }],
    macs: [],
    addresses: [],
    layers: [{ kind: 'everywhere', key: '', id: 0 }],
    dialect: null,
    edition: null,
    window: null,
  });
  return held;
}

/** One change or several: bytes turned, cut off, put in, doubled, or joined with another packet. */
function changed(chance: Chance, specimens: readonly Specimen[]): Specimen {
  const specimen = chance.one(specimens);
  let bytes = Uint8Array.from(specimen.bytes);
  for (let times = 1 + chance.under(4); times > 0; times -= 1) {
    const at = chance.under(bytes.length + 1);
    const some = Uint8Array.from({ length: 1 + chance.under(8) }, () => chance.under(256));
    const other = chance.one(specimens).bytes;
    const how = chance.under(6);
    if (how === 0) bytes.set(some.subarray(0, bytes.length - at), at);
    else if (how === 1) bytes = bytes.slice(0, at);
    else if (how === 2) bytes = Uint8Array.of(...bytes.subarray(0, at), ...some, ...bytes.subarray(at));
    else if (how === 3) bytes = Uint8Array.of(...bytes.subarray(0, at), ...other.subarray(Math.min(at, other.length)));
    else if (how === 4) bytes = Uint8Array.of(...bytes, ...bytes.subarray(at));
    // Where options begin, as everything before is seldom looked at.
    else if (bytes.length > 244) bytes[240 + chance.under(bytes.length - 240)] = chance.under(256);
    bytes = bytes.slice(0, MOST_BYTES);
  }
  return { ...specimen, bytes };
}

export type PacketFinding = { name: string; hex: string; what: string };

const MOST_MS = 100;

/** Reads so many changed packets; gives what went wrong, and how many were read as packets all the same. */
export function packetFuzz(
  specimens: readonly Specimen[],
  { count, seed }: { count: number; seed: number },
): { findings: PacketFinding[]; read: number; slowestMs: number } {
  const chance = new Chance(seed);
  const look = memory();
  const findings: PacketFinding[] = [];
  let [read, slowestMs] = [0, 0];
  for (let i = 0; i < count && findings.length < 20; i += 1) {
    const { name, decoder, bytes } = changed(chance, specimens);
    const hex = Buffer.from(bytes).toString('hex');
    const readOne = () => (decoder === 'dhcp' ? readDhcp(look, bytes, i) : readTftp(bytes));
    try {
      let ms = timed(() => (read += readOne() ? 1 : 0));
      // The machine may have been elsewhere: what takes long by itself does so again.
      if (ms > MOST_MS) ms = timed(readOne);
      slowestMs = Math.max(slowestMs, ms);
      if (ms > MOST_MS) findings.push({ name, hex, what: `it took ${ms.toFixed(0)} ms` });
    } catch (error) {
      findings.push({ name, hex, what: error instanceof Error ? (error.stack ?? error.message) : String(error) });
    }
  }
  return { findings, read, slowestMs };
}

function timed(work: () => unknown): number {
  const begun = performance.now();
  work();
  return performance.now() - begun;
}

/** A fault that has no words is one that nobody has thought of. */
function worded(fault: { code: string; params: Record<string, string | number> }): void {
  if (problemOf(new Refusal(fault.code as ConstructorParameters<typeof Refusal>[0], fault.params)).detail === '')
    throw new Error(`no words for ${fault.code}`);
}

function readDhcp(look: BootMemory, bytes: Uint8Array, i: number): boolean {
  const message = decodeMessage(bytes);
  if (!message.ok) {
    worded(message.fault);
    return false;
  }
  for (const [code, value] of message.value.options) decodeOption(code, value);
  const again = encodeMessage(message.value, { largest: 65_507 });
  if (!again.ok) throw new Error(`what was read cannot be written: ${again.fault.code}`);
  const heard = { source: i % 3 === 0 ? RELAY : message.value.relayAddress, broadcast: i % 5 === 0 };
  const decision = decide(look, message.value, heard, Date.now());
  if (decision.outcome === 'broken') throw new Error(`a decision that is broken: ${decision.detail}`);
  return true;
}

function readTftp(bytes: Uint8Array): boolean {
  const packet = decodePacket(bytes);
  if (!packet.ok) worded(packet.fault);
  return packet.ok;
}
