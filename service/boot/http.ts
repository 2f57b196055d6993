/** The HTTP listener for booting devices: their files, and signs of life. Nothing else is answered here. */
import type { AddressInfo } from 'node:net';
import { serve, type ServerType, type HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
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

export class BootHttp {
  private readonly parts: BootParts;
  private readonly options: BootOptions & { httpPort: number };
  private readonly log: Log;
  private server: ServerType | undefined;

  constructor(parts: BootParts, options: BootOptions & { httpPort: number }, log: Log) {
    this.parts = parts;
    this.options = options;
    this.log = log;
  }

  async start(): Promise<void> {
    const own = dial(this.options.dialMap, VRF, { address: this.options.address, port: this.options.httpPort });
    const app = this.app();
    this.server = await new Promise<ServerType>((resolve, reject) => {
      const server = serve({ fetch: app.fetch, hostname: own.address, port: own.port }, () => resolve(server));
      server.once('error', reject);
    });
    this.log.info({ address: own.address, port: (this.server.address() as AddressInfo).port }, 'boot HTTP listens');
  }

  stop(): Promise<void> {
    return new Promise((resolve) => {
      if (!this.server) return resolve();
      this.server.close(() => resolve());
      (this.server as ServerType & { closeAllConnections?: () => void }).closeAllConnections?.();
    });
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
    app.on(['GET', 'HEAD'], '/file/:word/*', (c) =>
      this.file(c.env, from(c.env.incoming), c.req.param('word'), c.req.path, c.req.method === 'HEAD'),
    );
    app.notFound((c) => c.json({ taken: false, why: 'there is nothing here' }, 404));
    return app;
  }

  /** Whoever asks is held to the address that the file's device has, as over TFTP. */
  private async file(
    { outgoing }: HttpBindings,
    address: string,
    word: string,
    path: string,
    onlyHead: boolean,
  ): Promise<Response> {
    const { parts } = this;
    const name = namedIn(path);
    const file = await giveFile(parts, { name, from: address, transport: 'http', word });
    if (!file.ok) return refusedFile(file.code);
    const { device, leg, shown, content } = file;
    const headers = {
      'content-type': 'application/octet-stream',
      'content-length': String(content.length),
      'cache-control': 'no-store',
    };
    if (onlyHead) return new Response(null, { headers });
    const began = Date.now();
    outgoing.once('close', () => {
      const whole = outgoing.writableFinished;
      const about = {
        device,
        leg,
        name,
        bytes: shown.bytes,
        fingerprint: shown.fingerprint,
        transport: 'http',
      } as const;
      const end = whole
        ? ({ ok: true, seconds: (Date.now() - began) / 1000 } as const)
        : ({ ok: false, why: 'the client hung up' } as const);
      void endTransfer(parts, about, end, file.confirmed);
    });
    return new Response(Uint8Array.from(content), { headers });
  }
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
