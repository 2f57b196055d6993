/** Answers one DHCP message, in one unit of work: a lease is on disk before its ACK goes out. */
import { type ArrivalEvent } from '@zpine/core/arrival/arrival';
import { encodeMessage, typeOfMessage, type Message, type MessageType } from '@zpine/core/dhcp/message';
import { codeOf } from '@zpine/core/dhcp/options';
import {
  buildNak,
  buildReply,
  destinationOf,
  requestState,
  wantedAddress,
  type Destination,
  type Reply,
  type Told,
} from '@zpine/core/dhcp/reply';
import { formatIp } from '@zpine/core/addressing/ip';
import { type Stored } from '@zpine/contract/kinds';
import { keyOf } from '../../store/records.ts';
import { ipText, valueOf } from '../../store/spans.ts';
import { type Tx } from '../../store/tx.ts';
import { applyEvent, openArrival, type Seen } from '../arrivals/arrivals.ts';
import { publishedOf } from '../editions/rows.ts';
import { mayBeListed, saveStranger, strangerId } from '../arrivals/strangers.ts';
import { clientOf, identify, linkOf, type Client, type Who } from './identify.ts';
import { isDeclaredRelay, saveRefusedRelay, speaksFor } from './relays.ts';
import { decline, fixedAddress, saveLease, poolAddress, release, type Holder, type LeaseOffer } from './leases.ts';
import { saveBootRecord, type BootNote } from './records.ts';
import { answerForDevice, answerForStranger } from './tell.ts';

export interface Outgoing {
  bytes: Uint8Array;
  destination: Destination;
}

const DECLINED_SECONDS = 3600;

type Found = { link: Stored<'prefix'>; who: Who; client: Client };

/** Nobody is answered, and nothing written down: whoever listens counts it. */
export interface OnlyCounted {
  counted: string;
}

/** `source`: where the packet came from, as devices know the address. */
export async function answerDhcp(
  tx: Tx,
  message: Message,
  source: string,
): Promise<Outgoing | OnlyCounted | undefined> {
  const type = typeOfMessage(message);
  const client = clientOf(message);
  const what = type.ok ? type.value : 'message';
  const note = (outcome: BootNote['outcome'], detail: string, more: Partial<BootNote> = {}) =>
    saveBootRecord(tx, { protocol: 'dhcp', what, outcome, mac: client.mac, detail, ...more });
  const silent = async (detail: string, more: Partial<BootNote> = {}): Promise<undefined> =>
    void (await note('dropped', detail, more));
  if (!type.ok) return silent('it has no message type (option 53)');
  if (!['DISCOVER', 'REQUEST', 'RELEASE', 'DECLINE', 'INFORM'].includes(type.value))
    return silent(`a ${type.value} is a server's message`);

  const link = await linkOf(tx, client.relay);
  const behind = client.relay === null ? 'on the wire of the service' : `behind relay ${client.relay}`;
  if (!link) return silent(`no prefix of the default VRF holds it, ${behind}`);
  if (client.relay !== null && !(await isDeclaredRelay(tx, link, client.relay))) {
    return silent(
      `relay ${client.relay} is not declared: it is neither the gateway of ${link.key} nor on an interface`,
    );
  }
  if (client.relay !== null && !(await speaksFor(tx, link, client.relay, source))) {
    await saveRefusedRelay(tx, link, client.relay, source);
    return {
      counted: `it says it is from relay ${client.relay} and comes from ${source}, which is no address of its device`,
    };
  }
  if (type.value === 'RELEASE' || type.value === 'DECLINE') return giveBack(tx, type.value, message, client, note);

  const who = await identify(tx, client);
  const found: Found = { link, who, client };
  if (who.is !== 'device' && !(await mayBeListed(tx, client, link)))
    return { counted: `more strangers than are listed in ${link.key}; dismiss those that are nobody` };
  if (who.is === 'conflict') {
    await saveStranger(tx, client, link, null, who.why);
    return silent(who.why);
  }
  const elsewhere = who.is === 'device' ? await leasedElsewhere(tx, who.device, link) : undefined;
  if (elsewhere !== undefined) {
    await saveStranger(tx, client, link, null, elsewhere);
    return silent(elsewhere);
  }
  if (type.value === 'REQUEST' && requestState(message) === 'selecting' && serverOf(message) !== tx.place.address) {
    return silent(`it takes the offer of another server, ${serverOf(message) ?? ''}`);
  }
  const answer =
    who.is === 'device'
      ? await answerDevice(tx, message, type.value, found, who)
      : await answerStranger(tx, message, type.value, found, who);
  await note(answer.outcome, answer.detail, {
    address: answer.address,
    device: who.is === 'device' ? who.device.id : undefined,
  });
  return answer.out;
}

