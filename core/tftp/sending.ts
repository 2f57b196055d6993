/**
 * One file on its way to a client: a state machine without sockets or clocks. RFC 1350, with blksize (RFC 2348), tsize
 * and timeout (RFC 2349) and windowsize (RFC 7440). Block numbers wrap past 65535; a repeated ACK is never answered with
 * data again (RFC 1123, 4.2.3.1: the Sorcerer's Apprentice), only a timeout is.
 */
import { agreeOn, TRIES, type TransferOptions } from './options.ts';
import { encodePacket, errorCodes, type Packet } from './packet.ts';

export interface Sending {
  /** How long the file is, in bytes. It is not held here: a large one is read piece by piece. */
  length: number;
  options: TransferOptions;
  /** Options that were taken, as they are told to the client; empty when it named none that we know. */
  agreed: Record<string, string>;
  phase: 'agreeing' | 'data' | 'done' | 'failed';
  /** How many whole blocks the client has, counted without wrapping. */
  acknowledged: number;
  /** Timeouts without progress. */
  tries: number;
}

export type Event = { packet: Packet } | 'timeout';

/** A DATA packet whose content is the bytes of the file from `from` up to `to`. */
interface Block {
  /** As it stands in the packet. */
  block: number;
  from: number;
  to: number;
}
type Outgoing = Uint8Array | Block;

export interface Step {
  state: Sending;
  /** Datagrams to send now, in order. */
  send: Outgoing[];
  /** Why it ended, when it did. */
  ended?: { ok: true } | { ok: false; why: 'client-error' | 'no-answer' | 'protocol'; detail: string };
}

/** Begins with a read request for a file of so many bytes, as they go over the wire. */
export function begin(request: { options: Record<string, string> }, length: number): Step {
  const { options, agreed } = agreeOn(request.options);
  if (request.options.tsize === '0') agreed.tsize = String(length);
  const agreeing = Object.keys(agreed).length > 0;
  const state: Sending = { length, options, agreed, phase: agreeing ? 'agreeing' : 'data', acknowledged: 0, tries: 0 };
  return { state, send: window(state) };
}

/** The last block is the first that is not full; a file that ends on a full block has an empty one behind it. */
const lastBlock = (s: Sending): number => Math.floor(s.length / s.options.blockSize) + 1;

/** What is sent from here: the options, or the blocks of one window behind what the client has. */
function window(s: Sending): Outgoing[] {
  if (s.phase === 'agreeing') return [encodePacket({ kind: 'options', options: s.agreed })];
  const { blockSize, windowSize } = s.options;
  const out: Block[] = [];
  for (let n = s.acknowledged + 1; n <= Math.min(lastBlock(s), s.acknowledged + windowSize); n += 1) {
    out.push({ block: n & 0xffff, from: (n - 1) * blockSize, to: Math.min(n * blockSize, s.length) });
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
export const sentBytes = (s: Sending): number => Math.min(s.length, s.acknowledged * s.options.blockSize);
