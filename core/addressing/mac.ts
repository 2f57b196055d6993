import { fail, ok, type Parsed } from '../fault.ts';

/** Reads a MAC address in any notation people use and gives `00:00:5e:00:53:a1`. */
export function parseMac(text: string): Parsed<string, 'mac-syntax'> {
  const value = text.trim();
  const digits = value.replace(/[\s:.-]/g, '').toLowerCase();
  const shape = /^[0-9a-f]{1,4}([:.-][0-9a-f]{1,6})*$|^[0-9a-f]{6}[\s-]?[0-9a-f]{6}$|^([0-9a-f]{2}\s){5}[0-9a-f]{2}$/i;
  if (!/^[0-9a-f]{12}$/.test(digits) || !shape.test(value)) return fail('mac-syntax', { value });
  return ok((digits.match(/../g) ?? []).join(':'));
}

export const macToBytes = (mac: string): Uint8Array => Uint8Array.from(mac.split(':'), (pair) => parseInt(pair, 16));

export const macFromBytes = (bytes: Uint8Array): string =>
  Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join(':');
