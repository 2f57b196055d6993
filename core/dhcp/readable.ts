/** Options that something is decided by: of a packet in which one is malformed, nothing is believed. */
import type { Message } from './message.ts';
import { decodeOption, optionName } from './options.ts';
import { subOptions } from './relayInformation.ts';

/** By code, what is wrong with its bytes; undefined for nothing. */
const rules: ReadonlyMap<number, (bytes: Uint8Array, code: number) => string | undefined> = new Map([
  ...[50, 51, 53, 54, 55, 57, 118].map((code) => [code, byType] as const),
  // RFC 2132, 9.3: 1, 2 or 3.
  [52, (bytes) => (bytes.length === 1 && (bytes[0] ?? 0) >= 1 && (bytes[0] ?? 0) <= 3 ? undefined : 'it is 1, 2 or 3')],
  // RFC 2132, 9.14: a type and at least one byte behind it.
  [61, (bytes) => (bytes.length >= 2 ? undefined : 'it has two bytes at least')],
  // RFC 3046, 2.0: at least one sub-option, whole ones only.
  [82, (bytes) => (bytes.length >= 2 && subOptions(bytes) ? undefined : 'its sub-options do not come out even')],
]);

function byType(bytes: Uint8Array, code: number): string | undefined {
  const read = decodeOption(code, bytes);
  if (read.ok) return undefined;
  const { code: fault, params } = read.fault;
  return fault === 'dhcp-option-length'
    ? `it has ${bytes.length} bytes, and should have ${String(params.expected)}`
    : 'its value is none';
}

/** In words, with the option; undefined where all can be read. */
export function optionFault({ options }: Pick<Message, 'options'>): string | undefined {
  for (const [code, rule] of rules) {
    const bytes = options.get(code);
    const fault = bytes && rule(bytes, code);
    if (fault !== undefined) return `option ${code} (${optionName(code)}) cannot be read: ${fault}`;
  }
  return undefined;
}
