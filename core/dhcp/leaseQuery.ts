/** Who has this lease? (RFC 4388): asked by relays, by address, hardware address or client identifier. */
import { ok, type Parsed } from '../fault.ts';
import { placed, type Entry } from './areas.ts';
import type { Client } from './client.ts';
import { ipv4Number, ipv4Of } from './ipv4.ts';
import { holds, type Link } from './link.ts';
import type { Held } from './leases.ts';
import type { Look } from './look.ts';
import { encodeAreas, messageTypes, type Message, type MessageFault, type MessageType } from './message.ts';
import { codeOf, encodeOption, type OptionName, type OptionValue } from './options.ts';

const NONE = '0.0.0.0';
/** IP and UDP headers leave so much of a packet of Ethernet. */
const LARGEST = 1472;
const FIELDS = 240;

type Found = { type: Extract<MessageType, `LEASE${string}`>; held: Held[]; detail: string };

/** Undefined for a question that asks for nothing, or for two things at once (6.3). */
function found(look: Look, message: Message, client: Client, link: Link, now: number): Found | undefined {
  const address = message.clientAddress;
  const byAddress = address !== NONE;
  const byMac = message.hardwareAddress !== '' && !/^(00:)*00$/.test(message.hardwareAddress);
  const byIdentifier = client.identifier !== null;
  if ([byAddress, byMac, byIdentifier].filter(Boolean).length !== 1) return undefined;
  const isActive = (held: Held | undefined): held is Held =>
    held !== undefined && held.acknowledged && held.expires > now && held.vrf === link.vrf;
  if (byAddress) {
    const value = ipv4Number(address) ?? 0;
    const held = look.leases.at(link.vrf, value);
    if (isActive(held)) return { type: 'LEASEACTIVE', held: [held], detail: `${address} is leased` };
    // 6.4.1: ours to give, or nothing that is known here.
    const ours = look.linksAround(address).some((one) => one.vrf === link.vrf && holds(one, value));
    return ours
      ? { type: 'LEASEUNASSIGNED', held: [], detail: `${address} is leased to nobody` }
      : { type: 'LEASEUNKNOWN', held: [], detail: `nothing is known of ${address}` };
  }
  const held = (byMac ? look.leases.ofMac(message.hardwareAddress) : ofIdentifier(look, client)).filter(isActive);
  // 6.4.2: the one that was heard of last, with the others beside it.
  held.sort((a, b) => b.heard - a.heard);
  const what = byMac ? message.hardwareAddress : `client ${client.word}`;
  return held.length > 0
    ? { type: 'LEASEACTIVE', held, detail: `${what} has ${ipv4Of(held[0]?.address ?? 0)}` }
    : { type: 'LEASEUNKNOWN', held: [], detail: `${what} has no lease` };
}

const ofIdentifier = (look: Look, client: Client): readonly Held[] =>
  client.otherMac === null ? look.leases.ofWord(client.word) : look.leases.ofMac(client.otherMac);

export function answerQuery(
  look: Look,
  message: Message,
  client: Client,
  link: Link,
  now: number,
): { detail: string; bytes?: Parsed<Uint8Array, MessageFault> } {
  const answer = found(look, message, client, link, now);
  if (!answer) return { detail: 'it asks for an address, a hardware address and an identifier: of these, one' };
  const { type, detail, held } = answer;
  return { detail, bytes: written(look, message, type, held, now) };
}

function written(
  look: Pick<Look, 'server'>,
  message: Message,
  type: MessageType,
  [first, ...others]: readonly Held[],
  now: number,
): Parsed<Uint8Array, MessageFault> {
  const entries: Entry[] = [];
  const put = (name: OptionName, value: OptionValue, must = false) => {
    const bytes = encodeOption(codeOf(name), value);
    if (bytes.ok) entries.push({ code: codeOf(name), bytes: bytes.value, must });
  };
  put('message-type', messageTypes.indexOf(type), true);
  put('server-identifier', look.server, true);
  const asked = message.options.get(codeOf('parameter-request-list'));
  const wants = (name: OptionName) => asked?.includes(codeOf(name)) ?? true;
  if (first) {
    if (wants('lease-time')) put('lease-time', Math.max(1, Math.floor((first.expires - now) / 1000)));
    if (wants('client-last-transaction-time'))
      put('client-last-transaction-time', Math.max(0, Math.floor((now - first.heard) / 1000)));
    const all = [first, ...others].map(({ address }) => ipv4Of(address));
    if (others.length > 0 && wants('associated-ip')) put('associated-ip', all);
  }
  const { areas } = placed(entries, { main: LARGEST - FIELDS, sname: true, file: true });
  const bytes = encodeAreas(
    {
      ...message,
      op: 'reply',
      hops: 0,
      secs: 0,
      clientAddress: first ? ipv4Of(first.address) : message.clientAddress,
      yourAddress: NONE,
      serverAddress: NONE,
      hardwareAddress: first ? first.mac : message.hardwareAddress,
      serverName: '',
      file: '',
    },
    areas,
    LARGEST,
  );
  return bytes.ok ? ok(bytes.value) : bytes;
}
