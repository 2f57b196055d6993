/** The TFTP client of a booting device: one file, with blksize and tsize (RFC 1350, 2347-2349). */
import { createSocket } from 'node:dgram';
import { decodePacket, encodePacket } from '@zpine/core/tftp/packet';

export interface FetchOptions {
  /** Our own end: the leased address, on loopback. */
  from: string;
  to: { address: string; port: number };
  name: string;
  blockSize: number;
  /** Blocks that come before one is acknowledged (RFC 7440). */
  windowSize?: number;
  /** Left out: yes. Where nobody wants its bytes, they are only counted. */
  keeps?: boolean;
  /** Breaks off behind so many bytes, as a bad link would. */
  cutAt?: number | undefined;
  signal: AbortSignal;
}

const WAIT_MS = 1000;
const TRIES = 5;

/** The file; throws with the server's words, or ours. */
export function fetchFile({
  from,
  to,
  name,
  blockSize,
  windowSize = 1,
  keeps = true,
  cutAt,
  signal,
}: FetchOptions): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    const socket = createSocket('udp4');
    const parts: Uint8Array[] = [];
    let size = 512;
    let window = 1;
    let acknowledged = 0;
    let length: number | undefined;
    let got = 0;
    let expected = 1;
    let peer: number | undefined;
    let last: Uint8Array = encodePacket({
      kind: 'read',
      name,
      mode: 'octet',
      options: {
        ...{ tsize: '0', blksize: String(blockSize) },
        ...(windowSize > 1 ? { windowsize: String(windowSize) } : {}),
      },
    });
    let tries = 0;
    let timer: NodeJS.Timeout | undefined;
    const end = (error?: Error) => {
      clearTimeout(timer);
      signal.removeEventListener('abort', aborted);
      socket.close();
      if (error) reject(error);
      else if (length !== undefined && got !== length) reject(new Error(`${got} bytes came, ${length} were promised`));
      else resolve(Buffer.concat(parts));
    };
    const aborted = () => end(new Error('switched off'));
    signal.addEventListener('abort', aborted);
    const send = (bytes: Uint8Array) => {
      last = bytes;
      clearTimeout(timer);
      timer = setTimeout(() => {
        tries += 1;
        if (tries >= TRIES) end(new Error('the server does not answer'));
        else send(last);
      }, WAIT_MS);
      socket.send(bytes, peer ?? to.port, to.address);
    };
    const acknowledge = (block: number) => {
      acknowledged = block;
      send(encodePacket({ kind: 'ack', block: block & 0xffff }));
    };
    socket.on('error', (error) => end(error));
    socket.on('message', (bytes, info) => {
      if (info.address !== to.address || (peer !== undefined && info.port !== peer)) return;
      const packet = decodePacket(bytes);
      if (!packet.ok) return;
      peer ??= info.port;
      tries = 0;
      const { value } = packet;
      if (value.kind === 'error') return end(new Error(`refused: ${value.message}`));
      if (value.kind === 'options') {
        size = Number(value.options.blksize ?? 512);
        window = Number(value.options.windowsize ?? 1);
        length = value.options.tsize === undefined ? undefined : Number(value.options.tsize);
        return acknowledge(0);
      }
      if (value.kind !== 'data') return;
      if (value.block !== (expected & 0xffff)) return acknowledge(expected - 1);
      if (keeps) parts.push(value.bytes);
      got += value.bytes.length;
      if (cutAt !== undefined && got >= cutAt) {
        const broken = () => end(new Error('the link broke'));
        socket.send(encodePacket({ kind: 'error', code: 3, message: 'no room' }), peer, to.address, broken);
        return;
      }
      const last = value.bytes.length < size;
      if (last || expected - acknowledged >= window) acknowledge(expected);
      expected += 1;
      if (last) setTimeout(end, 0);
    });
    socket.bind(0, from, () => send(last));
  });
}
