const PAIRS = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));

function joined(bytes: Uint8Array, between: string): string {
  let out = '';
  for (let i = 0; i < bytes.length; i += 1) out += (i > 0 ? between : '') + (PAIRS[bytes[i] ?? 0] ?? '');
  return out;
}

/** `0aff` for the bytes 10 and 255. */
export const hexOf = (bytes: Uint8Array): string => joined(bytes, '');

/** `00:00:5e:00:53:a1` */
export const macOf = (bytes: Uint8Array): string => joined(bytes, ':');