/**
 * Whoever shows the identity of a device that holds its lease at another site takes nothing away from it: one of the two
 * is not the device. (Within a site a device moves on from the address that it booted with.)
 */
async function leasedElsewhere(tx: Tx, device: Stored<'device'>, link: Stored<'prefix'>): Promise<string | undefined> {
  if (link.site === null) return undefined;
  const lease = await tx.one<{ address: Buffer; expires_at: Date; site_id: number }>(
    `SELECT l.address, l.expires_at, p.site_id FROM lease l JOIN prefix p ON p.id = l.prefix_id
     WHERE l.device_id = ? AND l.acknowledged = 1 AND l.expires_at > ? AND p.site_id <> ? LIMIT 1`,
    [device.id, await tx.now(), link.site],
  );
  if (!lease) return undefined;
  const site = (await keyOf(tx, 'site', Number(lease.site_id))) ?? '';
  const until = lease.expires_at.toISOString().slice(0, 16).replace('T', ' ');
  return `it shows the identity of ${device.key}, which holds ${ipText(4, valueOf(lease.address, 4))} at ${site.toUpperCase()} until ${until} UTC; what is right is answered after that, or when ${device.key} gave its address back`;
}

const serverOf = (message: Message): string | undefined => {
  const bytes = message.options.get(codeOf('server-identifier'));
  return bytes?.length === 4
    ? formatIp({ family: 4, value: bytes.reduce((sum, b) => (sum << 8n) | BigInt(b), 0n) })
    : undefined;
};

interface Answer {
  outcome: BootNote['outcome'];
  detail: string;
  address?: string;
  out?: Outgoing;
}

async function giveBack(
  tx: Tx,
  type: 'RELEASE' | 'DECLINE',
  message: Message,
  client: Client,
  note: (outcome: BootNote['outcome'], detail: string) => Promise<void>,
): Promise<undefined> {
  const address = (type === 'RELEASE' ? message.clientAddress : wantedAddress(message)) ?? '0.0.0.0';
  const done =
    type === 'RELEASE'
      ? await release(tx, address, client.word)
      : await decline(tx, address, client.word, DECLINED_SECONDS);
  const words = type === 'RELEASE' ? 'gave back' : 'found somebody else at';
  await note(
    done ? 'answered' : 'dropped',
    done ? `it ${words} ${address}` : `it ${words} ${address}, which it does not have`,
  );
  return undefined;
}

async function answerDevice(
  tx: Tx,
  message: Message,
  type: MessageType,
  { link, client }: Found,
  who: Who & { is: 'device' },
): Promise<Answer> {
  const { device, box } = who;
  const holder: Holder = { word: client.word, mac: client.mac, device: device.id, stranger: null };
  const place = (await fixedAddress(tx, device, link)) ?? (await poolAddress(tx, link, 'pool', holder));
  const arrival = await openArrival(tx, device.id);
  const seen: Seen = { box: { serial: client.serial ?? box?.serial ?? null, mac: client.mac }, relay: client.relay };
  const evidence = {
    mac: client.mac,
    by: who.by,
    ...(client.serial === null ? {} : { serial: client.serial }),
    ...(client.relay === null ? {} : { relay: client.relay }),
    ...(client.vendorClass === null ? {} : { vendorClass: client.vendorClass }),
    ...(client.circuit === null ? {} : { circuit: client.circuit }),
  };
  const kind = type === 'DISCOVER' ? 'discover' : 'request';
  let row =
    arrival && type !== 'INFORM' && !isRenewal(message, type)
      ? await applyEvent(tx, arrival, { kind, evidence }, seen)
      : undefined;
  const happened = async (event: ArrivalEvent, more: Seen = {}): Promise<void> => {
    if (row) row = await applyEvent(tx, row, event, more);
  };
  if (!place)
    return {
      outcome: 'refused',
      detail: `there is no address for ${device.key} in ${link.key}: none of its own, and no free one in the pool`,
    };
  const { told, noFile } = await answerForDevice(tx, device, link, place);
  if (type === 'INFORM') return informed(message, told);
  if (type === 'DISCOVER') {
    await saveLease(tx, link, place, holder, told.leaseSeconds, false);
    const answer = replied(message, 'OFFER', told, place, noFile);
    if (answer.out) await happened({ kind: 'offered', evidence: { address: place.address, from: place.from } });
    return answer;
  }
  const wanted = wantedAddress(message);
  if (wanted !== place.address)
    return refused(tx, message, `${wanted ?? 'no address'} is not its address here; that is ${place.address}`);
  await saveLease(tx, link, place, holder, told.leaseSeconds, true);
  const answer = replied(message, 'ACK', told, place, noFile);
  const edition = row ? (await publishedOf(tx, device.id))?.id : undefined;
  if (answer.out)
    await happened(
      {
        kind: 'leased',
        evidence: {
          address: place.address,
          seconds: told.leaseSeconds,
          ...(told.file ? { file: told.file.name } : {}),
        },
      },
      { address: place.address, edition },
    );
  return answer;
}

