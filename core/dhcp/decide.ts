/**
 * What comes of one packet of a client: the answer, and all that is to be written down with it. The listener carries it
 * out; an explanation and a forecast only read it. Nothing here reads a clock or a database, and nothing is taken.
 */
import type { ArrivalEvent } from '../arrival/arrival.ts';
import { boxName } from '../naming/boxName.ts';
import { clientOf, type Client } from './client.ts';
import { fixedOffer, pooledOffer } from './addresses.ts';
import { identify, type Who } from './identify.ts';
import { ipv4Number, ipv4Text } from './ipv4.ts';
import { answerQuery } from './leaseQuery.ts';
import { holds, type Link } from './link.ts';
import type { LeaseSource } from './leases.ts';
import type { BootBox, BootDevice, LeaseOffer, Look } from './look.ts';
import { typeOfMessage, type Message, type MessageType } from './message.ts';
import { codeOf } from './options.ts';
import { placeOf, type Heard } from './place.ts';
import { buildNak, buildReply, destinationOf, requestState, wantedAddress, type Destination } from './reply.ts';
import type { Reply, Told } from './reply.ts';
import { toldToDevice, toldToStranger, type Known } from './tell.ts';

export type Outgoing = { bytes: Uint8Array; destination: Destination; vrf: string };

/** What an arrival is told, and what is noted of where the device is just now. */
export type Happened = {
  event: ArrivalEvent;
  box?: { serial: string | null; mac: string | null };
  /** The serial of a box of which the records have none. */
  tells?: string | undefined;
  /** Where it boots. */
  place?: { relay: string | null; circuit: string | null; prefix: number; site: number | null };
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
  /** A promise is on disk before the answer goes out, unless the records themselves are it. */
  lease?: { seconds: number; acknowledged: boolean };
  /** An address that the client gives back, or found somebody else at. */
  given?: { verb: 'released' | 'declined'; address: string; vrf: number; prefix: number; source: LeaseSource };
  /** A client that is nobody's goes on the list, with the address it has and what it contradicts. */
  stranger?: { address: string | null; conflict: string | null };
  /** An address that another server gave it, as its relay's copy of the exchange says. */
  overheard?: { address: string; vrf: number; prefix: number };
  refusedRelay?: { relay: string; source: string };
  arrival?: Happened[];
  /** It boots, and is given no file. */
  vain?: { why: string };
};

type Answer = Omit<Decision, 'client' | 'device'>;

/** What one decision is about, once it is known who asks, and where. */
type Scene = {
  look: Look;
  message: Message;
  type: MessageType;
  client: Client;
  link: Link;
  /** On the service's own wire. */
  onWire: boolean;
  now: number;
};

const isOfClients = (type: MessageType): boolean =>
  ['DISCOVER', 'REQUEST', 'RELEASE', 'DECLINE', 'INFORM'].includes(type);

/** `now`: ms since 1970. */
export function decide(look: Look, message: Message, heard: Heard, now: number): Decision {
  const client = clientOf(message);
  const type = typeOfMessage(message);
  const place = placeOf(look, message, client, heard, (link, address) => isHis(look, client, link, address));
  const { link } = place;
  if (place.fault || !link || !type.ok)
    return {
      client,
      link,
      ...(place.fault ?? { outcome: 'dropped', detail: 'it has no message type (option 53)' }),
      ...(place.fault?.outcome === 'dropped' ? unheard(look, client, place.fault) : {}),
    };
  if (type.value === 'LEASEQUERY' && client.relay !== null)
    return { client, link, ...asksForLease(look, message, client, link, now) };
  if (!isOfClients(type.value))
    return { client, link, outcome: 'dropped', detail: `a ${type.value} is no question of a booting client` };
  const onWire = client.relay === null && (heard.broadcast || message.clientAddress === '0.0.0.0');
  return { client, link, ...inPlace({ look, message, type: type.value, client, link, onWire, now }) };
}

/** Whose packet it would have been: what it is not answered for stands with its arrival. */
function unheard(
  look: Look,
  client: Client,
  { detail, remedy }: { detail: string; remedy?: string },
): Pick<Decision, 'device' | 'arrival'> {
  const who = identify(look, client);
  const device = who.is === 'device' ? look.device(who.id) : undefined;
  if (!device) return {};
  const why = remedy === undefined ? detail : detail.replace(`; ${remedy}`, '');
  return { device, arrival: [unanswered(client, why, remedy)] };
}

const unanswered = (client: Client, why: string, remedy?: string): Happened => ({
  event: {
    kind: 'unanswered',
    evidence: {
      why,
      ...(remedy === undefined ? {} : { remedy }),
      ...(client.relay === null ? {} : { relay: client.relay }),
    },
  },
  relay: client.relay,
});

