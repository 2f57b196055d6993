/** UTF-8 (RFC 3629), strictly: what is no text is no bytes, and the other way round. */

/** As every place has it where this runs. */
declare const TextEncoder: new () => { encode: (text: string) => Uint8Array };
declare const TextDecoder: new (
  label: string,
  options: { fatal: boolean; ignoreBOM: boolean },
) => { decode: (bytes: Uint8Array, options?: { stream: boolean }) => string };

const encoder = new TextEncoder();
const decoder = new TextDecoder('utf-8', { fatal: true, ignoreBOM: true });

/** The bytes of a text; undefined when it holds half a surrogate pair. */
export const utf8Bytes = (text: string): Uint8Array | undefined =>
  /[\ud800-\udfff]/u.test(text) ? undefined : encoder.encode(text);

/** The text of bytes; undefined when they are not UTF-8. */
export function utf8Text(bytes: Uint8Array): string | undefined {
  try {
    return decoder.decode(bytes);
  } catch {
    return undefined;
  }
}

/** The text of bytes that come piece by piece: characters may be cut anywhere, what is no UTF-8 is shown as U+FFFD. */
export function utf8Pieces(): (bytes: Uint8Array) => string {
  const pieces = new TextDecoder('utf-8', { fatal: false, ignoreBOM: true });
  return (bytes) => pieces.decode(bytes, { stream: true });
}

/** How many bytes a text takes. */
export function utf8Length(text: string): number {
  let length = 0;
  for (let i = 0; i < text.length; i += 1) {
    const unit = text.charCodeAt(i);
    // Half a surrogate pair counts two, so that a pair makes four.
    length += unit < 0x80 ? 1 : unit < 0x800 || (unit >= 0xd800 && unit < 0xe000) ? 2 : 3;
  }
  return length;
}
