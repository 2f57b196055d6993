/** A check can be run: its text has no fault, asks what dialects can answer, and is for devices that can be told. */
import { usesOf } from '@zpine/core/checks/judge';
import { nearest } from '@zpine/core/naming/names';
import { checkTemplate } from '@zpine/core/template/check';
import { faultText } from '@zpine/core/template/faults';
import { parseTemplate } from '@zpine/core/template/parse';
import { checkCatalogue } from '@zpine/contract/checkNames';
import { gather, Refusal } from '@zpine/contract/errors';
import { allOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { clockNow, forgetResults, skipToday } from '../checks/turns.ts';
import { settingsCatalogue } from '../editions/templates.ts';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';
import { whereCondition } from '../records/where.ts';

export const checkRules: KindRules = {
  async prepare(tx, drafts) {
    const texts = drafts.filter((draft) => draft.changes('source'));
    if (texts.length > 0) {
      const catalogue = checkCatalogue(await settingsCatalogue(tx));
      const questions = await questionsKnown(tx);
      for (const draft of texts) lookAtText(draft, catalogue, questions);
    }
    for (const draft of drafts) {
      await lookAtWhere(tx, draft);
      await lookAtRemedy(tx, draft);
    }
  },

  added: (tx, records) =>
    skipToday(
      tx,
      records.map((record) => asStored('check', record)),
      clockNow(),
    ),

  async edited(tx, pairs) {
    const others = pairs.filter(
      ({ before, after }) => before.source !== after.source || before.devices !== after.devices,
    );
    if (others.length > 0)
      await forgetResults(
        tx,
        others.map(({ after }) => after.id),
      );
    const later = pairs.filter(({ before, after }) => before.hour !== after.hour);
    await skipToday(
      tx,
      later.map(({ after }) => asStored('check', after)),
      clockNow(),
    );
  },
};

type Catalogue = ReturnType<typeof checkCatalogue>;

function lookAtText(draft: Draft, catalogue: Catalogue, questions: ReadonlySet<string>): void {
  const [name, source] = [draft.text('name') ?? 'check', draft.text('source') ?? ''];
  const faults = checkTemplate(name, source, () => undefined, catalogue);
  for (const fault of faults.slice(0, 20)) draft.fault('source', 'check-template', { first: faultText(fault) });
  if (faults.length > 0) return;
  const uses = usesOf(parseTemplate(name, source).template);
  if (uses.unnamed) draft.fault('source', 'check-answers', { line: uses.unnamed.line });
  for (const question of uses.questions) {
    if (questions.has(question)) continue;
    const meant = nearest(question, questions);
    const known = [...questions].sort().join(', ') || 'none';
    draft.fault('source', 'check-question', { question, known, ...(meant === undefined ? {} : { meant }) });
  }
}

/** Of the dialects that are entered, and of those that ship. */
export async function questionsKnown(tx: Tx): Promise<Set<string>> {
  const entered = (await allOf(tx, 'dialect')).map((record) => tx.dialects.of(record.key, record.sheet));
  const shipped = [...tx.dialects.shipped.keys()].map((name) => tx.dialects.of(name, null));
  return new Set([...entered, ...shipped].flatMap((dialect) => Object.keys(dialect?.sheet.questions ?? {})));
}

export async function lookAtWhere(tx: Tx, draft: Draft): Promise<void> {
  const where = draft.text('devices');
  if (where === null || !draft.changes('devices')) return;
  try {
    await whereCondition(tx, 'device', where);
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    gather(
      draft.faults,
      error.faults.map((fault) => ({ ...fault, path: draft.place('devices') })),
    );
  }
}

async function lookAtRemedy(tx: Tx, draft: Draft): Promise<void> {
  const [remedy, by] = [draft.text('remedy') ?? 'none', draft.text('remedyWith')];
  if (remedy === 'setting') {
    const names = (await allOf(tx, 'setting')).map(({ name }) => name);
    if (by === null) draft.fault('remedyWith', 'check-remedy', { remedy, wanted: 'the name of a setting' });
    else if (!names.includes(by)) draft.fault('remedyWith', 'check-setting', { name: by });
  } else if (remedy === 'errand' && by === null)
    draft.fault('remedyWith', 'check-remedy', { remedy, wanted: 'the lines that are sent' });
}
