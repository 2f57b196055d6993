/** One device is asked. */
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

interface Ask {
  ask: string;
  command: string | undefined;
  question: string | undefined;
}

export async function askDevice({ target, sealed }: Waiting, input: RunInput, session: Session): Promise<Done> {
  const { dialect } = target;
  if (!dialect) throw new Error('it has no dialect');
  const own = sealed === undefined ? [] : (JSON.parse(sealed) as { commands: string[] }).commands;
  const asks: Ask[] = [
    ...input.asks.map(({ command, question }) => ({
      ask: question ?? command ?? '',
      command: question === undefined ? command : dialect.sheet.questions[question]?.command,
      question,
    })),
    ...own.map((command) => ({ ask: command, command, question: undefined })),
  ];
  const misses = expectationsFrom(input.expect);
  const known = new Masker(target.secrets);
  const answers: ShownAnswer[] = [];
  let left = ALL_BYTES;
  for (const { ask, command, question } of asks) {
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
    const rows =
      question === undefined || answer.refused !== undefined
        ? []
        : known.maskAll(dialect.rowsOf(question, answer.text));
    const whole = known.mask(dialect.masked(dialect.steady(answer.text))).trimEnd();
    const text = whole.slice(0, left);
    left -= text.length;
    answers.push(
      shown(
        ask,
        command,
        { ...answer, text, cut: answer.cut || text.length < whole.length },
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

const refusing = (refused: string): Answer => ({ text: '', refused, cut: false });

const shown = (
  ask: string,
  command: string,
  answer: Answer,
  rows: Record<string, string>[],
  missed: ShownAnswer['missed'],
): ShownAnswer => ({
  ask,
  command,
  text: answer.text,
  rows,
  digest: digestOf(answer.refused === undefined ? answer.text : `refused ${answer.refused}`),
  bytes: Buffer.byteLength(answer.text),
  cut: answer.cut,
  refused: answer.refused ?? null,
  missed,
});
