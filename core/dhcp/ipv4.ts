/** IPv4 addresses as numbers and as text, for what is done with every packet. Addresses of any family are in core/addressing. */

/** From 0 to 2^32 - 1; undefined for what is no dotted quad. */
export function ipv4Number(text: string): number | undefined {
  let [sum, part, digits, dots] = [0, 0, 0, 0];
  for (let i = 0; i <= text.length; i += 1) {
    const sign = i < text.length ? text.charCodeAt(i) : 46;
    if (sign === 46) {
      if (digits === 0 || dots > 3) return undefined;
      sum = sum * 256 + part;
      dots += 1;
      [part, digits] = [0, 0];
      continue;
    }
    if (sign < 48 || sign > 57) return undefined;
    // `010` is eight to some and ten to others.
    if (digits > 0 && part === 0) return undefined;
    part = part * 10 + (sign - 48);
    digits += 1;
    if (part > 255) return undefined;
  }
  return dots === 4 ? sum : undefined;
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
