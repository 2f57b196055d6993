/**
 * Tables that hold no kind of record: the columns that are read of them, written once, with what stands in them. What is
 * kept under seal or only ever counted is not among them; statements that need it name it.
 */
type Held = 'number' | 'text' | 'time' | 'bytes';

export type Column<T = unknown> = { holds: Held; nullable: boolean; readonly value?: T };

const column = <T>(holds: Held): Column<T> => ({ holds, nullable: false });

/** Whole numbers, and flags as 0 and 1. */
export const number = column<number>('number');
export const text = column<string>('text');
export const time = column<Date>('time');
export const bytes = column<Buffer>('bytes');
/** One of some words. */
export const word = <T extends string>(): Column<T> => column<T>('text');
export const maybe = <T>({ holds }: Column<T>): Column<T | null> => ({ holds, nullable: true });

type Columns = Record<string, Column>;

export type Table<C extends Columns = Columns> = {
  name: string;
  columns: C;
  /** All of them, as a SELECT lists them. */
  all: string;
  /** The same of a table that the statement calls otherwise. */
  of: (alias: string) => string;
};

export type RowOf<T extends Table> = {
  [K in keyof T['columns'] & string]: T['columns'][K] extends Column<infer V> ? V : never;
};

export function table<const C extends Columns>(name: string, columns: C): Table<C> {
  const names = Object.keys(columns).map((one) => `\`${one}\``);
  return {
    name,
    columns,
    all: names.join(', '),
    of: (alias) => names.map((one) => `${alias}.${one}`).join(', '),
  };
}
