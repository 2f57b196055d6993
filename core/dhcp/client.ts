/** Who sent a packet, as far as it says so itself. */
import { utf8Text } from '../text/utf8.ts';
import { hexOf, macOf } from './hex.ts';
import type { Message } from './message.ts';
import { relayInformation, type RelayInformation } from './relayInformation.ts';

export type Client = {
  mac: string;
  /** What its identifier (option 61) says in words; null where it has none, or one that is a hardware address. */
  serial: string | null;
  /** Hardware address that its identifier holds, where it shows another one. */
  otherMac: string | null;
  /** Its identifier, in hexadecimal. */
  identifier: string | null;
  vendorClass: string | null;
  /** RFC 3004; whoever sends plain text is read as such. */
  userClasses: readonly string[];
  /** RFC 3925, section 3: `4711:loader`. */
  enterpriseClasses: readonly string[];
  circuit: string | null;
  information: RelayInformation;
  relay: string | null;
  /** One word for the sender, whatever it shows: its serial, its hardware address, or the bytes of its identifier. */
  word: string;
};

/** As text; what is none is written as bytes. */
const textOf = (bytes: Uint8Array | undefined): string | null => {
  if (!bytes || bytes.length === 0) return null;
  const read = utf8Text(bytes);
  return read !== undefined && /^[\x20-\x7e]+$/.test(read) ? read : `0x${hexOf(bytes)}`;
};

/** Some devices end their texts with a NUL, as their own memory has them. */
function withoutNul(bytes: Uint8Array): Uint8Array {
  let end = bytes.length;
  while (end > 0 && bytes[end - 1] === 0) end -= 1;
  return bytes.subarray(0, end);
}

export function clientOf(message: Message): Client {
  const bytes = message.options.get(61);
  // RFC 2132, 9.14: type 0 is a name and not a hardware address.
  const serial = bytes?.[0] === 0 ? textOf(withoutNul(bytes.subarray(1))) : null;
  const ethernet = bytes?.[0] === 1 && bytes.length === 7 ? macOf(bytes.subarray(1)) : null;
  const information = relayInformation(message.options.get(82));
  const identifier = bytes ? hexOf(bytes) : null;
  const mac = message.hardwareAddress;
  // RFC 2131, 4.2: who has no hardware address is told apart by its identifier.
  const word = serial ?? (mac === '' && identifier !== null ? `id ${identifier}` : mac);
  return {
    mac,
    serial,
    otherMac: ethernet === mac ? null : ethernet,
    identifier,
    vendorClass: textOf(message.options.get(60)),
    userClasses: userClassesOf(message.options.get(77)),
    enterpriseClasses: enterpriseClassesOf(message.options.get(124)),
    circuit: textOf(information.circuit),
    information,
    relay: message.relayAddress === '0.0.0.0' ? null : message.relayAddress,
    word: word.slice(0, 80),
  };
}

/** RFC 3004, section 4: each class with its length before it, up to the end. */
function userClassesOf(bytes: Uint8Array | undefined): string[] {
  if (!bytes) return [];
  const out: string[] = [];
  let at = 0;
  while (at < bytes.length && bytes[at] !== 0 && at + 1 + (bytes[at] ?? 0) <= bytes.length) {
    const end = at + 1 + (bytes[at] ?? 0);
    const said = textOf(bytes.subarray(at + 1, end));
    if (said !== null) out.push(said);
    at = end;
  }
  const plain = textOf(bytes);
  return at === bytes.length ? out : plain === null ? [] : [plain];
}

/** An enterprise number, the length of its data, and in these each class with its length before it. */
function enterpriseClassesOf(bytes: Uint8Array | undefined): string[] {
  const out: string[] = [];
  for (let at = 0; bytes && at + 5 <= bytes.length;) {
    const enterprise = bytes.subarray(at, at + 4).reduce((sum, byte) => sum * 256 + byte, 0);
    const end = Math.min(at + 5 + (bytes[at + 4] ?? 0), bytes.length);
    for (let place = at + 5; place < end;) {
      const size = bytes[place] ?? 0;
      const said = textOf(bytes.subarray(place + 1, Math.min(place + 1 + size, end)));
      if (said !== null) out.push(`${enterprise}:${said}`);
      place += 1 + size;
    }
    at = end;
  }
  return out;
}
