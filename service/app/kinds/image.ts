/** An image has a file name that devices can fetch, and stays as long as a layer names it. */
import { Refusal } from '@zpine/contract/errors';
import { byIds, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { placesNaming } from '../images/wanted.ts';
import { asStored, type Draft, type KindRules } from '../records/draft.ts';

const FILE = /^[A-Za-z0-9][A-Za-z0-9._+-]*$/;

export const imageRules: KindRules = {
  async prepare(tx, drafts) {
    for (const draft of drafts) {
      const file = draft.text('file') ?? '';
      if (draft.changes('file') && file !== '' && !FILE.test(file)) draft.fault('file', 'image-file', { value: file });
      await lookAtModel(tx, draft);
      const before = draft.before && asStored('image', draft.before);
      if (before && draft.changes('name')) await refuseWanted(tx, before.key);
    }
  },
  // What an import says of its content is what a put is held against.
  edited(_tx, pairs) {
    for (const { after } of pairs) {
      const { sha256, sha512 } = asStored('image', after);
      for (const [field, value, digits] of [
        ['sha256', sha256, 64],
        ['sha512', sha512, 128],
      ] as const)
        if (value !== null && !(value.length === digits && /^[0-9a-f]+$/.test(value)))
          throw Refusal.at([field], 'image-digest-form', { value });
    }
    return Promise.resolve();
  },
  async removing(tx, records) {
    for (const record of records) await refuseWanted(tx, record.key);
  },
};

/** A model of another dialect would never be given it. */
async function lookAtModel(tx: Tx, draft: Draft): Promise<void> {
  const [model, dialect] = [draft.id('model'), draft.id('dialect')];
  if (model === null || dialect === null || !(draft.changes('model') || draft.changes('dialect'))) return;
  const record = (await byIds(tx, 'model', [model])).get(model);
  if (!record || record.dialect === null || record.dialect === dialect) return;
  const [speaks, wanted] = [await keyOf(tx, 'dialect', record.dialect), await keyOf(tx, 'dialect', dialect)];
  draft.fault('model', 'image-model', { model: record.key, speaks: speaks ?? '', dialect: wanted ?? '' });
}

async function refuseWanted(tx: Tx, image: string): Promise<void> {
  const [by] = await placesNaming(tx, image);
  if (by !== undefined) throw new Refusal('image-wanted', { image, by });
}
