/** A routine can be run: its blanks are understood, its text has no fault, and what runs at an hour needs nobody. */
import { blankFaults } from '@zpine/core/dialect/blanks';
import { checkTemplate } from '@zpine/core/template/check';
import { faultText } from '@zpine/core/template/faults';
import type { Tx } from '../../store/tx.ts';
import { clockNow } from '../checks/turns.ts';
import { fragmentsOf, settingsCatalogue } from '../editions/templates.ts';
import { withBlanks } from '../fleet/blankNames.ts';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';
import { readBlanks } from '../routines/blanks.ts';
import { questionsIn } from '../routines/texts.ts';
import { skipRoutines } from '../routines/turns.ts';
import { lookAtWhere, questionsKnown } from './check.ts';

export const routineRules: KindRules = {
  async prepare(tx, drafts) {
    const [catalogue, fragments] = [await settingsCatalogue(tx), await fragmentsOf(tx)];
    const questions = await questionsKnown(tx);
    for (const draft of drafts) {
      const { blanks, faults } = readBlanks(draft.text('blanks'));
      for (const fault of faults.slice(0, 20)) draft.fault('blanks', 'routine-blanks', fault);
      const [name, source] = [draft.text('name') ?? 'routine', draft.text('source') ?? ''];
      const wrong = checkTemplate(name, source, (one) => fragments.get(one), withBlanks(catalogue, blanks));
      if (faults.length === 0)
        for (const fault of wrong.slice(0, 20)) draft.fault('source', 'routine-template', { first: faultText(fault) });
      lookAtQuestions(draft, questions);
      await lookAtWhere(tx, draft);
      lookAtHour(draft, blanks);
    }
  },
  added: (tx, records) =>
    later(
      tx,
      records.map((record) => asStored('routine', record)),
    ),
  edited: (tx, pairs) =>
    later(
      tx,
      pairs.filter(({ before, after }) => before.hour !== after.hour).map(({ after }) => asStored('routine', after)),
    ),
};

const later = (tx: Tx, routines: Parameters<typeof skipRoutines>[1]): Promise<void> =>
  skipRoutines(tx, routines, clockNow());

function lookAtQuestions(draft: Draft, known: ReadonlySet<string>): void {
  for (const question of questionsIn({ questions: draft.text('questions') }))
    if (!known.has(question))
      draft.fault('questions', 'question-unknown', { question, known: [...known].sort().join(', ') || 'none' });
}

function lookAtHour(draft: Draft, blanks: ReturnType<typeof readBlanks>['blanks']): void {
  if (draft.text('hour') === null) return;
  for (const { blank } of blankFaults(blanks, {})) draft.fault('hour', 'routine-hour', { blank });
  if (draft.text('devices') === null) draft.fault('hour', 'routine-hour-devices', {});
}
