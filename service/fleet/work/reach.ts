/** The way into one device, rung by rung. */
import { blockingRung, ladder, rungs, type RungFound } from '@zpine/core/fleet/rungs';
import type { Target } from '../../app/fleet/access.ts';
import type { RowResult } from '../../app/fleet/work.ts';
import { connect, type HostKey, type ConnectOptions } from '../connect.ts';
import { NotReached } from '../notReached.ts';
import { noDialect, type Login } from '../reachable.ts';
import { openSession, type Session } from '../session.ts';

export async function reachDevice(target: Target, way: ConnectOptions): Promise<{ row: RowResult; login: Login }> {
  const startedAt = Date.now();
  const begin = performance.now();
  const found: RungFound[] = [];
  const note = (rung: RungFound['rung'], state: RungFound['state'], detail: string) =>
    void found.push({ rung, state, detail, ms: Math.round(performance.now() - begin) });
  let hostKey: HostKey | undefined;
  let session: Session | undefined;
  let login: Login = 'unknown';
  try {
    const connected = await connect(target, { ...way, holds: (rung, detail) => note(rung, 'holds', detail) });
    hostKey = connected.hostKey;
    login = 'let-in';
    if (!target.dialect) {
      connected.client.end();
      throw new NotReached('dialect', noDialect(target));
    }
    const { access, dialect } = target;
    session = await openSession(connected.client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
    note('privilege', 'holds', privilege(target, session));
    await speaks(session, target, note);
  } catch (error) {
    if (error instanceof NotReached) {
      hostKey = error.shown ?? hostKey;
      if (error.refused) login = 'refused';
      const open = error.rung === 'host-key' && target.pinned === null;
      note(error.rung, open ? 'open' : 'gives', error.message);
    } else note('dialect', 'gives', error instanceof Error ? error.message : String(error));
  } finally {
    session?.close();
  }
  const stuck = blockingRung(found);
  return {
    login,
    row: {
      device: target.device,
      outcome: stuck ? 'no contact' : 'reached',
      detail: stuck ? `${rungs[stuck.rung]}: ${stuck.detail}` : (found.at(-1)?.detail ?? ''),
      startedAt,
      ms: performance.now() - begin,
      result: { rungs: ladder(found), hostKey: hostKey ?? null },
    },
  };
}

function privilege({ access, dialect }: Target, session: Session): string {
  if (session.raised) return 'more rights were given for the second password';
  if (!dialect?.sheet.raise) return 'its dialect asks for no second password';
  return access.second === undefined ? 'no second password in its access set: none was asked for' : 'none was needed';
}

/** The dialect is right when the device answers as its sheet says. */
async function speaks(
  session: Session,
  { dialect }: Target,
  note: (rung: 'dialect', state: RungFound['state'], detail: string) => void,
): Promise<void> {
  if (!dialect) return;
  const { version } = dialect.sheet.questions;
  const answer = await session.run(version?.command ?? dialect.sheet.running);
  const { title } = dialect.sheet;
  if (answer.refused !== undefined) return note('dialect', 'gives', `it does not speak ${title}: ${answer.refused}`);
  if (!version) return note('dialect', 'holds', `it answers as ${title} does`);
  const [row] = dialect.rowsOf('version', answer.text);
  if (!row)
    return note(
      'dialect',
      'gives',
      `"${version.command}" was not answered as ${title} would: ${answer.text.trim().split('\n')[0] ?? ''}`,
    );
  const words = [row.model, row.version && `version ${row.version}`, row.serial].filter(Boolean).join(', ');
  note('dialect', 'holds', words === '' ? `it answers as ${title} does` : words);
}
