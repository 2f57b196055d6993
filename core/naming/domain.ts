/** Domain names as they are written in zone files (RFC 1035, 2.3.1; a label may begin with a digit, RFC 1123, 2.1). */
import { fail, ok, type Parsed } from '../fault.ts';

const LABEL = /^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/;

/** In lower case, without the dot at its end; at most 253 characters, so that it fits into 255 octets (RFC 1035, 2.3.4). */
export function parseDomain(text: string): Parsed<string, 'domain-syntax'> {
  const name = text.trim().toLowerCase().replace(/\.$/, '');
  const sound = name.length <= 253 && name.split('.').every((label) => LABEL.test(label));
  return sound ? ok(name) : fail('domain-syntax', { value: text });
}
