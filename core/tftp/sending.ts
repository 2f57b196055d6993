/**
 * One file on its way to a client: a state machine without sockets or clocks. RFC 1350, with blksize (RFC 2348), tsize
 * and timeout (RFC 2349) and windowsize (RFC 7440). Block numbers wrap past 65535; a repeated ACK is never answered with
 * data again (RFC 1123, 4.2.3.1: the Sorcerer's Apprentice), only a timeout is.
 */
import { encodePacket, errorCodes, toNetascii, type Packet, type TransferMode } from './packet.ts';

interface SendingOptions {
  blockSize: number;
  windowSize: number;
  timeoutSeconds: number;
}

const standard: SendingOptions = { blockSize: 512, windowSize: 1, timeoutSeconds: 2 };

/** A datagram with 1468 bytes of data fits into an Ethernet frame; clients that want more get this: boot loaders put no fragments together. */
const LARGEST_BLOCK = 1468;
/** What is allowed to ask for (RFC 2348, RFC 7440). */
const MOST_BLOCK = 65464;
const MOST_WINDOW = 65535;
const LARGEST_WINDOW = 64;
const TRIES = 5;
/** Who asks for more seconds between two tries keeps a place that others need: the option is not taken (RFC 2349 leaves that open). */
const LONGEST_TIMEOUT = 15;

export interface Sending {
  file: Uint8Array;
  options: SendingOptions;
  /** Options that were taken, as they are told to the client; empty when it named none that we know. */
  agreed: Record<string, string>;
  phase: 'agreeing' | 'data' | 'done' | 'failed';
  /** How many whole blocks the client has, counted without wrapping. */
  acknowledged: number;
  /** Timeouts without progress. */
  tries: number;
}

export type Event = { packet: Packet } | 'timeout';

export interface Step {
  state: Sending;
  /** Datagrams to send now, in order. */
  send: Uint8Array[];
  /** Why it ended, when it did. */
  ended?: { ok: true } | { ok: false; why: 'client-error' | 'no-answer' | 'protocol'; detail: string };
}

/** What is beyond what is allowed is no value; what is more than we give becomes that. */
const number = (text: string | undefined, least: number, most: number, allowed = most): number | undefined => {
  if (text === undefined || !/^[0-9]{1,10}$/.test(text)) return undefined;
  const value = Number(text);
  return value >= least && value <= allowed ? Math.min(value, most) : undefined;
};

/** Begins with a read request. Options that we do not know, or whose value is not possible, are left out (RFC 2347). */
export function begin(request: { mode: TransferMode; options: Record<string, string> }, content: Uint8Array): Step {
  const file = request.mode === 'netascii' ? toNetascii(content) : content;
  const blockSize = number(request.options.blksize, 8, LARGEST_BLOCK, MOST_BLOCK);
  const windowSize = number(request.options.windowsize, 1, LARGEST_WINDOW, MOST_WINDOW);
  const timeout = number(request.options.timeout, 1, LONGEST_TIMEOUT);
  const agreed: Record<string, string> = {};
  if (blockSize !== undefined) agreed.blksize = String(blockSize);
  // The timeout is the client's to choose: it is repeated as it came, or not at all.
  if (timeout !== undefined && timeout === Number(request.options.timeout)) agreed.timeout = String(timeout);
  if (request.options.tsize === '0') agreed.tsize = String(file.length);
  if (windowSize !== undefined) agreed.windowsize = String(windowSize);
  const options: SendingOptions = {
    blockSize: blockSize ?? standard.blockSize,
    windowSize: windowSize ?? standard.windowSize,
    timeoutSeconds: agreed.timeout === undefined ? standard.timeoutSeconds : Number(agreed.timeout),
  };
  const agreeing = Object.keys(agreed).length > 0;
  const state: Sending = { file, options, agreed, phase: agreeing ? 'agreeing' : 'data', acknowledged: 0, tries: 0 };
  return { state, send: window(state) };
}

/** The last block is the first that is not full; a file that ends on a full block has an empty one behind it. */
const lastBlock = (s: Sending): number => Math.floor(s.file.length / s.options.blockSize) + 1;

/** What is sent from here: the options, or the blocks of one window behind what the client has. */
function window(s: Sending): Uint8Array[] {
  if (s.phase === 'agreeing') return [encodePacket({ kind: 'options', options: s.agreed })];
  const { blockSize, windowSize } = s.options;
  const out: Uint8Array[] = [];
  for (let n = s.acknowledged + 1; n <= Math.min(lastBlock(s), s.acknowledged + windowSize); n += 1) {
    const bytes = s.file.subarray((n - 1) * blockSize, n * blockSize);
    out.push(encodePacket({ kind: 'data', block: n & 0xffff, bytes }));
  }
  return out;
}

export function step(s: Sending, event: Event): Step {
  if (s.phase === 'done' || s.phase === 'failed') return { state: s, send: [] };
  if (event === 'timeout') return again(s);
  const { packet } = event;
  if (packet.kind === 'error') {
    return {
      state: { ...s, phase: 'failed' },
      send: [],
      ended: { ok: false, why: 'client-error', detail: packet.message || `error ${packet.code}` },
    };
  }
  if (packet.kind !== 'ack') {
    const refusal = encodePacket({ kind: 'error', code: errorCodes.illegal, message: 'an ACK is expected here' });
    return {
      state: { ...s, phase: 'failed' },
      send: [refusal],
      ended: { ok: false, why: 'protocol', detail: `a ${packet.kind} packet instead of an ACK` },
    };
  }
  return acknowledge(s, packet.block);
}

function again(s: Sending): Step {
  if (s.tries + 1 >= TRIES) {
    const detail =
      s.phase === 'agreeing'
        ? 'the options were never acknowledged'
        : `block ${s.acknowledged + 1} was never acknowledged`;
    return { state: { ...s, phase: 'failed' }, send: [], ended: { ok: false, why: 'no-answer', detail } };
  }
  const state = { ...s, tries: s.tries + 1 };
  return { state, send: window(state) };
}

function acknowledge(s: Sending, block: number): Step {
  if (s.phase === 'agreeing') {
    if (block !== 0) return { state: s, send: [] };
    const state: Sending = { ...s, phase: 'data', tries: 0 };
    return { state, send: window(state) };
  }
  // Which block of the window under way it is: numbers wrap, windows are far smaller than the wrap.
  const ahead = (block - (s.acknowledged & 0xffff)) & 0xffff;
  const sent = Math.min(lastBlock(s), s.acknowledged + s.options.windowSize) - s.acknowledged;
  if (ahead === 0 || ahead > sent) return { state: s, send: [] };
  const state: Sending = { ...s, acknowledged: s.acknowledged + ahead, tries: 0 };
  if (state.acknowledged === lastBlock(s)) return { state: { ...state, phase: 'done' }, send: [], ended: { ok: true } };
  return { state, send: window(state) };
}

/** How much of the file the client has, in bytes. */
export const sentBytes = (s: Sending): number => Math.min(s.file.length, s.acknowledged * s.options.blockSize);
