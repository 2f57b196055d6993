/** A restart or a wipe of one device: what would be lost is said first; then it is done, and waited for. */
import type { RunInput } from '../../app/fleet/runs.ts';
import { linesOf, unkeptLines, type IntendedEdition } from '../../app/fleet/compared.ts';
import type { Target } from '../../app/fleet/access.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { compareDevice } from './compare.ts';
import { lostTo, unlessInsisted } from './lockout.ts';
import { restarted, sendAway, type Reopen } from './restart.ts';

/** Signed in, it is said what a restart would bring back, or a wipe would take. */
export async function lookAtOperation(target: Target, input: RunInput, session: Session): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const { stored: storedBy, running: runningBy } = dialect.sheet;
  const running = (await session.run(runningBy)).text;
  const stored = storedBy === undefined ? undefined : (await session.run(storedBy)).text;
  if (input.operation === 'restart' && input.insist !== true) {
    const shut = lockedOutBy(target, running, stored);
    if (shut !== undefined) return { outcome: 'turned down', detail: shut };
  }
  const unkept = stored === undefined ? 0 : linesOf(unkeptLines(dialect, running, stored));
  const lines = `${unkept} line${unkept === 1 ? '' : 's'}`;
  if (input.operation === 'wipe') return { outcome: null, detail: 'its memory would be emptied, and it restarts' };
  return {
    outcome: null,
    detail:
      unkept > 0
        ? `would restart; ${lines} of what runs ${unkept === 1 ? 'is' : 'are'} not stored so, and would be as stored`
        : 'would restart',
  };
}

export async function doOperation(
  target: Target,
  input: RunInput,
  session: Session,
  reopen: Reopen,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  if (input.operation === 'wipe') return wiped(target, session, input);
  if (input.insist !== true) {
    const { running, stored } = dialect.sheet;
    const text = stored === undefined ? undefined : (await session.run(stored)).text;
    const shut = lockedOutBy(target, (await session.run(running)).text, text);
    if (shut !== undefined) return { outcome: 'turned down', detail: shut };
  }
  const back = await restarted(dialect, session, reopen);
  if (typeof back === 'string') return { outcome: 'stopped midway', detail: back };
  try {
    const { drift, captured, result } = await compareDevice(target, back.session, intended);
    const differs =
      drift?.comparison && !drift.comparison.matches
        ? `; it differs in ${linesOf(drift.comparison.differences)} lines`
        : '';
    return {
      outcome: 'done',
      detail: `restarted, and back after ${back.seconds} s${differs}`,
      ...(result ? { result } : {}),
      ...(drift ? { drift } : {}),
      ...(captured ? { captured } : {}),
    };
  } finally {
    back.session.close();
  }
}

/** After a restart what is stored runs: it has to let the service in, too. */
function lockedOutBy(target: Target, running: string, stored: string | undefined): string | undefined {
  const { dialect } = target;
  const lost = dialect && stored !== undefined ? lostTo(target, dialect, running, dialect.wayIn(stored)) : undefined;
  return lost && unlessInsisted(`what is stored would run: ${lost}`);
}

/** What it was is gone: nobody waits for its old login. */
async function wiped({ dialect }: Target, session: Session, input: RunInput): Promise<Done> {
  const wipe = dialect?.sheet.wipe;
  if (!dialect || !wipe) return { outcome: 'turned down', detail: 'its sheet does not say how it is wiped' };
  const { restart } = dialect.sheet;
  const window = input.hours === undefined ? '' : `; its arrival window is open for ${input.hours} h`;
  if (wipe.restarts) {
    const stays = await sendAway(session, wipe);
    return stays === undefined
      ? { outcome: 'done', detail: `its memory is empty, and it restarts${window}` }
      : { outcome: 'turned down', detail: stays };
  }
  const { refused } = await session.ask(wipe.command, wipe.answers);
  if (refused !== undefined) return { outcome: 'turned down', detail: `"${wipe.command}": ${refused}` };
  const stays = restart ? await sendAway(session, restart) : undefined;
  return stays === undefined
    ? {
        outcome: 'done',
        detail: `its memory is empty, and it ${restart ? 'restarts' : 'is so after its next restart'}${window}`,
      }
    : { outcome: 'stopped midway', detail: `its memory is empty; ${stays}` };
}
