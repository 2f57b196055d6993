/**
 * What comes of one packet of a client: the answer, and all that is to be written down with it. The listener carries it
 * out; an explanation and a forecast only read it. Nothing here reads a clock or a database, and nothing is taken.
 */
import type { ArrivalEvent } from '../arrival/arrival.ts';
import { clientOf, type Client } from './client.ts';
import { identify, type Who } from './identify.ts';
import type { BootAddress, BootDevice, LeaseOffer, Link, Look } from './look.ts';
import { encodeMessage, typeOfMessage, type Message, type MessageType } from './message.ts';
import { codeOf, ipv4Text } from './options.ts';
import {
  buildNak,
  buildReply,
  destinationOf,
  requestState,
  wantedAddress,
  type Destination,
  type Reply,
  type Told,
} from './reply.ts';
import { toldToDevice, toldToStranger } from './tell.ts';

export type Outgoing = { bytes: Uint8Array; destination: Destination };

/** What an arrival is told, and what is noted of where the device is just now. */
type Happened = {
  event: ArrivalEvent;
  box?: { serial: string | null; mac: string | null };
  relay?: string | null;
  address?: string;
  edition?: number | undefined;
};

export type Decision = {
  /** `counted`: nobody is answered and no note is made; whoever listens counts it. */
  outcome: 'answered' | 'refused' | 'dropped' | 'broken' | 'counted';
  /** Why, in words. */
  detail: string;
  client: Client;
  link?: Link | undefined;
  device?: BootDevice | undefined;
  /** The address that it is about. */
  address?: string | undefined;
  out?: Outgoing;
  /** What was said, and could have been. */
  reply?: Reply;
  told?: Told;
  noFile?: string | null;
  offer?: LeaseOffer;
  /** To be on disk before the answer goes out. */
  lease?: { seconds: number; acknowledged: boolean };
  /** An address that the client gives back, or found somebody else at. */
  given?: { verb: 'released' | 'declined'; address: string };
  /** A client that is nobody's goes on the list, with the address it has and what it contradicts. */
  stranger?: { address: string | null; conflict: string | null };
  refusedRelay?: { relay: string; source: string };
  arrival?: Happened[];
};

/** `source`: where the packet came from, as devices know the address. `now`: ms since 1970. */
export function decide(look: Look, message: Message, source: string, now: number): Decision {
  const client = clientOf(message);
  const link = linkOf(look, client);
  const about = { client, link };
  const fault = packetFault(look, link, message, source);
  if (fault) return { ...about, ...fault };
  const type = typeOfMessage(message);
  if (!link || !type.ok) throw new Error('a packet without prefix or type was let through');
  if (type.value === 'RELEASE' || type.value === 'DECLINE') return { ...about, ...givenBack(look, message, client) };
  const who = identify(look, client);
  if (who.is !== 'device' && !look.mayBeListed(link, client))
    return {
      ...about,
      outcome: 'counted',
      detail: `more strangers than are listed in ${link.key}; dismiss those that are nobody`,
    };
  const device = who.is === 'device' ? look.device(who.id) : undefined;
  if (who.is === 'device' && !device) return { ...about, outcome: 'dropped', detail: `${who.key} was just removed` };
  const contradiction =
    who.is === 'conflict' ? who.why : device === undefined ? undefined : leasedElsewhere(device, link, now);
  if (contradiction !== undefined)
    return {
      ...about,
      outcome: 'dropped',
      detail: contradiction,
      stranger: { address: null, conflict: contradiction },
    };
  if (takesAnother(look, message))
    return {
      ...about,
      outcome: 'dropped',
      detail: `it takes the offer of another server, ${serverOf(message) ?? ''}`,
    };
  const scene = { look, message, type: type.value, client, link, now };
  const answer = device && who.is === 'device' ? answerDevice(scene, device, who) : answerStranger(scene, boxIn(who));
  return { ...about, device, ...answer };
}

/** What a packet leads to when it is not answered, whoever sent it. */
type Fault = Pick<Decision, 'outcome' | 'detail' | 'refusedRelay'>;

const boxIn = (who: Who) => (who.is === 'conflict' ? undefined : who.box);

/** The prefix that a client sits in: that of its relay, or that of our own address where it is on the same wire. */
const linkOf = (look: Pick<Look, 'server' | 'linkAround'>, { relay }: Client): Link | undefined =>
  look.linkAround(relay ?? look.server);

export const isOfClients = (type: MessageType): boolean =>
  ['DISCOVER', 'REQUEST', 'RELEASE', 'DECLINE', 'INFORM'].includes(type);

