/** One row of the table of errors. */
export type Params = Record<string, string | number>;
export type Words = (p: Params) => string;

export interface ErrorRow {
  status: number;
  title: string;
  detail: Words;
  remedy?: Words;
}

export const row = (status: number, title: string, detail: Words, remedy?: Words): ErrorRow =>
  remedy ? { status, title, detail, remedy } : { status, title, detail };
export const meant = (p: Params) => (p.meant === undefined ? '' : `did you mean ${p.meant}?`);