/** RFC 4388: answered to declared relays, as only these come so far. */
function asksForLease(look: Look, message: Message, client: Client, link: Link, now: number): Answer {
  const { detail, bytes } = answerQuery(look, message, client, link, now);
  if (!bytes) return { outcome: 'dropped', detail };
  if (!bytes.ok) return { outcome: 'broken', detail: brokenWords(bytes.fault) };
  const destination: Destination = { to: 'relay', address: message.relayAddress, port: 67 };
  return { outcome: 'answered', detail, out: { bytes: bytes.value, destination, vrf: link.vrfName } };
}

type WithDevice = Answer & Pick<Decision, 'device'>;

function inPlace(scene: Scene): WithDevice {
  const { look, message, type, client, link, now } = scene;
  const another = anotherServer(look, message, client);
  if (another !== undefined && !link.silent) {
    const words = type === 'REQUEST' ? 'it takes the offer of' : 'it speaks to';
    return { outcome: 'dropped', detail: `${words} another server, ${another}` };
  }
  const who = identify(look, client);
  const device = who.is === 'device' ? look.device(who.id) : undefined;
  if (who.is === 'device' && !device) return { outcome: 'dropped', detail: `${who.key} was just removed` };
  if (link.silent) return { device, ...overheard(scene, device) };
  if (type === 'RELEASE' || type === 'DECLINE') return { device, ...givenBack(scene, device) };
  if (who.is !== 'device' && look.partial)
    return { outcome: 'counted', detail: 'it is no device that was read so far; the service has just begun' };
  if (who.is !== 'device' && link.shared)
    return { outcome: 'counted', detail: `nobody of ours, in ${link.key}, where another server answers` };
  if (who.is !== 'device' && !look.mayBeListed(link, client))
    return {
      outcome: 'counted',
      detail: `more strangers than are listed in ${link.key}; dismiss those that are nobody`,
    };
  const contradiction = who.is === 'conflict' ? who.why : device && leasedElsewhere(device, link, now);
  const lease = who.is === 'device' ? device?.lease?.address : undefined;
  const remedy = lease && `if it was moved: zpine lease end ${lease} --reason "why"`;
  const about = who.is === 'conflict' && who.about !== undefined ? look.device(who.about) : device;
  if (contradiction !== undefined)
    return {
      device: about,
      ...(about ? { arrival: [unanswered(client, contradiction, remedy)] } : {}),
      outcome: 'dropped',
      detail: contradiction,
      stranger: { address: null, conflict: contradiction },
    };
  if (device && who.is === 'device') return { device, ...answerDevice(scene, device, who) };
  return answerStranger(scene, who.is === 'stranger' ? who.box : undefined);
}

/**
 * Where another server gives the addresses nobody is answered. A relay that sends its copies here tells which of them a
 * device of ours took: that is where its file is given.
 */
function overheard({ message, type, client, link }: Scene, device: BootDevice | undefined): Answer {
  const detail = `another server gives the addresses of ${link.key}`;
  const address = type === 'REQUEST' ? wantedAddress(message) : undefined;
  const value = ipv4Number(address ?? '');
  if (type === 'RELEASE' || type === 'DECLINE' || !device) return { outcome: 'counted', detail };
  const boots = type === 'DISCOVER' || (type === 'REQUEST' && requestState(message) !== 'renewing');
  const event = {
    kind: type === 'DISCOVER' ? 'discover' : 'request',
    evidence: evidenceOf(client, 'another server'),
    xid: message.xid,
  } as const;
  return {
    outcome: 'counted',
    detail,
    ...(boots ? { arrival: [{ event, relay: client.relay, ...(address === undefined ? {} : { address }) }] } : {}),
    // Whoever is on no declared relay could say anything.
    ...(address !== undefined && client.relay !== null && value !== undefined && holds(link, value)
      ? { overheard: { address, vrf: link.vrf, prefix: link.id } }
      : {}),
  };
}

/** Whether an address of a prefix is that of who asks: by the records, or by a lease. */
function isHis(look: Look, client: Client, link: Link, address: string): boolean {
  const held = look.leases.at(link.vrf, ipv4Number(address) ?? 0);
  if (held?.word === client.word) return true;
  const who = identify(look, client);
  if (who.is !== 'device') return false;
  return (
    held?.device === who.id ||
    (look.device(who.id)?.addresses ?? []).some((one) => one.address === address && one.prefix === link.id)
  );
}

