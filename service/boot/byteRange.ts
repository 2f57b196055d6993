/** Which part of a file a client asks for (RFC 9110, 14.1.2). */

/** Both ends included. */
export type ByteRange = { first: number; last: number };

/**
 * `whole`: nothing was asked, or what may be left alone: another unit, several parts, what is no range at all. `beyond`:
 * it begins behind the end.
 */
export function byteRange(header: string | undefined, length: number): ByteRange | 'whole' | 'beyond' {
  const [, from = '', to = ''] = /^\s*bytes\s*=\s*([0-9]*)\s*-\s*([0-9]*)\s*$/i.exec(header ?? '') ?? [];
  if (from === '' && to === '') return 'whole';
  if (from === '') {
    // The last so many bytes.
    const count = Number(to);
    if (count === 0 || length === 0) return 'beyond';
    return { first: Math.max(0, length - count), last: length - 1 };
  }
  const first = Number(from);
  const last = to === '' ? length - 1 : Math.min(Number(to), length - 1);
  if (to !== '' && Number(to) < first) return 'whole';
  return first >= length ? 'beyond' : { first, last };
}

/** Whether any of the tags of an If-None-Match is this one, compared weakly (RFC 9110, 13.1.2); `*` is any. */
export const namesTag = (header: string | undefined, tag: string): boolean =>
  header !== undefined &&
  header.split(',').some((one) => {
    const word = one.trim().replace(/^W\//, '');
    return word === '*' || word === tag;
  });
