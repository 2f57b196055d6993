/** What a write leaves to be done or known, though nothing refuses it: said with the answer, in a header. */
import { z } from 'zod';

export const REMARKS_HEADER = 'Zpine-Remarks';

const remarkSchema = z.object({
  kind: z.string(),
  key: z.string(),
  detail: z.string(),
  /** A command that puts it right. */
  remedy: z.string(),
});
export type Remark = z.output<typeof remarkSchema>;

/** Headers hold ASCII only (RFC 9110, section 5.5). */
export const remarksHeader = (remarks: readonly Remark[]): string => encodeURIComponent(JSON.stringify(remarks));

export function remarksIn(header: string | null): Remark[] {
  if (header === null) return [];
  try {
    return z.array(remarkSchema).parse(JSON.parse(decodeURIComponent(header)));
  } catch {
    return [];
  }
}

export const remarkWords = ({ kind, key, detail, remedy }: Remark): string =>
  `${kind} ${key}: ${detail}${remedy ? `; ${remedy}` : ''}`;
