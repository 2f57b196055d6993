/**
 * One file on its way from a client: a state machine without sockets or clocks. RFC 1350 with the options of RFC 2347 to
 * 2349 and 7440: a window is acknowledged as a whole, or where a block is missing. What came last is acknowledged again
 * for whoever did not hear it (RFC 1350, section 6).
 */
import { agreeOn, TRIES, type TransferOptions } from './options.ts';
import { encodePacket, errorCodes, type Packet } from './packet.ts';

export interface Receiving {
  options: TransferOptions;
  agreed: Record<string, string>;
  phase: 'agreeing' | 'data' | 'done' | 'failed';
  /** Blocks that have come in their order, counted without wrapping; of them acknowledged. */
  got: number;
  acknowledged: number;
  bytes: number;
  most: number;
  tries: number;
}

export type Event = { packet: Packet } | 'timeout';

export interface Step {
  state: Receiving;
  send: Uint8Array[];
  /** What came next of the file. */
  take?: Uint8Array;
  ended?: { ok: true } | { ok: false; why: 'client-error' | 'no-answer' | 'protocol' | 'full'; detail: string };
}

/** Begins with a write request. `most`: bytes that are taken. */
export function begin(request: { options: Readonly<Record<string, string>> }, most: number): Step {
  const { options, agreed } = agreeOn(request.options);
  const { tsize } = request.options;
  const told = tsize !== undefined && /^[0-9]{1,15}$/.test(tsize) ? Number(tsize) : undefined;
  if (told !== undefined) agreed.tsize = String(told);
  const agreeing = Object.keys(agreed).length > 0;
  const state: Receiving = {
    ...{ options, agreed, most, phase: agreeing ? 'agreeing' : 'data' },
    ...{ got: 0, acknowledged: 0, bytes: 0, tries: 0 },
  };
  return told !== undefined && told > most ? full(state) : { state, send: [answer(state)] };
}

const answer = (s: Receiving): Uint8Array =>
  s.phase === 'agreeing'
    ? encodePacket({ kind: 'options', options: s.agreed })
    : encodePacket({ kind: 'ack', block: s.got & 0xffff });

function full(s: Receiving): Step {
  const detail = `more than the ${s.most} bytes that are taken`;
  const send = [encodePacket({ kind: 'error', code: errorCodes.full, message: detail })];
  return { state: { ...s, phase: 'failed' }, send, ended: { ok: false, why: 'full', detail } };
}

export function step(s: Receiving, event: Event): Step {
  if (s.phase === 'failed') return { state: s, send: [] };
  if (event === 'timeout') {
    if (s.phase === 'done') return { state: s, send: [] };
    if (s.tries + 1 >= TRIES) {
      const detail = `block ${s.got + 1} never came`;
      return { state: { ...s, phase: 'failed' }, send: [], ended: { ok: false, why: 'no-answer', detail } };
    }
    const state = { ...s, tries: s.tries + 1, acknowledged: s.got };
    return { state, send: [answer(state)] };
  }
  const { packet } = event;
  // The acknowledgement of the last block was lost.
  if (s.phase === 'done')
    return { state: s, send: packet.kind === 'data' && packet.block === (s.got & 0xffff) ? [answer(s)] : [] };
  if (packet.kind === 'error') {
    const detail = packet.message || `error ${packet.code}`;
    return { state: { ...s, phase: 'failed' }, send: [], ended: { ok: false, why: 'client-error', detail } };
  }
  if (packet.kind !== 'data') {
    const send = [encodePacket({ kind: 'error', code: errorCodes.illegal, message: 'DATA is expected here' })];
    const detail = `a ${packet.kind} packet instead of DATA`;
    return { state: { ...s, phase: 'failed' }, send, ended: { ok: false, why: 'protocol', detail } };
  }
  return data(s, packet.block, packet.bytes);
}

function data(s: Receiving, block: number, bytes: Uint8Array): Step {
  const { blockSize, windowSize } = s.options;
  if (bytes.length > blockSize) {
    const message = `a block of ${bytes.length} bytes, and ${blockSize} were agreed`;
    const send = [encodePacket({ kind: 'error', code: errorCodes.illegal, message })];
    return { state: { ...s, phase: 'failed' }, send, ended: { ok: false, why: 'protocol', detail: message } };
  }
  const ahead = (block - (s.got & 0xffff)) & 0xffff;
  // One that came already; or one is missing before it: what there is is said, and the client goes back to there.
  if (ahead !== 1) {
    const state = { ...s, acknowledged: s.got };
    const missing = ahead > 1 && ahead <= windowSize;
    const repeated = ahead === 0 && s.got > 0 && s.acknowledged === s.got;
    return { state, send: missing || repeated ? [answer({ ...state, phase: 'data' })] : [] };
  }
  if (s.bytes + bytes.length > s.most) return full(s);
  const got = s.got + 1;
  const last = bytes.length < blockSize;
  const due = last || got - s.acknowledged >= windowSize;
  const state: Receiving = {
    ...s,
    ...{ got, bytes: s.bytes + bytes.length, tries: 0, phase: last ? 'done' : 'data' },
    acknowledged: due ? got : s.acknowledged,
  };
  return { state, send: due ? [answer(state)] : [], take: bytes, ...(last ? { ended: { ok: true } } : {}) };
}
