/** A value of a field as the columns of its kind's table have it. */
import { type Field, type Row, type Value, typeOf } from '@zpine/contract/fields';
import { columnOf } from '@zpine/contract/kind';

export const toColumns = (field: string, spec: Field, value: Value): Row => {
  const row = typeOf(spec).toRow(columnOf(field), value);
  for (const [column, held] of Object.entries(row)) if (held instanceof Uint8Array) row[column] = Buffer.from(held);
  return row;
};