/** Why nobody who sends this from there is answered: known before it is asked who it is. */
export function packetFault(
  look: Pick<Look, 'deviceAt'>,
  link: Link | undefined,
  message: Message,
  source: string,
): Fault | undefined {
  const dropped = (detail: string): Fault => ({ outcome: 'dropped', detail });
  const type = typeOfMessage(message);
  const { relay } = clientOf(message);
  if (!type.ok) return dropped('it has no message type (option 53)');
  if (!isOfClients(type.value)) return dropped(`a ${type.value} is a server's message`);
  if (!link)
    return dropped(`no prefix of the default VRF holds ${relay ?? 'the boot address of the service, on its own wire'}`);
  if (relay === null) return undefined;
  if (!isDeclared(look, link, relay))
    return dropped(`relay ${relay} is not declared: it is neither the gateway of ${link.key} nor on an interface`);
  if (speaksFor(look, link, relay, source)) return undefined;
  return {
    outcome: 'counted',
    detail: `it says it is from relay ${relay} and comes from ${source}, which is no address of its device`,
    refusedRelay: { relay, source },
  };
}

export const listedRelays = (link: { relays: string | null }): string[] => link.relays?.split(', ') ?? [];

/** Relays count as declared when they are the gateway of the prefix, on an interface of the records, or listed with it. */
const isDeclared = (look: Pick<Look, 'deviceAt'>, link: Link, relay: string): boolean =>
  link.gateway === relay || listedRelays(link).includes(relay) || look.deviceAt(relay) !== undefined;

/**
 * A packet is from a relay when it comes from its address, from another of the same device, or from one that is listed:
 * anybody may send a packet that says so, and take a device's lease away by it.
 */
export function speaksFor(
  look: Pick<Look, 'deviceAt'>,
  link: { relays: string | null },
  relay: string,
  source: string,
): boolean {
  if (source === relay || listedRelays(link).includes(source)) return true;
  const device = look.deviceAt(relay);
  return device !== undefined && device === look.deviceAt(source);
}

function givenBack(look: Look, message: Message, client: Client): Omit<Decision, 'client'> {
  const released = messageIs(message, 'RELEASE');
  const address = (released ? message.clientAddress : wantedAddress(message)) ?? '0.0.0.0';
  const words = released ? `it gave back ${address}` : `it found somebody else at ${address}`;
  if (look.holderAt(address) !== client.word) return { outcome: 'dropped', detail: `${words}, which it does not have` };
  return { outcome: 'answered', detail: words, given: { verb: released ? 'released' : 'declined', address } };
}

/**
 * Whoever shows the identity of a device that holds its lease at another site takes nothing away from it: one of the two
 * is not the device. (Within a site a device moves on from the address that it booted with.)
 */
function leasedElsewhere({ key, lease }: BootDevice, link: Link, now: number): string | undefined {
  if (!lease?.site || link.site === null || lease.site.id === link.site || lease.expires <= now) return undefined;
  const until = new Date(lease.expires).toISOString().slice(0, 16).replace('T', ' ');
  return `it shows the identity of ${key}, which holds ${lease.address} at ${lease.site.key.toUpperCase()} until ${until} UTC; what is right is answered after that, or when ${key} gave its address back`;
}

const messageIs = (message: Message, type: MessageType): boolean => {
  const said = typeOfMessage(message);
  return said.ok && said.value === type;
};

const serverOf = (message: Message): string | undefined => {
  const bytes = message.options.get(codeOf('server-identifier'));
  return bytes?.length === 4 ? ipv4Text(bytes) : undefined;
};

/** It was offered an address by somebody else, and takes that one. */
export const takesAnother = (look: Pick<Look, 'server'>, message: Message): boolean =>
  messageIs(message, 'REQUEST') && requestState(message) === 'selecting' && serverOf(message) !== look.server;

/** The address that a device has for good in a prefix: that of its management interface before any other. */
export function fixedOffer(device: Pick<BootDevice, 'key' | 'addresses'>, link: Link): LeaseOffer | undefined {
  const here = device.addresses.filter((address) => address.prefix === link.id);
  const best: BootAddress | undefined = here.find((address) => address.management) ?? here[0];
  if (!best) return undefined;
  const what = best.management ? 'management address' : 'address';
  return { address: best.address, source: 'fixed', from: `${what} of ${device.key}, on ${best.interface}` };
}

type Scene = { look: Look; message: Message; type: MessageType; client: Client; link: Link; now: number };
type Answer = Omit<Decision, 'client' | 'link' | 'device'>;

function answerDevice(scene: Scene, device: BootDevice, { box, by }: Who & { is: 'device' }): Answer {
  const { look, message, type, client, link, now } = scene;
  const place = fixedOffer(device, link) ?? look.pooled(link, 'pool', client);
  const arrival: Happened[] = [];
  // A client that lives with its address and asks to keep it does not boot, nor does one that asks for parameters.
  const boots = type !== 'INFORM' && !(type === 'REQUEST' && requestState(message) === 'renewing');
  if (boots)
    arrival.push({
      event: { kind: type === 'DISCOVER' ? 'discover' : 'request', evidence: evidenceOf(client, by), xid: message.xid },
      box: { serial: client.serial ?? box?.serial ?? null, mac: client.mac },
      relay: client.relay,
    });
  if (!place)
    return {
      outcome: 'refused',
      detail: `there is no address for ${device.key} in ${link.key}: none of its own, and no free one in the pool`,
      arrival,
    };
  const { told, noFile } = toldToDevice(look.server, device, link, place, now);
  const answer = answerWith(scene, told, place, noFile);
  if (boots && answer.out && answer.lease) arrival.push(outcomeOf(told, place, answer.lease.acknowledged, device));
  return { ...answer, told, noFile, arrival };
}

