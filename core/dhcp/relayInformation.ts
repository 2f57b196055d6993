/**
 * What a relay adds (option 82): sub-options of code, length, value (RFC 3046, section 2.0).
 *
 *   1 circuit, 2 remote: RFC 3046; 5 link selection: RFC 3527; 11 server identifier override: RFC 5107
 *   (151 and 152, virtual subnet selection, RFC 6607, are returned with all others and decide nothing)
 */
import { ipv4Text } from './ipv4.ts';

export type RelayInformation = {
  circuit?: Uint8Array;
  remote?: Uint8Array;
  /** An address of the network that the client is to get one in. */
  selects?: string;
  /** By what address the client is to know its server: that of the relay. */
  server?: string;
};

/** Undefined where the sub-options do not come out even. */
export function subOptions(bytes: Uint8Array): Map<number, Uint8Array> | undefined {
  const found = new Map<number, Uint8Array>();
  for (let at = 0; at < bytes.length;) {
    const [code = 0, length] = [bytes[at], bytes[at + 1]];
    if (length === undefined || at + 2 + length > bytes.length) return undefined;
    found.set(code, bytes.subarray(at + 2, at + 2 + length));
    at += 2 + length;
  }
  return found;
}

const addressOf = (bytes: Uint8Array | undefined): string | undefined =>
  bytes?.length === 4 ? ipv4Text(bytes) : undefined;

export function relayInformation(bytes: Uint8Array | undefined): RelayInformation {
  const parts = bytes && subOptions(bytes);
  if (!parts) return {};
  const [circuit, remote, selects, server] = [
    parts.get(1),
    parts.get(2),
    addressOf(parts.get(5)),
    addressOf(parts.get(11)),
  ];
  return {
    ...(circuit && { circuit }),
    ...(remote && { remote }),
    ...(selects !== undefined && { selects }),
    ...(server !== undefined && { server }),
  };
}
