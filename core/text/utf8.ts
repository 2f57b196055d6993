/** UTF-8 (RFC 3629) without the host's own coder, which not every place has. */

/** The bytes of a text; undefined when it holds half a surrogate pair. */
export function utf8Bytes(text: string): Uint8Array | undefined {
  try {
    const escaped = encodeURIComponent(text);
    const bytes: number[] = [];
    for (let i = 0; i < escaped.length; i += 1) {
      if (escaped[i] === '%') {
        bytes.push(parseInt(escaped.slice(i + 1, i + 3), 16));
        i += 2;
      } else bytes.push(escaped.charCodeAt(i));
    }
    return Uint8Array.from(bytes);
  } catch {
    return undefined;
  }
}

/** The text of bytes; undefined when they are not UTF-8. */
export function utf8Text(bytes: Uint8Array): string | undefined {
  try {
    return decodeURIComponent(Array.from(bytes, (b) => `%${b.toString(16).padStart(2, '0')}`).join(''));
  } catch {
    return undefined;
  }
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
