/** A session for a piece of work with one device, and what came of it when there was none. */
import { rungs } from '@zpine/core/fleet/rungs';
import type { Outcome } from '@zpine/core/fleet/outcomes';
import type { RunRow } from '@zpine/contract/fleetShapes';
import type { Target } from '../app/fleet/access.ts';
import type { RowResult } from '../app/fleet/work.ts';
import { connect, type ConnectOptions, type HostKey } from './connect.ts';
import { NotReached } from './notReached.ts';
import { openSession, type Session } from './session.ts';

export interface Done {
  outcome: Outcome | null;
  detail: string;
  result?: Partial<RunRow>;
  sealed?: string;
  captured?: RowResult['captured'];
  captureTried?: boolean;
  drift?: RowResult['drift'];
  judged?: RowResult['judged'];
  pinned?: RowResult['pinned'];
}

/** How far the login came, for the guard of the run. */
export type Login = 'let-in' | 'refused' | 'unknown';

export async function withSession(
  target: Target,
  way: ConnectOptions,
  work: (session: Session) => Promise<Done>,
  limits: { mostBytes?: number } = {},
): Promise<{ row: RowResult; login: Login }> {
  const startedAt = Date.now();
  const begin = performance.now();
  let login: Login = 'unknown';
  let session: Session | undefined;
  const row = (done: Done): RowResult => ({
    device: target.device,
    startedAt,
    ms: performance.now() - begin,
    result: {},
    ...done,
    detail: markedBare(target, done.detail),
  });
  try {
    if (!target.dialect) throw new NotReached('dialect', noDialect(target));
    const { client } = await connect(target, way);
    login = 'let-in';
    const { answerSeconds, second } = target.access;
    session = await openSession(client, target.dialect, { answerMs: answerSeconds * 1000, ...limits }, second).catch(
      (error: unknown) => {
        client.end();
        throw error;
      },
    );
    return { row: row(await work(session)), login };
  } catch (error) {
    if (error instanceof NotReached && error.refused) login = 'refused';
    return { row: row(noContact(error, target)), login };
  } finally {
    session?.close();
  }
}

/** Another session, such as after a restart; throws why there is none. */
export async function sessionWith(target: Target, way: ConnectOptions): Promise<Session> {
  const { dialect, access } = target;
  if (!dialect) throw new NotReached('dialect', noDialect(target));
  const { client } = await connect(target, way);
  try {
    return await openSession(client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
  } catch (error) {
    client.end();
    throw error;
  }
}

/** Signs in where the device shows this host key and no other; gives the key, or throws why not. */
export async function signedInByKey(target: Target, way: ConnectOptions, fingerprint: string): Promise<HostKey> {
  const { client, hostKey } = await connect({ ...target, pinned: fingerprint }, { ...way, firstContact: false });
  client.end();
  if (!hostKey) throw new NotReached('host-key', 'there is none on a line without encryption');
  return hostKey;
}

/** A whole sign-in beside the one that stands, with more rights where they are asked for; gives why it failed. */
export async function signedInAgain(target: Target, way: ConnectOptions): Promise<string | undefined> {
  try {
    (await sessionWith(target, { ...way, firstContact: false })).close();
    return undefined;
  } catch (error) {
    return error instanceof NotReached
      ? `${rungs[error.rung]}: ${error.message}`
      : error instanceof Error
        ? error.message
        : String(error);
  }
}

/** Whoever reads what came of it sees that it went over the wire for everybody to read. */
export const markedBare = ({ access: { bare } }: Target, detail: string): string =>
  bare ? [detail, `without encryption: ${bare.reason}`].filter(Boolean).join('; ') : detail;

export const noDialect = ({ dialectName }: Target): string =>
  dialectName === null
    ? 'its records name no dialect'
    : `nothing is known of the dialect ${dialectName}: it has no sheet, and none ships under this name`;

function noContact(error: unknown, target: Target): Done {
  if (!(error instanceof NotReached))
    return { outcome: 'no contact', detail: error instanceof Error ? error.message : String(error) };
  const unknown = error.rung === 'host-key' && target.pinned === null;
  const nameless = error.rung === 'dialect' && target.dialectName === null;
  const remedy = unknown
    ? `; look at it and accept it: zpine reach ${target.key}`
    : nameless
      ? `; what it speaks is found out by: zpine reach ${target.key} --take`
      : '';
  return {
    outcome: 'no contact',
    detail: `${rungs[error.rung]}: ${error.message}${remedy}`,
    ...(error.shown ? { result: { hostKey: error.shown } } : {}),
  };
}
