/** A terminal on a device, by a web socket (RFC 6455): what is typed and shown in binary messages, its size in text messages. */
import { upgradeWebSocket } from '@hono/node-server';
import type { Context, Env } from 'hono';
import { z } from 'zod';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Actor } from '../store/store.ts';

/** What opens a terminal, and what somebody then has before them. */
export type OpensTerminal = (
  actor: Actor,
  ref: string,
  size: { cols: number; rows: number },
) => Promise<{
  type: (bytes: Buffer) => void;
  resize: (size: { cols: number; rows: number }) => void;
  leave: (why: string) => void;
  follow: (shows: (bytes: Buffer) => void, ended: (why: string) => void) => void;
}>;

type SocketContext = Context<Env, string, { outputFormat: 'ws' }>;

/** So often it is asked whether whoever opened it is still let in. */
const LOOK_MS = 15_000;
/** Of those that programs may use (RFC 6455, section 7.4.2). */
const REFUSED = 4000;
const sizeSchema = z.object({ cols: z.int().min(10).max(500), rows: z.int().min(2).max(500) });

export async function answerTerminal(
  c: Context,
  open: OpensTerminal,
  actor: Actor,
  ref: string,
  size: { cols: number; rows: number },
  { closing, stillIn }: { closing: AbortSignal; stillIn: () => Promise<boolean> },
): Promise<Response> {
  if (c.req.header('Upgrade')?.toLowerCase() !== 'websocket') throw new Refusal('terminal-upgrade');
  const opened = await open(actor, ref, size).catch((error: unknown) => {
    if (error instanceof Refusal) return error;
    throw error;
  });
  if (opened instanceof Refusal) return refuse(c, opened);
  const terminal = opened;
  let look: NodeJS.Timeout | undefined;
  const stop = () => terminal.leave('the service stops');
  const over = () => {
    clearInterval(look);
    closing.removeEventListener('abort', stop);
  };
  const upgraded = await upgradeWebSocket(() => ({
    onOpen: (_event, socket) => {
      closing.addEventListener('abort', stop);
      look = setInterval(
        () =>
          // While the database is away nobody can say; whoever is in stays.
          void stillIn()
            .catch(() => true)
            .then((still) => still || terminal.leave('whoever opened it may not any more')),
        LOOK_MS,
      );
      terminal.follow(
        (bytes) => socket.send(new Uint8Array(bytes)),
        (why) => {
          over();
          socket.close(1000, why.slice(0, 100));
        },
      );
    },
    onMessage: ({ data }) => {
      if (typeof data === 'string') {
        const said = sizeSchema.safeParse(sizeIn(data));
        if (said.success) terminal.resize(said.data);
      } else if (data instanceof ArrayBuffer) terminal.type(Buffer.from(data));
      else if (data instanceof Uint8Array) terminal.type(Buffer.from(data));
    },
    onClose: () => {
      over();
      terminal.leave('whoever opened it left');
    },
    onError: () => terminal.leave('the connection to whoever opened it broke off'),
  }))(c as SocketContext, () => Promise.resolve());
  if (upgraded) return upgraded;
  terminal.leave('it was not upgraded');
  throw new Refusal('terminal-upgrade');
}

/** A page cannot read why an upgrade was refused: it is told in the socket's only message. */
async function refuse(c: Context, refusal: Refusal): Promise<Response> {
  const upgraded = await upgradeWebSocket(() => ({
    onOpen: (_event, socket) => {
      socket.send(JSON.stringify({ problem: problemOf(refusal) }));
      socket.close(REFUSED, refusal.code);
    },
  }))(c as SocketContext, () => Promise.resolve());
  if (upgraded) return upgraded;
  throw refusal;
}

function sizeIn(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
