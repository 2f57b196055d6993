/** IPv4 addresses as numbers and as text, for what is done with every packet. Addresses of any family are in core/addressing. */

const QUAD = /^(\d{1,3})\.(\d{1,3})\.(\d{1,3})\.(\d{1,3})$/;

/** From 0 to 2^32 - 1; undefined for what is no dotted quad. */
export function ipv4Number(text: string): number | undefined {
  const parts = QUAD.exec(text);
  if (!parts) return undefined;
  let sum = 0;
  for (let i = 1; i <= 4; i += 1) {
    const part = parts[i] ?? '';
    const byte = Number(part);
    // `010` is eight to some and ten to others.
    if (byte > 255 || (part.length > 1 && part.startsWith('0'))) return undefined;
    sum = sum * 256 + byte;
  }
  return sum;
}

export const ipv4Of = (value: number): string =>
  `${value >>> 24}.${(value >>> 16) & 255}.${(value >>> 8) & 255}.${value & 255}`;

export const ipv4Bytes = (text: string): Uint8Array | undefined => {
  const value = ipv4Number(text);
  return value === undefined ? undefined : bytesOfIpv4(value);
};

export const bytesOfIpv4 = (value: number): Uint8Array =>
  Uint8Array.of(value >>> 24, (value >>> 16) & 255, (value >>> 8) & 255, value & 255);

export const ipv4Text = (bytes: Uint8Array, at = 0): string =>
  `${bytes[at] ?? 0}.${bytes[at + 1] ?? 0}.${bytes[at + 2] ?? 0}.${bytes[at + 3] ?? 0}`;

/** `255.255.255.0` for 24. */
export const maskOf = (length: number): string => ipv4Of(length === 0 ? 0 : (0xffffffff << (32 - length)) >>> 0);
