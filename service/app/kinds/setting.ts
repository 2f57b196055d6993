/** A setting's name is a path that templates walk; its type stays while values of it stand. */
import { readValue, type SettingType } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import type { KindRules } from '../records/draft.ts';
import type { Tx } from '../../store/tx.ts';
import { likeText } from '../records/refs.ts';

export const settingRules: KindRules = {
  async prepare(tx, drafts) {
    const names = drafts.map((draft) => draft.text('name') ?? '');
    for (const [i, draft] of drafts.entries()) {
      const name = names[i] ?? '';
      if (draft.changes('name')) {
        const other = names.find((n) => inPath(n, name) || inPath(name, n)) ?? (await neighbour(tx, name));
        if (other !== undefined) draft.fault('name', 'setting-path', { name, other });
      }
      const value = draft.after.defaultValue ?? null;
      if (value !== null) {
        const read = readValue(draft.after.valueType as SettingType, 'set', value);
        if (!read.ok) draft.fault('defaultValue', read.fault.code, read.fault.params);
      }
      if (value !== null && draft.after.secret === true && JSON.stringify(value) !== '{}') {
        draft.fault('defaultValue', 'setting-secret-default');
      }
      if (!draft.before) continue;
      for (const field of ['valueType', 'secret']) {
        if (!draft.changes(field)) continue;
        const used = await tx.one<{ count: number }>(
          'SELECT COUNT(*) AS count FROM setting_value WHERE setting_id = ?',
          [draft.before.id],
        );
        if (Number(used?.count) > 0) draft.fault(field, 'setting-used', { name, count: Number(used?.count) });
      }
    }
  },

  async removing(tx, records) {
    for (const record of records) {
      const used = await tx.one<{ count: number }>('SELECT COUNT(*) AS count FROM setting_value WHERE setting_id = ?', [
        record.id,
      ]);
      if (Number(used?.count) > 0) {
        throw new Refusal('in-use', { kind: 'setting', key: record.key, users: `${used?.count} values in layers` });
      }
    }
  },
};

/** Whether one name lies on the way to the other: a map and a value cannot stand in one place. */
const inPath = (outer: string, inner: string): boolean => inner.startsWith(`${outer}.`);

async function neighbour(tx: Tx, name: string): Promise<string | undefined> {
  const outer = name
    .split('.')
    .slice(0, -1)
    .map((_, i, parts) => parts.slice(0, i + 1).join('.'));
  const row = await tx.one<{ name: string }>(
    `SELECT name FROM setting WHERE name LIKE ? ${outer.length > 0 ? 'OR name IN (?)' : ''} LIMIT 1`,
    [`${likeText(name)}.%`, ...(outer.length > 0 ? [outer] : [])],
  );
  return row?.name;
}
