/** Files to begin with: a few rows of a kind, as an import takes them. */
import { stringify as csvOf } from 'csv-stringify/sync';
import { typeOf, type Field } from './fields.ts';
import { fieldsOf } from './kind.ts';
import type { ImportKind } from './importRoutes.ts';
import { kindOf } from './kinds.ts';

const ofValues = [
  { setting: 'time.servers', layer: 'everywhere', of: '', mode: 'set', value: '10.77.0.5, 10.77.0.6' },
  { setting: 'time.servers', layer: 'site', of: 'ard', mode: 'add', value: '10.77.16.5' },
  { setting: 'banner', layer: 'device', of: 'ard-acc-1', mode: 'set', value: 'Property of Brackwater Ferries' },
];

/** Rows with the example of each field; what has no example is left empty where it may be. */
export function exampleRows(kind: ImportKind): Record<string, string>[] {
  if (kind === 'value') return ofValues;
  const k = kindOf(kind);
  const shown = fieldsOf(k).filter(([, field]) => !field.derived && !field.byVerb);
  const row = Object.fromEntries(shown.map(([name, field]) => [name, exampleText(field)]));
  // The least that such a record needs, as a second row.
  const least = Object.fromEntries(
    shown.map(([name, field]) => [
      name,
      k.key.parts.includes(name) || (field.required && field.default === undefined) ? next(row[name] ?? '', field) : '',
    ]),
  );
  return [row, least];
}

const ofRefs: Record<string, string> = {
  area: 'north-line',
  room: 'ard/closet',
  rack: 'ard/closet/w1',
  model: 'larkfield/lf-24',
  vlan: 'ard/304',
  device: 'ard-acc-1',
  interface: 'ard-acc-1:1/3',
  site: 'ard',
  vendor: 'larkfield',
  vrf: 'default',
  template: '',
  prefix: '',
  address: '10.77.1.1',
};

function exampleText(field: Field): string {
  if (field.example !== undefined) return field.example;
  // What only one record may refer to is taken already where the example is tried.
  if (field.to && field.unique) return '';
  if (field.to) return ofRefs[field.to] ?? kindOf(field.to).fields.name?.example ?? '';
  if (field.choices) return String(field.default ?? field.choices[0] ?? '');
  if (field.default !== undefined && field.default !== null) return typeOf(field).toText(field.default);
  return '';
}

/** Another one of the same sort: the last number in it is one more. */
function next(text: string, field: Field): string {
  // Of kinds that are named by a reference alone, the next one.
  if (field.to && !field.own) return text;
  if (/[0-9]/.test(text)) {
    if (field.type === 'cidr')
      return text.replace(/^(\d+\.\d+\.)(\d+)/, (_, head: string, n: string) => `${head}${Number(n) + 1}`);
    return text.replace(/(\d+)(?=\D*$)/, (n) => String(Number(n) + 1).padStart(n.length, '0'));
  }
  return field.type === 'name' ? `${text}-2` : text;
}

export function exampleCsv(kind: ImportKind): string {
  const rows = exampleRows(kind);
  const names = Object.keys(rows[0] ?? {});
  return csvOf([names, ...rows.map((row) => names.map((name) => row[name] ?? ''))], { record_delimiter: '\n' });
}