/** By what the client is to know this server: by its relay, where that says so (RFC 5107). */
function knownAs(look: Pick<Look, 'server'>, { information }: Client): Known {
  return information.server === undefined
    ? { serverAddress: look.server }
    : { serverAddress: information.server, serverFrom: 'as the relay asks (option 82, sub-option 11)' };
}

/** The server that a client speaks to, where it is another one. */
function anotherServer(look: Pick<Look, 'server'>, message: Message, client: Client): string | undefined {
  const bytes = message.options.get(codeOf('server-identifier'));
  const server = bytes && ipv4Text(bytes);
  return server === look.server || server === client.information.server ? undefined : server;
}

function givenBack({ look, message, type, client, link, now }: Scene, device: BootDevice | undefined): Answer {
  const released = type === 'RELEASE';
  const address = (released ? message.clientAddress : wantedAddress(message)) ?? '0.0.0.0';
  const words = released ? `it gave back ${address}` : `it found somebody else at ${address}`;
  const value = ipv4Number(address) ?? 0;
  const wire = look.wireOf(link).find((one) => holds(one, value)) ?? link;
  const held = look.leases.at(wire.vrf, value);
  const his =
    held !== undefined &&
    held.source !== 'declined' &&
    (device ? held.device === device.id : held.word === client.word);
  const fixed = device?.addresses.some((one) => one.address === address && one.prefix === wire.id) ?? false;
  // Who was only offered an address has nothing to give back, and may find somebody there.
  const may = released ? his && held.acknowledged && held.expires > now : his || fixed;
  if (!may) return { outcome: 'dropped', detail: `${words}, which it does not have`, address };
  const source: LeaseSource = fixed ? 'fixed' : his && held.source !== 'declined' ? held.source : 'pool';
  const verb = released ? 'released' : 'declined';
  return {
    outcome: 'answered',
    detail: words,
    address,
    given: { verb, address, vrf: wire.vrf, prefix: wire.id, source },
  };
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

function answerDevice(scene: Scene, device: BootDevice, { box, by, tells }: Who & { is: 'device' }): Answer {
  const { look, message, type, client, link, now } = scene;
  const wire = look.wireOf(link);
  const fixed = fixedOffer(look, device, wire, now);
  const asking = { word: client.word, device: device.id, wanted: ipv4Number(wantedAddress(message) ?? '') };
  const place = fixed.offer ?? pooledOffer(look, wire, 'pool', asking, now);
  const arrival: Happened[] = [];
  // A client that lives with its address and asks to keep it does not boot, nor does one that asks for parameters.
  const boots = type !== 'INFORM' && !(type === 'REQUEST' && requestState(message) === 'renewing');
  if (boots)
    arrival.push({
      event: { kind: type === 'DISCOVER' ? 'discover' : 'request', evidence: evidenceOf(client, by), xid: message.xid },
      box: { serial: client.serial ?? box?.serial ?? null, mac: client.mac },
      relay: client.relay,
      tells,
      place: { relay: client.relay, circuit: client.circuit, prefix: link.id, site: link.site },
    });
  if (!place && type !== 'INFORM') {
    const detail = fixed.why ?? noAddress(look, device, link);
    return { outcome: 'refused', detail, arrival: [...arrival, unanswered(client, detail)] };
  }
  // RFC 2131, 4.3.5: who only asks for parameters has its address already.
  const told = toldToDevice(look, knownAs(look, client), device, client, place ?? ownPlace(message, link), now);
  const answer = answerWith(scene, told.told, place, told.noFile);
  if (boots && place && answer.out && answer.lease)
    arrival.push(outcomeOf(told.told, place, answer.lease.acknowledged, device));
  const vain = type === 'DISCOVER' && told.noFile !== null ? { vain: { why: told.noFile } } : {};
  return { ...answer, told: told.told, noFile: told.noFile, arrival, ...vain };
}

const noAddress = (look: Look, device: BootDevice, link: Link): string =>
  look.away
    ? `${device.key} has no address of its own in ${link.key}, and no new lease is given while the database is away`
    : `there is no address for ${device.key} in ${link.key}: none of its own, and no free one in the pool`;

const ownPlace = (message: Message, link: Link): LeaseOffer => ({
  address: message.clientAddress,
  source: 'fixed',
  from: 'as the client has it',
  link,
  held: undefined,
});

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

function answerStranger(scene: Scene, box: BootBox | undefined): Answer {
  const { look, message, type, client, link, now } = scene;
  const known = box ? `; it is box ${boxName(box)}, which is fitted nowhere` : '';
  const words = `no device has this serial or MAC${known}`;
  const asking = { word: client.word, device: null, wanted: ipv4Number(wantedAddress(message) ?? '') };
  // RFC 2131, 4.3.2: of a client that nothing is known of, it is not said that its address is wrong.
  const keeps = type === 'REQUEST' && requestState(message) !== 'selecting';
  if (keeps && !look.wireOf(link).some((one) => look.leases.own(one, 'quarantine', asking)))
    return {
      outcome: 'counted',
      detail: `it asks to keep ${wantedAddress(message) ?? 'an address'}, of which nothing is known here`,
    };
  const informs = type === 'INFORM' && link.quarantine.length > 0;
  const place = informs ? ownPlace(message, link) : pooledOffer(look, look.wireOf(link), 'quarantine', asking, now);
  const stranger = { address: place?.address ?? null, conflict: null };
  if (!place)
    return { outcome: 'dropped', detail: `${words}, and ${link.key} has no quarantine pool with room`, stranger };
  const told = toldToStranger(look, knownAs(look, client), client, place);
  return { ...answerWith(scene, told, place, `${words}: quarantine`), told, stranger };
}

/** OFFER to a DISCOVER; ACK or NAK to a REQUEST; parameters to an INFORM. */
function answerWith(scene: Scene, whole: Told, offer: LeaseOffer | undefined, noFile: string | null): Answer {
  const { look, message, type, now } = scene;
  if (type === 'INFORM' || !offer) return informed(scene, whole);
  const told = look.away ? whileAway(whole, offer, now) : whole;
  if (!told)
    return { outcome: 'dropped', detail: `the lease of ${offer.address} cannot be kept while the database is away` };
  const lease = { seconds: told.leaseSeconds, acknowledged: type === 'REQUEST' };
  if (type === 'DISCOVER') return { ...replied(scene, 'OFFER', told, offer, noFile), offer, lease };
  const wanted = wantedAddress(message);
  if (wanted === undefined) return { outcome: 'dropped', detail: 'it asks for no address' };
  if (wanted !== offer.address) return refused(scene, `${wanted} is not its address here; that is ${offer.address}`);
  return { ...replied(scene, 'ACK', told, offer, noFile), offer, lease };
}

/** What stands in the records is promised there; of a pool, no more than what was kept of it. */
function whileAway(told: Told, { source, held }: LeaseOffer, now: number): Told | undefined {
  if (source === 'fixed') return told;
  const left = Math.floor(((held?.kept ?? 0) - now) / 1000);
  if (left <= 0) return undefined;
  const leaseSeconds = Math.min(told.leaseSeconds, left);
  return { ...told, leaseSeconds, leaseFrom: 'what is left of it while the database is away' };
}

function replied(
  scene: Scene,
  type: 'OFFER' | 'ACK',
  told: Told,
  { address, from }: LeaseOffer,
  noFile: string | null,
): Answer {
  const file = noFile === null ? (told.file ? `, boot file ${told.file.name}` : '') : `, no boot file: ${noFile}`;
  return sent(scene, type, told, address, `${type} of ${address} (${from})${file}`);
}

function sent(scene: Scene, type: 'OFFER' | 'ACK', told: Told, address: string, words: string): Answer {
  const { message, link, onWire } = scene;
  const built = buildReply(message, type, told);
  if (!built.ok) return { outcome: 'broken', detail: brokenWords(built.fault) };
  const reply = built.value;
  const left = reply.untold.filter(({ why }) => why.startsWith('no room'));
  const out = { bytes: reply.bytes, destination: destinationOf(message, type, onWire), vrf: link.vrfName };
  const without = left.map(({ code, name }) => `${name} (${code})`).join(', ');
  const detail = left.length === 0 ? words : `${words}; without ${without}: ${left[0]?.why ?? ''}`;
  return { outcome: 'answered', detail, address, reply, out };
}

function brokenWords({ code, params }: { code: string; params: Record<string, string | number> }): string {
  return code === 'dhcp-too-large'
    ? `the reply does not fit: what must be told needs ${params.length ?? '?'} bytes, the client takes ${params.largest ?? '?'}`
    : `option ${params.code ?? '?'} cannot be written: ${code}`;
}

function refused({ look, message, client, link, onWire }: Scene, words: string): Answer {
  const bytes = buildNak(message, knownAs(look, client).serverAddress, words.slice(0, 200));
  if (!bytes.ok) return { outcome: 'broken', detail: brokenWords(bytes.fault) };
  const out = { bytes: bytes.value, destination: destinationOf(message, 'NAK', onWire), vrf: link.vrfName };
  return { outcome: 'refused', detail: `NAK: ${words}`, out };
}

/** RFC 2131, 4.3.5: parameters only, no lease. */
function informed(scene: Scene, told: Told): Answer {
  const own = scene.message.clientAddress;
  return sent(scene, 'ACK', told, own, `parameters for ${own}`);
}
