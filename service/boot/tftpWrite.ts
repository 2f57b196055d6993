/** A file that a client sends: taken in whole, kept, and only then acknowledged to its end. */
import type { RemoteInfo } from 'node:dgram';
import { decodePacket, encodePacket, errorCodes, fromNetascii, type Packet } from '@zpine/core/tftp/packet';
import { begin, step, type Receiving, type Step } from '@zpine/core/tftp/receiving';
import { keepSent, refusesWrite, type Writing } from '../app/fleet/sent.ts';
import type { Actor } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { BootParts } from './dhcp.ts';
import { bound, closedSoon } from './sockets.ts';

const actor: Actor = { name: 'boot', via: 'service' };
/** As much as is captured of a device otherwise. */
const MOST_BYTES = 4 * 1024 * 1024;
const LONGEST_MS = 5 * 60_000;
/** How long the last block is acknowledged once more to who did not hear it. */
const DALLY_MS = 10_000;

type WriteRequest = Extract<Packet, { kind: 'read' | 'write' }>;

interface Incoming {
  request: WriteRequest;
  from: RemoteInfo;
  /** Of ours: where the transfer gets a port of its own. */
  own: string;
  writing: Writing;
  /** It is kept: nothing of it is held any more, and its last block may be said once more. */
  kept: () => void;
  ended: () => void;
}

/** Gives how it is stopped and whether it goes on, or why nothing is taken. */
export async function takeFile(
  parts: BootParts,
  { request, from, own, writing, kept, ended }: Incoming,
): Promise<{ stop: () => void; began: () => boolean } | string> {
  const why = await transact(parts.store, actor, 'file', (tx) => refusesWrite(tx, writing));
  if (why !== undefined) return why;
  const socket = await bound(own, 0);
  const pieces: Uint8Array[] = [];
  const first = begin(request, MOST_BYTES);
  let state: Receiving = first.state;
  let timer: NodeJS.Timeout | undefined;
  let over = false;
  let keeping = false;
  const send = (bytes: Uint8Array) => void socket.send(bytes, from.port, from.address);
  const end = (): void => {
    if (over) return;
    over = true;
    clearTimeout(timer);
    clearTimeout(longest);
    ended();
    closedSoon(socket);
  };
  const broken = (detail: string): void => {
    const { clock, account } = parts;
    const note = { protocol: 'tftp', what: 'write', outcome: 'broken', address: writing.from } as const;
    account.note({ ...note, device: writing.device, detail: `${writing.name}: ${detail}` }, clock.now());
    end();
  };
  /** The last acknowledgement says that it is kept: nobody hears it before that is so. */
  const keep = async (last: readonly Uint8Array[]): Promise<void> => {
    keeping = true;
    const sent = Buffer.concat(pieces);
    const content = request.mode === 'netascii' ? fromNetascii(sent) : sent;
    const refused = await transact(parts.store, actor, 'file', (tx) => keepSent(tx, writing, content)).catch(
      (error: unknown) => {
        parts.faults.say(error, 'a file that was sent could not be kept');
        return 'it could not be kept just now';
      },
    );
    keeping = false;
    if (over) return;
    if (refused !== undefined) {
      send(encodePacket({ kind: 'error', code: errorCodes.undefined, message: refused }));
      return end();
    }
    for (const bytes of last) send(bytes);
    pieces.length = 0;
    kept();
    timer = setTimeout(end, DALLY_MS);
  };
  const follow = (done: Step): void => {
    ({ state } = done);
    if (done.take) pieces.push(done.take);
    clearTimeout(timer);
    if (done.ended?.ok) return void keep(done.send);
    for (const bytes of done.send) send(bytes);
    if (done.ended) return broken(done.ended.detail);
    const wait = state.phase === 'done' ? DALLY_MS : state.options.timeoutSeconds * 1000;
    timer = setTimeout(() => (state.phase === 'done' ? end() : follow(step(state, 'timeout'))), wait);
  };
  const longest = setTimeout(() => broken('it took longer than transfers may'), LONGEST_MS);
  socket.on('message', (bytes, peer) => {
    if (peer.port !== from.port || peer.address !== from.address) {
      const message = 'this transfer is not yours';
      socket.send(encodePacket({ kind: 'error', code: errorCodes.unknownTransfer, message }), peer.port, peer.address);
      return;
    }
    const packet = decodePacket(bytes);
    if (packet.ok && !over && !keeping) follow(step(state, { packet: packet.value }));
  });
  socket.on('error', (error) => broken(error.message));
  follow(first);
  return { stop: end, began: () => state.got > 0 };
}
