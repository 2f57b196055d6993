/** The HTTP listener for booting devices: signs of life. Nothing else is answered here. */
import type { AddressInfo } from 'node:net';
import { serve, type ServerType, type HttpBindings } from '@hono/node-server';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { dial, dialledBy } from '@zpine/core/addressing/dial';
import { callHome, callHomeBody } from '../app/arrivals/callHome.ts';
import type { Actor } from '../store/store.ts';
import { transact } from '../store/transact.ts';
import type { BootOptions, BootParts } from './dhcp.ts';
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
      await account.settled(holderOf(this.parts, address)?.device);
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
    app.notFound((c) => c.json({ taken: false, why: 'there is nothing here' }, 404));
    return app;
  }
}
