/** One device judged by its checks: it is asked what they ask for, and nothing that none of them asks for. */
import type { CheckSeal } from '../../app/checks/runs.ts';
import { judgeOne, type Asked } from '../../app/checks/judging.ts';
import type { Look } from '../../app/checks/looking.ts';
import type { JudgedCheck, PlannedCheck } from '../../app/checks/planned.ts';
import type { Target } from '../../app/fleet/access.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { Sealer } from '../../store/sealing.ts';
import type { ConnectOptions } from '../connect.ts';
import { tryLogin } from '../leftOpen.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { capturedText } from '../../app/fleet/capturedText.ts';

export const checksOf = ({ sealed }: Waiting, all: readonly PlannedCheck[]): PlannedCheck[] => {
  const ids = sealed === undefined ? [] : (JSON.parse(sealed) as CheckSeal).checks;
  return all.filter(({ id }) => ids.includes(id));
};

/** Whether the device has to be asked for anything. */
export const needsSession = (checks: readonly PlannedCheck[]): boolean =>
  checks.some(({ uses }) => uses.running || uses.questions.length > 0);

/** What it runs, has stored and answers, as far as these checks ask. */
export async function askFor(
  target: Target,
  session: Session,
  checks: readonly PlannedCheck[],
): Promise<{ asked: Asked; captured: NonNullable<Done['captured']> }> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const asked: Asked = { texts: undefined, answers: new Map(), factory: undefined, why: new Map() };
  const captured: NonNullable<Done['captured']> = [];
  const read = async (name: string, command: string): Promise<string | undefined> => {
    const { text, refused, cut } = await session.run(command);
    if (refused === undefined && !cut) return text;
    asked.why.set(name, refused === undefined ? `its answer to "${command}" is too long` : `"${command}": ${refused}`);
    return undefined;
  };
  const wanted = (name: 'running' | 'stored') => checks.some(({ uses }) => uses[name]);
  if (wanted('running')) {
    const at = new Date().toISOString();
    const running = await read('running', dialect.sheet.running);
    const stored =
      wanted('stored') && dialect.sheet.stored !== undefined ? await read('stored', dialect.sheet.stored) : undefined;
    asked.texts = { running, stored, at };
    if (running !== undefined) captured.push(capturedText(dialect, target.secrets, 'running', running));
    if (stored !== undefined) captured.push(capturedText(dialect, target.secrets, 'stored', stored));
  }
  for (const question of new Set(checks.flatMap(({ uses }) => uses.questions))) {
    const command = dialect.askedBy(question);
    if (command === undefined) asked.why.set(question, `${dialect.sheet.title} has no question "${question}"`);
    else {
      const text = await read(question, command);
      if (text !== undefined) asked.answers.set(question, dialect.rowsOf(question, text));
    }
  }
  return { asked, captured };
}

/** Somebody who has nothing but the factory login of the model: once, so that nothing is locked by it. */
export async function tryFactory(target: Target, way: ConnectOptions, asked: Asked): Promise<void> {
  const { factory } = target.access;
  if (!factory) return;
  const tried = await tryLogin(target, factory, way);
  if ('letsIn' in tried) asked.factory = { user: factory.user, letsIn: tried.letsIn };
  else asked.why.set('factory', `its factory login could not be tried: ${tried.why}`);
}

/** The same reason for all that was not asked. */
export function unasked(why: string, checks: readonly PlannedCheck[]): Asked {
  const names = ['running', 'stored', 'factory', ...checks.flatMap(({ uses }) => uses.questions)];
  return { texts: undefined, answers: new Map(), factory: undefined, why: new Map(names.map((name) => [name, why])) };
}

export function judgedDone(
  target: Target,
  look: Look,
  checks: readonly PlannedCheck[],
  asked: Asked,
  sealer: Sealer,
): Pick<Done, 'outcome' | 'detail' | 'result'> & { judged: JudgedCheck[] } {
  const judged = judgeOne(target, look, checks, asked, sealer);
  const named = (state: JudgedCheck['state']) => judged.filter((one) => one.state === state).map(({ check }) => check);
  const [broken, unknown] = [named('broken'), named('unknown')];
  const words = [
    broken.length > 0 && `${broken.join(', ')} ${broken.length === 1 ? 'does' : 'do'} not hold`,
    unknown.length > 0 && `not known: ${unknown.join(', ')}`,
  ];
  return {
    outcome: broken.length > 0 ? 'does not hold' : unknown.length > 0 ? 'not known' : 'holds',
    detail: words.filter(Boolean).join('; '),
    result: { judged: judged.map(({ check, state, findings, why }) => ({ check, state, findings, why })) },
    judged,
  };
}
