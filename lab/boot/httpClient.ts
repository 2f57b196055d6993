/** The HTTP client of a device: one answer, from its own address. */
import { request } from 'node:http';
import type { Wire } from '../wire.ts';

export interface HttpAsk {
  url: string;
  wire: Wire;
  /** Its own address, in the words of the records; left out: whichever. */
  from: string | undefined;
  signal?: AbortSignal;
  body?: string;
  /** What has come so far when the link breaks. */
  cutAt?: number | undefined;
}

const PATIENCE_MS = 5000;

/** The status and the body; throws where nobody answers, or it ends early. */
export function askHttp({ url, wire, from, signal, body, cutAt }: HttpAsk): Promise<{ status: number; body: Buffer }> {
  const target = new URL(url);
  const to = wire.to(target.hostname, Number(target.port || 80));
  return new Promise((resolve, reject) => {
    const sent = request(
      {
        host: to.address,
        port: to.port,
        path: `${target.pathname}${target.search}`,
        method: body === undefined ? 'GET' : 'POST',
        timeout: PATIENCE_MS,
        ...(body === undefined
          ? {}
          : { headers: { 'Content-Type': 'application/json', 'Content-Length': Buffer.byteLength(body) } }),
        ...(signal === undefined ? {} : { signal }),
        ...(from === undefined ? {} : { localAddress: wire.at(from) }),
      },
      (response) => {
        const pieces: Buffer[] = [];
        let bytes = 0;
        response.on('data', (piece: Buffer) => {
          pieces.push(piece);
          bytes += piece.length;
          if (cutAt !== undefined && bytes >= cutAt) sent.destroy(new Error('the link broke'));
        });
        response.on('end', () => resolve({ status: response.statusCode ?? 0, body: Buffer.concat(pieces) }));
        response.on('error', reject);
      },
    );
    sent.on('error', reject);
    sent.on('timeout', () => sent.destroy(new Error('no answer')));
    sent.end(body);
  });
}
