import { Refusal, type ErrorCode } from '@zpine/contract/errors';
import { columnOf, fieldsOf, refsOf } from '@zpine/contract/kind';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { driverError } from './database.ts';

interface Meaning {
  code: ErrorCode;
  kind: string;
  field: string;
}

const own: Record<string, Meaning> = {
  uq_prefix_cidr: { code: 'taken', kind: 'prefix', field: 'cidr' },
  uq_address_address: { code: 'taken', kind: 'address', field: 'address' },
  uq_mac_claim_mac: { code: 'taken', kind: 'box', field: 'mac' },
  uq_rack_slot_place: { code: 'position-raced', kind: 'device', field: 'positionU' },
  uq_cable_end_port: { code: 'cable-raced', kind: 'cable', field: 'from' },
  uq_user_name: { code: 'taken', kind: 'user', field: 'name' },
};

/** What the database's constraints mean to a person: the last word when two writes race. */
export const constraints: Record<string, Meaning> = Object.fromEntries([
  ...kindNames.flatMap((kind): [string, Meaning][] => {
    const k = kindOf(kind);
    const keyField = k.key.parts.findLast((part) => k.fields[part]?.type !== 'ref') ?? k.key.parts[0] ?? 'key';
    const unique = fieldsOf(k).filter(([, field]) => field.unique && field.type !== 'mac');
    return [
      [`uq_${kind}_key`, { code: 'taken', kind, field: keyField }],
      ...unique.map(([field]): [string, Meaning] => [`uq_${kind}_${columnOf(field)}`, { code: 'taken', kind, field }]),
      ...refsOf(k).map(([field]): [string, Meaning] => [
        `fk_${kind}_${columnOf(field)}`,
        { code: 'ref-unknown', kind, field },
      ]),
    ];
  }),
  ...Object.entries(own),
]);

/** The refusal that a broken constraint stands for, or undefined when the error is something else. */
export function refusalOfConstraint(error: unknown): Refusal | undefined {
  const { errno, sqlMessage, message } = driverError(error);
  const text = sqlMessage ?? message ?? '';
  if (errno === 1062) {
    const [, value = '', name = ''] = /Duplicate entry '(.*)' for key '(\w+)'/s.exec(text) ?? [];
    const meaning = constraints[name];
    if (!meaning) return undefined;
    const shown = /^[\x20-\x7e]*$/.test(value) && !name.endsWith('_device') ? value : 'this value';
    return Refusal.at([meaning.field], meaning.code, { value: shown });
  }
  if (errno === 1452 || errno === 1451) {
    const [, name = ''] = /CONSTRAINT `(\w+)`/.exec(text) ?? [];
    const meaning = constraints[name];
    if (!meaning) return undefined;
    if (errno === 1452)
      return Refusal.at([meaning.field], 'ref-unknown', {
        kind: kindOf(meaning.kind).fields[meaning.field]?.to ?? meaning.kind,
        ref: 'given',
      });
    return new Refusal('in-use', { kind: 'record', key: '', users: `a ${meaning.kind} that was added just now` });
  }
  return undefined;
}
