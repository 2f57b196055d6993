/** A run as a table: the fields of its answers as columns, for eyes and for spreadsheets. */
import { outcomes } from '@zpine/core/fleet/outcomes';
import type { RunRow, ShownRun } from './fleetShapes.ts';

export interface RunTable {
  heads: string[];
  rows: string[][];
}

/** The names of all fields of the answers, in the order in which they come up. */
export function fieldNames(rows: readonly RunRow[]): string[] {
  const out = new Set<string>();
  for (const row of rows)
    for (const answer of row.answers ?? [])
      for (const one of answer.rows) for (const name of Object.keys(one)) out.add(name);
  return [...out];
}

/** One line for each row of fields; a device without any has one line with its outcome, or with its answer as text. */
export function answerTable(run: Pick<ShownRun, 'rows' | 'asks'>): RunTable {
  const names = fieldNames(run.rows);
  const several = new Set(run.rows.flatMap((row) => (row.answers ?? []).map((one) => one.ask))).size > 1;
  const rows = run.rows.flatMap((row): string[][] => {
    const fixed = (ask: string) => [row.device, ...(several ? [ask] : [])];
    const empty = names.map(() => '');
    if (row.outcome !== 'answered') return [[...fixed(''), ...empty, wordsOf(row)]];
    return (row.answers ?? []).flatMap((answer): string[][] => {
      const note = answer.refused ?? (answer.missed.length > 0 ? 'expected text is missing' : '');
      if (answer.rows.length === 0)
        return [[...fixed(answer.ask), ...empty, note || firstLine(answer.text) || 'nothing']];
      return answer.rows.map((fields) => [...fixed(answer.ask), ...names.map((name) => fields[name] ?? ''), note]);
    });
  });
  return { heads: ['device', ...(several ? ['ask'] : []), ...names, 'remark'], rows };
}

/**
 * One line for each device: a column for each field of each question, named by both where there are several. What an
 * answer says in several rows stands in one cell, with commas between.
 */
export function wideAnswerTable(run: Pick<ShownRun, 'rows'>): RunTable {
  const answers = run.rows.flatMap((row) => row.answers ?? []);
  const asks = [...new Set(answers.map((one) => one.ask))];
  const columns = asks.flatMap((ask): { ask: string; field: string | undefined }[] => {
    const fields = new Set(answers.filter((one) => one.ask === ask).flatMap((one) => one.rows.flatMap(Object.keys)));
    return fields.size === 0 ? [{ ask, field: undefined }] : [...fields].map((field) => ({ ask, field }));
  });
  return {
    heads: [
      'device',
      ...columns.map(({ ask, field }) => (field === undefined ? ask : asks.length > 1 ? `${ask}.${field}` : field)),
      'remark',
    ],
    rows: run.rows.map((row) => {
      const of = (ask: string) => row.answers?.find((one) => one.ask === ask);
      const remarks = (row.answers ?? []).flatMap((one) =>
        one.refused === null ? [] : [`${one.ask}: ${one.refused}`],
      );
      return [
        row.device,
        ...columns.map(({ ask, field }) => {
          const answer = of(ask);
          if (field === undefined) return answer ? firstLine(answer.text) : '';
          const values = (answer?.rows ?? []).flatMap((fields) => (fields[field] === undefined ? [] : [fields[field]]));
          return values.join(', ');
        }),
        row.outcome === 'answered' ? remarks.join('; ') : wordsOf(row),
      ];
    }),
  };
}

const firstLine = (text: string): string => {
  const [first = '', ...rest] = text.split('\n');
  return rest.length > 0 ? `${first} … (${rest.length + 1} lines)` : first;
};

const wordsOf = (row: RunRow): string =>
  [row.outcome ?? (row.state === 'done' ? '' : row.state), row.detail].filter(Boolean).join(': ');

/** Everything of a run for a spreadsheet; texts whole. */
export function runTable(run: ShownRun): RunTable {
  if (run.kind === 'ask') {
    const table = answerTable(run);
    const named = table.heads.length > 2 + (table.heads.includes('ask') ? 1 : 0);
    if (named) return table;
    const rows = run.rows.flatMap((row) =>
      (row.answers ?? [{ ask: '', text: '' }]).map((answer) => [
        row.device,
        answer.ask,
        row.outcome ?? '',
        row.detail,
        row.startedAt ?? '',
        String(row.ms ?? ''),
        answer.text,
      ]),
    );
    return { heads: ['device', 'ask', 'outcome', 'detail', 'startedAt', 'ms', 'answer'], rows: rows };
  }
  if (run.kind === 'reach') {
    const rungs = run.rows.find((row) => row.rungs)?.rungs?.map((one) => one.rung) ?? [];
    return {
      heads: ['device', 'outcome', ...rungs, 'fingerprint'],
      rows: run.rows.map((row) => [
        row.device,
        row.outcome ?? '',
        ...rungs.map((rung) => {
          const found = row.rungs?.find((one) => one.rung === rung);
          return found ? `${found.state}${found.detail ? `: ${found.detail}` : ''}` : '';
        }),
        row.hostKey?.fingerprint ?? '',
      ]),
    };
  }
  return {
    heads: ['device', 'outcome', 'detail', 'startedAt', 'ms'],
    rows: run.rows.map((row) => [row.device, row.outcome ?? '', row.detail, row.startedAt ?? '', String(row.ms ?? '')]),
  };
}

/** `38 answered, 2 no contact`. */
export const countWords = (counts: ShownRun['counts']): string =>
  outcomes
    .filter((outcome) => (counts[outcome] ?? 0) > 0)
    .map((outcome) => `${counts[outcome] ?? 0} ${outcome}`)
    .join(', ');
