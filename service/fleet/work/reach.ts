/** The way into one device, rung by rung. */
import { blockingRung, ladder, rungs, type RungFound } from '@zpine/core/fleet/rungs';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Met } from '@zpine/contract/fleetShapes';
import type { Target } from '../../app/fleet/access.ts';
import type { RowResult } from '../../app/fleet/work.ts';
import { identify, toldBy } from '../identify.ts';
import { connect, type HostKey, type ConnectOptions } from '../connect.ts';
import { NotReached } from '../notReached.ts';
import { markedBare, noDialect, type Login } from '../reachable.ts';
import { systemOf, toldInWords } from '../snmp.ts';
import { openSession, type Session } from '../session.ts';

/** `dialects`: all that there are, for devices of which nobody has said what they speak. */
export async function reachDevice(
  target: Target,
  way: ConnectOptions,
  dialects: () => Promise<Dialect[]>,
): Promise<{ row: RowResult; login: Login }> {
  const startedAt = Date.now();
  const begin = performance.now();
  const found: RungFound[] = [];
  const note = (rung: RungFound['rung'], state: RungFound['state'], detail: string) =>
    void found.push({ rung, state, detail, ms: Math.round(performance.now() - begin) });
  let hostKey: HostKey | undefined;
  let session: Session | undefined;
  let login: Login = 'unknown';
  let met: Met | undefined;
  try {
    const connected = await connect(target, {
      ...way,
      holds: (rung, detail) => note(rung, 'holds', detail),
      skips: (rung, detail) => note(rung, 'not tried', detail),
    });
    hostKey = connected.hostKey ?? undefined;
    login = 'let-in';
    if (!target.dialect) {
      if (target.dialectName !== null) {
        connected.client.end();
        throw new NotReached('dialect', noDialect(target));
      }
      const pinned = hostKey?.fingerprint ?? null;
      const again = async () => (await connect({ ...target, pinned }, way)).client;
      met = await identify(await dialects(), connected.client, again);
      if (!met) throw new NotReached('dialect', `${noDialect(target)}, and it answers as none that is known here`);
      note('dialect', 'open', `it answers as ${met.dialect} does, which its records do not say`);
      return { login, row: await row() };
    }
    const { access, dialect } = target;
    session = await openSession(connected.client, dialect, { answerMs: access.answerSeconds * 1000 }, access.second);
    note('privilege', 'holds', privilege(target, session));
    met = await speaks(session, target, note);
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
  return { login, row: await row() };

  async function row(): Promise<RowResult> {
    const last = found.at(-1)?.detail ?? '';
    await besides(target, way, note);
    const stuck = blockingRung(found);
    return {
      device: target.device,
      // What it speaks is known now: somebody has to say it to the records.
      outcome: stuck && !met ? 'no contact' : 'reached',
      detail: markedBare(target, stuck ? `${rungs[stuck.rung]}: ${stuck.detail}` : last),
      startedAt,
      ms: performance.now() - begin,
      result: { rungs: ladder(found), hostKey: hostKey ?? null, ...(met ? { met } : {}) },
    };
  }
}

/** Name, identity and uptime by SNMP, where the settings say how: it shows whether the device is up, whatever becomes of SSH. */
async function besides(
  target: Target,
  way: ConnectOptions,
  note: (rung: 'snmp', state: RungFound['state'], detail: string) => void,
): Promise<void> {
  const { snmp } = target.access;
  if (!snmp) return;
  await systemOf(target, snmp, way).then(
    (told) => note('snmp', 'holds', toldInWords(told)),
    (error: unknown) => note('snmp', 'gives', error instanceof Error ? error.message : String(error)),
  );
}

function privilege({ access, dialect }: Target, session: Session): string {
  if (session.raised) return 'more rights were given for the second password';
  if (!dialect?.sheet.raise) return 'its dialect asks for no second password';
  return access.second === undefined ? 'no second password in its access set: none was asked for' : 'none was needed';
}

/** The dialect is right when the device answers as its sheet says; gives what it said of itself. */
async function speaks(
  session: Session,
  { dialect }: Target,
  note: (rung: 'dialect', state: RungFound['state'], detail: string) => void,
): Promise<Met | undefined> {
  if (!dialect) return undefined;
  const { version } = dialect.sheet.questions;
  const { title } = dialect.sheet;
  const { answer, met } = await toldBy(session, dialect);
  if (answer.refused !== undefined) note('dialect', 'gives', `it does not speak ${title}: ${answer.refused}`);
  else if (!version) note('dialect', 'holds', `it answers as ${title} does`);
  else if (!met)
    note(
      'dialect',
      'gives',
      `"${version.command}" was not answered as ${title} would: ${answer.text.trim().split('\n')[0] ?? ''}`,
    );
  else {
    const words = [met.model, met.version && `version ${met.version}`, met.serial].filter(Boolean).join(', ');
    note('dialect', 'holds', words === '' ? `it answers as ${title} does` : words);
  }
  return met;
}
