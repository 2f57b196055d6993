/** Who sent a packet, as far as it says so itself. */
import { utf8Text } from '../text/utf8.ts';
import { relayInformation, type Message } from './message.ts';

export type Client = {
  mac: string;
  serial: string | null;
  vendorClass: string | null;
  circuit: string | null;
  relay: string | null;
  /** One word for the sender, whatever it shows: its serial, or its hardware address. */
  word: string;
};

const textOf = (bytes: Uint8Array | undefined): string | null => {
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
  const serial = identifier?.[0] === 0 && identifier.length > 1 ? textOf(identifier.subarray(1)) : null;
  const vendorClass = textOf(message.options.get(60));
  const { circuit } = relayInformation(message.options.get(82));
  const relay = message.relayAddress === '0.0.0.0' ? null : message.relayAddress;
  const mac = message.hardwareAddress;
  return { mac, serial, vendorClass, circuit: textOf(circuit), relay, word: (serial ?? mac).slice(0, 80) };
}
