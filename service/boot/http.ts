/** The HTTP listener for booting devices: their files, and signs of life. Nothing else is answered here. */
import { createReadStream } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { createServer } from 'node:https';
import { Readable } from 'node:stream';
import { serve, type ServerType, type HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
import type { Content } from '../store/contents.ts';
import { isText } from './fileContent.ts';
import { certificateFor, type CertificateOptions } from './certificate.ts';
import { byteRange, namesTag } from './byteRange.ts';
import { callHome, callHomeBody } from '../app/arrivals/callHome.ts';
import type { Actor } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { BootOptions, BootParts } from './dhcp.ts';
import { endTransfer, giveFile } from './giving.ts';
import { holderOf } from './holder.ts';
import type { Log } from './sockets.ts';

const actor: Actor = { name: 'boot', via: 'service' };
const MOST_BYTES = 256 * 1024;
const VRF = 'default';
const SLOWEST_MS = 60_000;

export type HttpOptions = { httpPort: number; httpsPort: number; certificate: CertificateOptions };

export class BootHttp {
  private readonly parts: BootParts;
  private readonly options: BootOptions & HttpOptions;
  private readonly log: Log;
  private servers: ServerType[] = [];

  constructor(parts: BootParts, options: BootOptions & HttpOptions, log: Log) {
    this.parts = parts;
    this.options = options;
    this.log = log;
  }

  async start(): Promise<void> {
    const { httpPort, httpsPort, certificate } = this.options;
    const { fetch } = this.app();
    this.servers.push(await this.listen(httpPort, (at, ready) => serve({ fetch, ...at }, ready)));
    if (httpsPort === 0) return;
    const serverOptions = await certificateFor(certificate);
    this.servers.push(
      await this.listen(httpsPort, (at, ready) => serve({ fetch, ...at, createServer, serverOptions }, ready)),
    );
  }

  private async listen(
    port: number,
    open: (at: { hostname: string; port: number }, ready: () => void) => ServerType,
  ): Promise<ServerType> {
    const own = dial(this.options.dialMap, VRF, { address: this.options.address, port });
    const server = await new Promise<ServerType>((resolve, reject) => {
      const opened = open({ hostname: own.address, port: own.port }, () => resolve(opened));
      opened.once('error', reject);
    });
    this.log.info({ address: own.address, port: (server.address() as AddressInfo).port }, 'boot HTTP listens');
    return server;
  }

  async stop(): Promise<void> {
    await Promise.all(
      this.servers.map(
        (server) =>
          new Promise<void>((resolve) => {
            server.close(() => resolve());
            (server as ServerType & { closeAllConnections?: () => void }).closeAllConnections?.();
          }),
      ),
    );
  }

  private app(): Hono<{ Bindings: HttpBindings }> {
    const app = new Hono<{ Bindings: HttpBindings }>();
    const from = (incoming: HttpBindings['incoming']) =>
      dialledBy(this.options.dialMap, incoming.socket.remoteAddress ?? '');
    const { account, clock } = this.parts;
    const note = (address: string, detail: string, outcome: 'answered' | 'refused') =>
      account.note({ protocol: 'http', what: 'life', outcome, address, detail }, clock.now());
    app.onError((error, c) => {
      this.parts.faults.say(error, 'boot HTTP');
      return c.json({ taken: false, why: 'the service cannot answer just now' }, 503);
    });
    app.use(bodyLimit({ maxSize: MOST_BYTES, onError: (c) => c.json({ taken: false, why: 'too large' }, 413) }));
    app.post('/life/:token', async (c) => {
      const address = from(c.env.incoming);
      const body = callHomeBody.safeParse(await c.req.json().catch(() => undefined));
      if (!body.success) {
        note(
          address,
          `a sign of life that cannot be read: ${body.error.issues.map((i) => `${i.path.join('.')} ${i.message}`).join('; ')}`,
          'refused',
        );
        return c.json({ taken: false, why: 'it cannot be read' }, 400);
      }
      await account.settled(holderOf(this.parts, address));
      const taken = await transact(this.parts.store, actor, 'life', (tx) =>
        callHome(tx, c.req.param('token'), body.data, address),
      );
      note(
        address,
        taken ? `sign of life of ${body.data.serial}` : 'a sign of life to an address that is not, or no longer, open',
        taken ? 'answered' : 'refused',
      );
      return taken
        ? c.json({ taken: true })
        : c.json({ taken: false, why: 'this address is not, or no longer, open' }, 404);
    });
    app.on(['GET', 'HEAD'], '/file/:word/*', (c) => {
      const asked = {
        word: c.req.param('word'),
        name: namedIn(c.req.path),
        onlyHead: c.req.method === 'HEAD',
        range: c.req.header('range'),
        ifRange: c.req.header('if-range'),
        ifNoneMatch: c.req.header('if-none-match'),
      };
      return this.file(c.env, from(c.env.incoming), asked);
    });
    app.notFound((c) => c.json({ taken: false, why: 'there is nothing here' }, 404));
    return app;
  }

  /** Both ends included; read as fast as it is taken. */
  private streamed({ sha256 }: Content, first: number, last: number): ReadableStream {
    const path = this.parts.store.contents.path(sha256);
    return Readable.toWeb(createReadStream(path, { start: first, end: last })) as ReadableStream;
  }

  /** Whoever asks is held to the address that the file's device has, as over TFTP. */
  private async file({ outgoing }: HttpBindings, address: string, asked: AskedFile): Promise<Response> {
    const { parts } = this;
    const { name, word } = asked;
    const file = await giveFile(parts, { name, from: address, transport: 'http', word });
    if (!file.ok) return refusedFile(file.code);
    const { device, leg, shown, content, image, further } = file;
    const length = isText(content) ? content.length : content.bytes;
    const tag = `"${isText(content) ? parts.store.sealer.fingerprint(Buffer.from(content)) : content.sha256}"`;
    // It is the device's alone, and has secrets in it.
    const headers = { etag: tag, 'accept-ranges': 'bytes', 'cache-control': 'no-store' };
    if (namesTag(asked.ifNoneMatch, tag)) return new Response(null, { status: 304, headers });
    // RFC 9110, 13.1.5: a part of what it has the beginning of; of another file it gets the whole.
    const meant = asked.ifRange === undefined || asked.ifRange === tag;
    const range = meant && !asked.onlyHead ? byteRange(asked.range, length) : 'whole';
    if (range === 'beyond')
      return new Response(null, { status: 416, headers: { ...headers, 'content-range': `bytes */${length}` } });
    const { first, last } = range === 'whole' ? { first: 0, last: length - 1 } : range;
    const about = {
      ...headers,
      'content-type': 'application/octet-stream',
      'content-length': String(last - first + 1),
    };
    if (asked.onlyHead) return new Response(null, { headers: about });
    const began = Date.now();
    outgoing.once('close', () => {
      const whole = outgoing.writableFinished;
      // A part that is not the last one says nothing yet.
      if (whole && last < length - 1) return;
      const given = {
        device,
        leg,
        name,
        bytes: shown.bytes,
        fingerprint: shown.fingerprint,
        transport: 'http',
        image,
        further,
      } as const;
      const end = whole
        ? ({ ok: true, seconds: (Date.now() - began) / 1000 } as const)
        : ({ ok: false, why: 'the client hung up' } as const);
      void endTransfer(parts, given, end, file.confirmed);
    });
    const body = isText(content)
      ? Uint8Array.from(content.subarray(first, last + 1))
      : this.streamed(content, first, last);
    // Who takes nothing any more for so long has hung up, whatever its line says.
    outgoing.setTimeout(SLOWEST_MS, () => outgoing.destroy());
    if (range === 'whole') return new Response(body, { headers: about });
    const part = `bytes ${first}-${last}/${length}`;
    return new Response(body, { status: 206, headers: { ...about, 'content-range': part } });
  }
}

interface AskedFile {
  word: string;
  name: string;
  onlyHead: boolean;
  range: string | undefined;
  ifRange: string | undefined;
  ifNoneMatch: string | undefined;
}

const namedIn = (path: string): string => {
  try {
    return path.split('/').slice(3).map(decodeURIComponent).join('/').slice(0, 255);
  } catch {
    return '';
  }
};

const refusedFile = (code: 'not-found' | 'access'): Response =>
  code === 'not-found'
    ? Response.json({ given: false, why: 'there is no such file' }, { status: 404 })
    : Response.json({ given: false, why: 'it is not for you, or not now' }, { status: 403 });
