/** What a write leaves to be done or known, though nothing refuses it: said with the answer, in a header. */

export const REMARKS_HEADER = 'Zpine-Remarks';

export type Remark = {
  kind: string;
  key: string;
  detail: string;
  /** A command that puts it right. */
  remedy: string;
};

const isRemark = (said: unknown): said is Remark =>
  typeof said === 'object' &&
  said !== null &&
  ['kind', 'key', 'detail', 'remedy'].every((part) => typeof (said as Record<string, unknown>)[part] === 'string');

/** Headers hold ASCII only (RFC 9110, section 5.5). */
export const remarksHeader = (remarks: readonly Remark[]): string => encodeURIComponent(JSON.stringify(remarks));

export function remarksIn(header: string | null): Remark[] {
  if (header === null) return [];
  try {
    const said = JSON.parse(decodeURIComponent(header)) as unknown;
    return Array.isArray(said) && said.every(isRemark) ? said : [];
  } catch {
    return [];
  }
}

export const remarkWords = ({ kind, key, detail, remedy }: Remark): string =>
  `${kind} ${key}: ${detail}${remedy ? `; ${remedy}` : ''}`;
