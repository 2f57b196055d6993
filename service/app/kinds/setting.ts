/** A setting's name is a path that templates walk; its type stays while values of it stand. */
import { needsWire, optionAtText, readOptionAt, typesFor, wireOf } from '@zpine/core/dhcp/ownOptions';
import type { OptionType } from '@zpine/core/dhcp/options';
import type { SettingType } from '@zpine/core/settings/layers';
import { Refusal } from '@zpine/contract/errors';
import type { Draft, KindRules } from '../records/draft.ts';
import { allOf } from '../../store/records.ts';
import { readOwnValue } from '../settings/options.ts';
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
      await lookAtOption(tx, draft, drafts);
      const value = draft.after.defaultValue ?? null;
      if (value !== null) {
        const read = readOwnValue(declaredIn(draft), 'set', value);
        if (!read.ok) draft.fault('defaultValue', read.fault.code, read.fault.params);
      }
      if (value !== null && draft.after.secret === true && JSON.stringify(value) !== '{}') {
        draft.fault('defaultValue', 'setting-secret-default');
      }
      if (!draft.before) continue;
      for (const field of ['valueType', 'secret', 'dhcpOption', 'wire']) {
        // What was told by no option has been looked at by none.
        if (field === 'wire' && draft.text('dhcpOption') === null) continue;
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

const declaredIn = (draft: Draft) => ({
  name: draft.text('name') ?? '',
  dhcpOption: draft.text('dhcpOption'),
  wire: draft.text('wire'),
  tell: draft.text('tell') ?? 'asked',
  valueType: draft.text('valueType') ?? 'text',
});

/** An option is told by one setting; but for the vendor's, whose parts mean something else to each vendor. */
async function lookAtOption(tx: Tx, draft: Draft, drafts: readonly Draft[]): Promise<void> {
  const { name, dhcpOption, wire, valueType } = declaredIn(draft);
  if (dhcpOption === null) {
    if (wire !== null) draft.fault('wire', 'option-none', { setting: name });
    return;
  }
  const at = readOptionAt(dhcpOption);
  if (!at.ok) return draft.fault('dhcpOption', at.fault.code, at.fault.params);
  // One way of writing: what is compared is what is kept.
  draft.after.dhcpOption = optionAtText(at.value);
  if (draft.after.secret === true) draft.fault('secret', 'option-secret', { option: dhcpOption });
  const meant = wire as OptionType | null;
  if (wire !== null && !needsWire(at.value)) draft.fault('wire', 'option-registered', { option: dhcpOption });
  else if (!wireOf(at.value, valueType as SettingType, meant))
    draft.fault('valueType', 'option-type', {
      option: dhcpOption,
      type: valueType,
      types: typesFor(at.value, meant).join(', ') || 'none',
    });
  const { code, sub } = at.value;
  const same = (of: string | null) => of === draft.after.dhcpOption;
  const others = [
    ...(await allOf(tx, 'setting')).filter((one) => one.id !== draft.before?.id),
    ...drafts.filter((one) => one !== draft).map(declaredIn),
  ];
  const whole = (of: string | null) =>
    code === 43 && of !== null && /^43(\.|$)/.test(of) && (sub === undefined) !== (of === '43');
  const other = others.find(
    (one) => (same(one.dhcpOption) && !(code === 43 && sub !== undefined)) || whole(one.dhcpOption),
  );
  if (other) draft.fault('dhcpOption', 'option-twice', { option: dhcpOption, other: other.name });
}

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
