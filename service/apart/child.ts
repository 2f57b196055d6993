/** The inside of a process apart: does what it is asked, and says what came of it. Its end at any moment is provided for. */
import { type Faults, Refusal } from '@zpine/contract/errors';
import { importUpload } from '../app/imports/background.ts';
import type { Config } from '../config.ts';
import { Jumps } from '../fleet/jumps.ts';
import { letsIn } from '../fleet/letsIn.ts';
import type { Answered } from '../http/asked.ts';
import { carryOut } from '../http/carryOut.ts';
import { openStore } from '../stores.ts';
import { driverError, isAway } from '../store/database.ts';
import type { FromChild, ToChild } from './messages.ts';

const never = new AbortController().signal;

export function serveApart(config: Config): void {
  const store = openStore(config, 'apart');
  const { dialMap } = config;
  const jumps = new Jumps(dialMap);
  store.letsIn = (device) => letsIn(store, device, { dialMap, jump: jumps.open, firstContact: false });
  const say = (message: FromChild): void => void process.send?.(message, undefined, undefined, () => undefined);
  /** Faults of the service are told to the process that has the log. */
  const log = { error: ({ err }: { err?: unknown }) => say(broken(err)) };
  let wanted: (() => void) | undefined;

  async function tell({ status, headers, body }: Answered): Promise<void> {
    if (body === null || typeof body === 'string') return say({ answered: { status, headers, body } });
    say({ begun: { status, headers } });
    for await (const piece of body) {
      // The next piece is made when this one is on its way: what waits takes no more room than one piece.
      const taken = new Promise<void>((done) => (wanted = done));
      say({ piece });
      await taken;
    }
    say({ done: true });
  }

  process.on('message', (message: ToChild) => {
    if ('next' in message) return wanted?.();
    const work =
      'asked' in message
        ? carryOut(store, message.asked, log, never).then(tell)
        : importUpload(store, message.job.payload as { id: number; apply: boolean }, message.job.lease).then(() =>
            say({ done: true }),
          );
    work.catch((error: unknown) => say(failure(error)));
  });
  process.on('disconnect', () => process.exit(0));
  say({ ready: true });
}

function failure(error: unknown): FromChild {
  const refusal = error instanceof Refusal ? error : isAway(error) ? new Refusal('database-away') : undefined;
  if (!refusal) return broken(error);
  const { code, params, faults, beyond, extra } = refusal;
  return { refused: { code, params, faults: [...faults] as Faults, beyond, extra } };
}

function broken(error: unknown): FromChild {
  const { message, stack } = error instanceof Error ? error : new Error(String(error));
  return { broken: { error: { message, stack, sql: driverError(error).sqlMessage } } };
}
