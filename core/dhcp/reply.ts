/**
 * What a client is told: a pure function from the message, and what the records say about its sender, to the reply with
 * a reason for every part. Nothing here reads a clock or a database.
 */
import { fail, ok, type Parsed } from '../fault.ts';
import {
  codeOf,
  encodeOption,
  rowOf,
  showOption,
  type OptionFault,
  type OptionName,
  type OptionValue,
  type SiteTypes,
} from './options.ts';
import { messageTypes, type Message, type MessageType } from './message.ts';

/** One option that could be told, and where it comes from: `prefix 10.77.16.0/24, gateway`. */
export interface Offerable {
  code: number;
  value: OptionValue;
  from: string;
  /** Told even when the client did not ask for it. */
  always?: boolean;
}

/** What the records say about a client. */
export interface Told {
  address: string;
  addressFrom: string;
  leaseSeconds: number;
  /** Where that comes from. */
  leaseFrom: string;
  /** The address that clients reach this server at: option 54, and `siaddr` when the boot file lies here. */
  serverAddress: string;
  /** The boot file, if this client is given one. */
  file?: { name: string; server: string; from: string };
  options: Offerable[];
  siteTypes?: SiteTypes;
}

/** One line of an explanation: what stands in the reply, as value and as bytes, and why. */
interface Line {
  code: number;
  name: string;
  value: string;
  bytes: Uint8Array;
  from: string;
}

export interface Reply {
  message: Message;
  lines: Line[];
  /** What was not told, and why: not asked for, or no room. */
  untold: { code: number; name: string; why: string }[];
}

const ALWAYS: OptionName[] = ['subnet-mask', 'routers', 'lease-time', 'server-identifier'];

/** OFFER to a DISCOVER, ACK to a REQUEST. */
export function buildReply(request: Message, type: 'OFFER' | 'ACK', told: Told): Parsed<Reply, OptionFault> {
  const asked = new Set(request.options.get(codeOf('parameter-request-list')) ?? []);
  const lines: Line[] = [];
  const untold: Reply['untold'] = [];
  const options = new Map<number, Uint8Array>();
  const put = (code: number, value: OptionValue, from: string): OptionFault | undefined => {
    const bytes = encodeOption(code, value, told.siteTypes);
    if (!bytes.ok) return bytes.fault.code;
    options.set(code, bytes.value);
    lines.push({
      code,
      name: rowOf(code, told.siteTypes).name,
      value: showOption(code, value, told.siteTypes),
      bytes: bytes.value,
      from,
    });
    return undefined;
  };
  const fixed: [OptionName, OptionValue, string][] = [
    ['message-type', messageTypes.indexOf(type), `the answer to a ${typeName(request)}`],
    ['server-identifier', told.serverAddress, 'this server'],
    ['lease-time', told.leaseSeconds, told.leaseFrom],
    // RFC 2131, 4.4.5: half and seven eighths.
    ['renewal-time', Math.floor(told.leaseSeconds / 2), 'half of the lease'],
    ['rebinding-time', Math.floor((told.leaseSeconds * 7) / 8), 'seven eighths of the lease'],
  ];
  for (const [name, value, from] of fixed) {
    const fault = put(codeOf(name), value, from);
    if (fault) return fail(fault, { code: codeOf(name) });
  }
  for (const { code, value, from, always } of told.options) {
    const needed = always || ALWAYS.some((name) => codeOf(name) === code);
    if (!needed && !asked.has(code)) {
      untold.push({ code, name: rowOf(code, told.siteTypes).name, why: 'the client did not ask for it' });
      continue;
    }
    const fault = put(code, value, from);
    if (fault) return fail(fault, { code });
  }
  echo(request, options, lines);
  return ok({ message: replyTo(request, told, options), lines, untold });
}

const typeName = (request: Message): string => messageTypes[request.options.get(53)?.[0] ?? 0] ?? '';

/** The client identifier comes back (RFC 6842), and the relay's information (RFC 3046, section 2.2). */
function echo(request: Message, options: Map<number, Uint8Array>, lines: Line[]): void {
  for (const [name, from] of [
    ['client-identifier', 'as the client sent it'],
    ['relay-agent-information', 'as the relay sent it'],
  ] as const) {
    const code = codeOf(name);
    const bytes = request.options.get(code);
    if (!bytes) continue;
    options.set(code, bytes);
    lines.push({ code, name, value: showOption(code, hex(bytes)), bytes, from });
  }
}

const hex = (bytes: Uint8Array): string => Array.from(bytes, (b) => b.toString(16).padStart(2, '0')).join('');

function replyTo(request: Message, told: Told, options: Map<number, Uint8Array>): Message {
  return {
    op: 'reply',
    hardwareType: request.hardwareType,
    hops: 0,
    xid: request.xid,
    secs: 0,
    broadcast: request.broadcast,
    clientAddress: typeName(request) === 'REQUEST' ? request.clientAddress : '0.0.0.0',
    yourAddress: told.address,
    serverAddress: told.file?.server ?? '0.0.0.0',
    relayAddress: request.relayAddress,
    hardwareAddress: request.hardwareAddress,
    serverName: '',
    file: told.file?.name ?? '',
    options,
  };
}

/** "No": the address that the client wants is not its own here (RFC 2131, 4.3.2). */
export function buildNak(request: Message, serverAddress: string, words: string): Message {
  const options = new Map<number, Uint8Array>();
  for (const [name, value] of [
    ['message-type', messageTypes.indexOf('NAK')],
    ['server-identifier', serverAddress],
    ['message', words],
  ] as const) {
    const bytes = encodeOption(codeOf(name), value);
    if (bytes.ok) options.set(codeOf(name), bytes.value);
  }
  echo(request, options, []);
  // A relay must broadcast it: the client cannot be reached at an address that is not its own.
  return {
    ...replyTo(
      request,
      { address: '0.0.0.0', addressFrom: '', leaseSeconds: 0, leaseFrom: '', serverAddress, options: [] },
      options,
    ),
    clientAddress: '0.0.0.0',
    broadcast: true,
  };
}

/** Where a reply goes (RFC 2131, 4.1). */
export type Destination = { to: 'relay' | 'client'; address: string; port: 67 | 68 } | { to: 'broadcast'; port: 68 };

export function destinationOf(request: Message, reply: { type: MessageType; yourAddress: string }): Destination {
  if (request.relayAddress !== '0.0.0.0') return { to: 'relay', address: request.relayAddress, port: 67 };
  if (reply.type === 'NAK') return { to: 'broadcast', port: 68 };
  if (request.clientAddress !== '0.0.0.0') return { to: 'client', address: request.clientAddress, port: 68 };
  // A unicast to an address that the client does not have yet would need an ARP entry; every client takes a broadcast.
  return { to: 'broadcast', port: 68 };
}

/** What a REQUEST is about (RFC 2131, table 4). */
export type RequestState = 'selecting' | 'rebooting' | 'renewing';

export function requestState(request: Message): RequestState {
  if (request.options.has(codeOf('server-identifier'))) return 'selecting';
  return request.options.has(codeOf('requested-address')) ? 'rebooting' : 'renewing';
}

/** The address that a client asks for: option 50, or the one that it uses already. */
export const wantedAddress = (request: Message): string | undefined => {
  const bytes = request.options.get(codeOf('requested-address'));
  if (bytes?.length === 4) return Array.from(bytes).join('.');
  return request.clientAddress === '0.0.0.0' ? undefined : request.clientAddress;
};