/** A client that lives with its address and asks to keep it does not boot. */
const isRenewal = (message: Message, type: MessageType): boolean =>
  type === 'REQUEST' && requestState(message) === 'renewing';

async function answerStranger(
  tx: Tx,
  message: Message,
  type: MessageType,
  { link, client }: Found,
  who: Who & { is: 'stranger' },
): Promise<Answer> {
  const holder: Holder = {
    word: client.word,
    mac: client.mac,
    device: null,
    stranger: (await strangerId(tx, client)) ?? null,
  };
  const place = await poolAddress(tx, link, 'quarantine', holder);
  await saveStranger(tx, client, link, place?.address ?? null, null);
  const known = who.box ? `; it is box ${who.box.serial}, which is fitted nowhere` : '';
  if (!place)
    return {
      outcome: 'dropped',
      detail: `no device has this serial or MAC${known}, and ${link.key} has no quarantine pool with room`,
    };
  const told = answerForStranger(tx, link, place);
  if (type === 'INFORM') return informed(message, told);
  const words = `no device has this serial or MAC${known}: quarantine`;
  if (type === 'DISCOVER') {
    await saveLease(tx, link, place, holder, told.leaseSeconds, false);
    return replied(message, 'OFFER', told, place, words);
  }
  const wanted = wantedAddress(message);
  if (wanted !== place.address)
    return refused(tx, message, `${wanted ?? 'no address'} is not its address here; that is ${place.address}`);
  await saveLease(tx, link, place, holder, told.leaseSeconds, true);
  return replied(message, 'ACK', told, place, words);
}

function replied(
  message: Message,
  type: 'OFFER' | 'ACK',
  told: Told,
  place: LeaseOffer,
  noFile: string | null,
): Answer {
  const reply = buildReply(message, type, told);
  if (!reply.ok)
    return {
      outcome: 'broken',
      detail: `option ${reply.fault.params.code ?? '?'} cannot be written: ${reply.fault.code}`,
    };
  const words = `${type} of ${place.address} (${place.from})${noFile === null ? (told.file ? `, boot file ${told.file.name}` : '') : `, no boot file: ${noFile}`}`;
  return sent(message, reply.value, type, place.address, words);
}

/** The largest message that the client takes (option 57) counts IP and UDP headers, too. */
function largestOf(message: Message): number {
  const bytes = message.options.get(57);
  const said = bytes?.length === 2 ? (bytes[0] ?? 0) * 256 + (bytes[1] ?? 0) : 576;
  return Math.max(548, said - 28);
}

function sent(message: Message, reply: Reply, type: 'OFFER' | 'ACK', address: string, words: string): Answer {
  const bytes = encodeMessage(reply.message, { largest: Math.min(1472, Math.max(548, largestOf(message))) });
  if (!bytes.ok) return { outcome: 'broken', detail: `the reply does not fit: ${bytes.fault.code}` };
  const destination = destinationOf(message, { type, yourAddress: reply.message.yourAddress });
  return { outcome: 'answered', detail: words, address, out: { bytes: bytes.value, destination } };
}

async function refused(tx: Tx, message: Message, words: string): Promise<Answer> {
  const bytes = encodeMessage(buildNak(message, tx.place.address, words.slice(0, 200)));
  if (!bytes.ok) return { outcome: 'broken', detail: words };
  const destination = destinationOf(message, { type: 'NAK', yourAddress: '0.0.0.0' });
  return Promise.resolve({ outcome: 'refused', detail: `NAK: ${words}`, out: { bytes: bytes.value, destination } });
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
