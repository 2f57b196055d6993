/** One device is asked. */
import { partOf } from '@zpine/core/config/parts';
import { rowsBy, type Dialect } from '@zpine/core/dialect/dialect';
import { askName, type Ask } from '@zpine/core/fleet/asking';
import { expectationsFrom } from '@zpine/core/fleet/expectations';
import { Masker } from '@zpine/core/secrets/masking';
import type { Answer } from '@zpine/core/fleet/terminal';
import type { ShownAnswer } from '@zpine/contract/fleetShapes';
import { digestOf } from '../../app/fleet/asks.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { RunInput } from '../../app/fleet/runs.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';

/** As much of an answer is kept of one that somebody only wants to look at. */
export const ASK_BYTES = 1024 * 1024;
const MOST_ROWS = 5000;
/** And of all answers of a device together. */
const ALL_BYTES = 4 * ASK_BYTES;

interface ToAsk {
  ask: string;
  command: string | undefined;
  asked: Ask;
}

export async function askDevice({ target, sealed }: Waiting, input: RunInput, session: Session): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const own = sealed === undefined ? [] : (JSON.parse(sealed) as { asks: Ask[] }).asks;
  const asks: ToAsk[] = [
    ...[...input.asks, ...own].map((asked) => ({
      ask: askName(asked),
      // A question with arguments is called with them.
      command:
        asked.question === undefined
          ? (asked.command ?? dialect.sheet.running)
          : dialect.askedBy(asked.question, asked.blanks),
      asked,
    })),
  ];
  const misses = expectationsFrom(input.expect);
  const known = new Masker(target.secrets);
  const answers: ShownAnswer[] = [];
  let left = ALL_BYTES;
  for (const { ask, command, asked } of asks) {
    if (command === undefined) {
      answers.push(shown(ask, '', refusing(`${dialect.sheet.title} has no question "${ask}"`), [], []));
      continue;
    }
    let answer: Answer;
    try {
      answer = await session.run(command);
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      return { outcome: answers.length === 0 ? 'no contact' : 'stopped midway', detail: why, result: { answers } };
    }
    const rows = answer.refused === undefined ? known.maskAll(rowsFor(dialect, asked, answer.text)) : [];
    const masked = dialect.masked(answer.text);
    const isPart = asked.command === undefined && asked.question === undefined;
    // What is secret is seen in the whole: a part of it may say less.
    const whole = known.mask(isPart ? partOf(dialect, masked, asked) : masked).trimEnd();
    const text = whole.slice(0, left);
    left -= text.length;
    answers.push(
      shown(
        ask,
        command,
        { ...answer, text, cut: answer.cut || text.length < whole.length, steady: dialect.steady(text) },
        rows.slice(0, MOST_ROWS),
        answer.refused === undefined ? misses(text, rows) : input.expect,
      ),
    );
  }
  const refused = answers.filter((one) => one.refused !== null);
  const missed = answers.filter((one) => one.missed.length > 0);
  const cut = answers.find((one) => one.cut);
  const words = [
    refused[0] &&
      `${refused.length === asks.length ? '' : `${refused.length} of ${asks.length}: `}${refused[0].refused ?? ''}`,
    missed.length > 0 && refused.length === 0 && 'expected text is missing',
    cut && `only the first ${ASK_BYTES / 1024 / 1024} MiB were read`,
  ];
  return {
    outcome: refused.length === asks.length && asks.length > 0 ? 'turned down' : 'answered',
    detail: words.filter(Boolean).join('; '),
    result: { answers },
  };
}

function rowsFor(dialect: Dialect, { question, rows, command }: Ask, text: string): Record<string, string>[] {
  if (question !== undefined) return dialect.rowsOf(question, text);
  return command !== undefined && rows !== undefined ? rowsBy(rows, dialect.masked(text)) : [];
}

const refusing = (refused: string): Answer => ({ text: '', refused, cut: false });

const shown = (
  ask: string,
  command: string,
  answer: Answer & { steady?: string },
  rows: Record<string, string>[],
  missed: ShownAnswer['missed'],
): ShownAnswer => ({
  ask,
  command,
  text: answer.text,
  rows,
  // Alike are answers that differ in nothing but what differs from one reading to the next.
  digest: digestOf(answer.refused === undefined ? (answer.steady ?? answer.text) : `refused ${answer.refused}`),
  bytes: Buffer.byteLength(answer.text),
  cut: answer.cut,
  refused: answer.refused ?? null,
  missed,
});
