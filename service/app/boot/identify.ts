/** Who is it? By serial, by hardware address; what contradicts itself is a conflict. */
import { macToBytes } from '@zpine/core/addressing/mac';
import { relayInformation, type Message } from '@zpine/core/dhcp/message';
import { networkOf, truncations } from '@zpine/core/addressing/prefix';
import { parseIp } from '@zpine/core/addressing/ip';
import { utf8Text } from '@zpine/core/text/utf8';
import { DEFAULT_VRF } from '@zpine/contract/kinds/addressing';
import { type Stored } from '@zpine/contract/kinds';
import { byId, byIds, find, keyOf } from '../../store/records.ts';
import { smallestCovering } from '../../store/spans.ts';
import { type Tx } from '../../store/tx.ts';

/** What a packet says of its sender. */
export interface Client {
  mac: string;
  serial: string | null;
  vendorClass: string | null;
  circuit: string | null;
  relay: string | null;
  /** One word for the sender, whatever it shows: its serial, or its hardware address. */
  word: string;
}

const text = (bytes: Uint8Array | undefined): string | null => {
  if (!bytes || bytes.length === 0) return null;
  const read = utf8Text(bytes);
  // What is not text is written as bytes.
  return read !== undefined && /^[\x20-\x7e]+$/.test(read)
    ? read
    : `0x${Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('')}`;
};

export function clientOf(message: Message): Client {
  const identifier = message.options.get(61);
  // RFC 2132, 9.14: type 0 is a name and not a hardware address.
  const serial = identifier?.[0] === 0 && identifier.length > 1 ? text(identifier.subarray(1)) : null;
  const vendorClass = text(message.options.get(60));
  const { circuit } = relayInformation(message.options.get(82));
  const relay = message.relayAddress === '0.0.0.0' ? null : message.relayAddress;
  const mac = message.hardwareAddress;
  return { mac, serial, vendorClass, circuit: text(circuit), relay, word: (serial ?? mac).slice(0, 80) };
}

export type Who =
  | { is: 'device'; device: Stored<'device'>; box: Stored<'box'> | undefined; by: string }
  | { is: 'conflict'; why: string }
  | { is: 'stranger'; box: Stored<'box'> | undefined };

export async function identify(tx: Tx, client: Client): Promise<Who> {
  const [bySerial] = client.serial === null ? [] : await find(tx, 'box', { natural_key: client.serial.toLowerCase() });
  const byMac = await macOwner(tx, client.mac);
  const macBox = byMac?.kind === 'box' ? await byId(tx, 'box', byMac.id) : undefined;
  if (bySerial && macBox && bySerial.id !== macBox.id) {
    return {
      is: 'conflict',
      why: `serial ${bySerial.serial} and MAC ${client.mac} belong to two boxes: the MAC is that of ${macBox.serial}`,
    };
  }
  if (!bySerial && macBox && client.serial !== null) {
    return {
      is: 'conflict',
      why: `it says serial ${client.serial}, but MAC ${client.mac} is that of box ${macBox.serial}`,
    };
  }
  if (bySerial && !macBox && bySerial.mac !== null && byMac === undefined && bySerial.mac !== client.mac) {
    return {
      is: 'conflict',
      why: `box ${bySerial.serial} has MAC ${bySerial.mac} in the records, and shows ${client.mac}`,
    };
  }
  const box = bySerial ?? macBox;
  const on = byMac?.kind === 'interface' ? await byId(tx, 'interface', byMac.id) : undefined;
  const boxDevice = box?.device ?? null;
  if (on && boxDevice !== null && on.device !== boxDevice) {
    const [one, other] = [await keyOf(tx, 'device', boxDevice), await keyOf(tx, 'device', on.device)];
    return { is: 'conflict', why: `its serial is that of ${one}, its MAC is on an interface of ${other}` };
  }
  const id = boxDevice ?? on?.device ?? null;
  if (id === null) return { is: 'stranger', box };
  const device = (await byIds(tx, 'device', [id], true)).get(id);
  if (!device) return { is: 'stranger', box };
  const by = bySerial ? `serial ${bySerial.serial}` : `MAC ${client.mac}`;
  return { is: 'device', device, box, by };
}

async function macOwner(tx: Tx, mac: string): Promise<{ kind: string; id: number } | undefined> {
  if (!/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(mac)) return undefined;
  const row = await tx.one<{ kind: string; record_id: number }>('SELECT kind, record_id FROM mac_claim WHERE mac = ?', [
    Buffer.from(macToBytes(mac)),
  ]);
  return row && { kind: row.kind, id: Number(row.record_id) };
}

/** The prefix that a client sits in: that of its relay, or that of our own address where it is on the same wire. */
export async function linkOf(tx: Tx, relay: string | null): Promise<Stored<'prefix'> | undefined> {
  const read = parseIp(relay ?? tx.place.address);
  if (!read.ok) return undefined;
  const host = networkOf(read.value, read.value.family === 4 ? 32 : 128);
  const id = await smallestCovering(tx, DEFAULT_VRF, truncations(host));
  return id === undefined ? undefined : byId(tx, 'prefix', id);
}
