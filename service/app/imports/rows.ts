/** What a text of many records is read into, whatever its format. */
import type { ErrorCode } from '@zpine/contract/errors';
import type { ImportKind } from '@zpine/contract/importRoutes';

export type Format = 'csv' | 'yaml' | 'json';

/** One record on its way in. */
export interface ImportRow {
  kind: ImportKind;
  /** The name of the text it stands in, where there are several. */
  file: string | null;
  row: number;
  /** By the API's names; null where a cell was empty. */
  fields: Record<string, unknown>;
  /** Heads of the columns that fields came from, where they are called otherwise. */
  heads: Record<string, string>;
}

export interface RowFault {
  file: string | null;
  row: number;
  kind: string | null;
  column: string | null;
  value: string | null;
  code: ErrorCode;
  params: Record<string, string | number>;
}

/** A column of a CSV, and the field that it is taken for. */
export interface Head {
  column: string;
  field: string | null;
  /** As it was said at an earlier import. */
  remembered: boolean;
}

/** A fault of a text as a whole. */
export const whole = (code: ErrorCode, params: RowFault['params'] = {}, file: string | null = null): RowFault => ({
  file,
  row: 0,
  kind: null,
  column: null,
  value: null,
  code,
  params,
});

/** What every record has beside its fields is of no use in another place; the key helps to find it. */
export const head = ['id', 'version', 'createdAt', 'updatedAt'];

/** A fault in a line of a list of hosts. */
export const deviceFault = (
  line: number,
  column: string | null,
  value: string | null,
  code: RowFault['code'],
  params: RowFault['params'] = {},
): RowFault => ({
  file: null,
  row: line,
  kind: 'device',
  column,
  value,
  code,
  params,
});