const evidenceOf = (client: Client, by: string) => ({
  mac: client.mac,
  by,
  ...(client.serial === null ? {} : { serial: client.serial }),
  ...(client.relay === null ? {} : { relay: client.relay }),
  ...(client.vendorClass === null ? {} : { vendorClass: client.vendorClass }),
  ...(client.circuit === null ? {} : { circuit: client.circuit }),
});

function outcomeOf(told: Told, place: LeaseOffer, acknowledged: boolean, device: BootDevice): Happened {
  const { address, from } = place;
  if (!acknowledged) return { event: { kind: 'offered', evidence: { address, from } } };
  const evidence = { address, seconds: told.leaseSeconds, ...(told.file ? { file: told.file.name } : {}) };
  return { event: { kind: 'leased', evidence }, address, edition: device.edition?.id };
}

function answerStranger(scene: Scene, box: { serial: string } | undefined): Answer {
  const { look, client, link } = scene;
  const place = look.pooled(link, 'quarantine', client);
  const stranger = { address: place?.address ?? null, conflict: null };
  const known = box ? `; it is box ${box.serial}, which is fitted nowhere` : '';
  const words = `no device has this serial or MAC${known}`;
  if (!place)
    return { outcome: 'dropped', detail: `${words}, and ${link.key} has no quarantine pool with room`, stranger };
  const told = toldToStranger(look.server, link, place);
  return { ...answerWith(scene, told, place, `${words}: quarantine`), told, stranger };
}

/** OFFER to a DISCOVER; ACK or NAK to a REQUEST; parameters to an INFORM. */
function answerWith({ look, message, type }: Scene, told: Told, offer: LeaseOffer, noFile: string | null): Answer {
  if (type === 'INFORM') return informed(message, told);
  const lease = { seconds: told.leaseSeconds, acknowledged: type === 'REQUEST' };
  if (type === 'DISCOVER') return { ...replied(message, 'OFFER', told, offer, noFile), offer, lease };
  const wanted = wantedAddress(message);
  if (wanted !== offer.address)
    return refused(look, message, `${wanted ?? 'no address'} is not its address here; that is ${offer.address}`);
  return { ...replied(message, 'ACK', told, offer, noFile), offer, lease };
}

function replied(
  message: Message,
  type: 'OFFER' | 'ACK',
  told: Told,
  offer: LeaseOffer,
  noFile: string | null,
): Answer {
  const reply = buildReply(message, type, told);
  if (!reply.ok)
    return {
      outcome: 'broken',
      detail: `option ${reply.fault.params.code ?? '?'} cannot be written: ${reply.fault.code}`,
    };
  const file = noFile === null ? (told.file ? `, boot file ${told.file.name}` : '') : `, no boot file: ${noFile}`;
  return sent(message, reply.value, type, offer.address, `${type} of ${offer.address} (${offer.from})${file}`);
}

/** The largest message that the client takes (option 57) counts IP and UDP headers, too. */
function largestOf(message: Message): number {
  const bytes = message.options.get(57);
  const said = bytes?.length === 2 ? (bytes[0] ?? 0) * 256 + (bytes[1] ?? 0) : 576;
  return Math.max(548, said - 28);
}

function sent(message: Message, reply: Reply, type: 'OFFER' | 'ACK', address: string, detail: string): Answer {
  const bytes = encodeMessage(reply.message, { largest: Math.min(1472, Math.max(548, largestOf(message))) });
  if (!bytes.ok) return { outcome: 'broken', detail: `the reply does not fit: ${bytes.fault.code}` };
  const destination = destinationOf(message, { type, yourAddress: reply.message.yourAddress });
  return { outcome: 'answered', detail, address, reply, out: { bytes: bytes.value, destination } };
}

function refused(look: Look, message: Message, words: string): Answer {
  const bytes = encodeMessage(buildNak(message, look.server, words.slice(0, 200)));
  if (!bytes.ok) return { outcome: 'broken', detail: words };
  const destination = destinationOf(message, { type: 'NAK', yourAddress: '0.0.0.0' });
  return { outcome: 'refused', detail: `NAK: ${words}`, out: { bytes: bytes.value, destination } };
}

/** RFC 2131, 4.3.5: parameters only, no lease. */
function informed(message: Message, told: Told): Answer {
  const reply = buildReply(message, 'ACK', told);
  if (!reply.ok) return { outcome: 'broken', detail: reply.fault.code };
  for (const name of ['lease-time', 'renewal-time', 'rebinding-time'] as const)
    reply.value.message.options.delete(codeOf(name));
  reply.value.message.yourAddress = '0.0.0.0';
  reply.value.message.clientAddress = message.clientAddress;
  return sent(message, reply.value, 'ACK', message.clientAddress, 'parameters, as it has an address already');
}
