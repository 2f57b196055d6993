/** Records of several kinds from one statement that joins their tables. */
import type { Row } from '@zpine/contract/fields';
import { kindOf, type KindName, type Stored } from '@zpine/contract/kinds';
import { attributesOf } from './models.ts';
import { fromRow } from './records.ts';

/** All columns of a kind's table, as they stand in the statement under `alias`. */
export const columnsIn = (kind: KindName, alias: string): string =>
  Object.keys(attributesOf(kindOf(kind)))
    .map((column) => `${alias}.\`${column}\` AS \`${alias}.${column}\``)
    .join(', ');

/** The record under this alias; undefined where nothing was joined. */
export function recordIn<K extends KindName>(kind: K, alias: string, row: Row): Stored<K> | undefined {
  if (row[`${alias}.id`] === null || row[`${alias}.id`] === undefined) return undefined;
  const own: Row = {};
  for (const column of Object.keys(attributesOf(kindOf(kind)))) own[column] = row[`${alias}.${column}`];
  return fromRow(kind, own);
}
