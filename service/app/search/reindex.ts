/** Writes the search terms of all records anew: once after an update, when the index is younger than the records. */
import type { Row } from '@zpine/contract/fields';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import type { JobWork } from '../../store/jobs.ts';
import { fromRow, type AnyStored } from '../../store/records.ts';
import { addTerms, dropTerms } from '../../store/terms.ts';
import type { Actor } from '../../store/store.ts';
import { transact } from '../../store/transact.ts';
import { columnsFor } from '../../store/models.ts';

const AT_ONCE = 1000;
const actor: Actor = { name: 'service', via: 'service' };

export const reindex: JobWork = async (store) => {
  for (const kind of kindNames) {
    for (let after = 0; ;) {
      const last = await transact(store, actor, 'reindex', async (tx) => {
        const rows = await tx.select<Row>(
          `SELECT ${columnsFor(kind)} FROM \`${kind}\` WHERE id > ? ORDER BY id LIMIT ${AT_ONCE} LOCK IN SHARE MODE`,
          [after],
        );
        const records = rows.map((row) => fromRow<KindName>(kind, row) as AnyStored);
        const ids = records.map((record) => record.id);
        await dropTerms(tx, kind, ids);
        await addTerms(tx, kind, records);
        return ids.at(-1);
      });
      if (last === undefined) break;
      after = last;
    }
  }
  return undefined;
};
