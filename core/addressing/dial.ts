/**
 * The dial map: prefix to prefix, one to one, for a management network that is reached through translation (and for a
 * lab on loopback). Records hold the addresses of the network itself; only sockets use what stands here.
 */
import { fail, ok, type Parsed } from '../fault.ts';
import { formatIp, parseIp } from './ip.ts';
import { contains, parsePrefix, type Prefix } from './prefix.ts';

export interface DialRow {
  vrf: string;
  from: Prefix;
  to: Prefix;
  portOffset: number;
}

export interface Endpoint {
  address: string;
  port: number;
}

/** Reads `VRF FROM TO [OFFSET]`: `default 10.77.0.0/16 127.77.0.0/16 10000`. */
export function parseDialRow(text: string): Parsed<DialRow, 'dial-syntax' | 'dial-prefix' | 'dial-size'> {
  const [vrf, from, to, offset = '0', ...rest] = text.trim().split(/\s+/);
  if (!vrf || !from || !to || rest.length > 0 || !/^[0-9]{1,5}$/.test(offset))
    return fail('dial-syntax', { value: text });
  const [one, other] = [parsePrefix(from), parsePrefix(to)];
  if (!one.ok || !other.ok) return fail('dial-prefix', { value: one.ok ? to : from });
  if (one.value.length !== other.value.length || one.value.family !== other.value.family)
    return fail('dial-size', { one: from, other: to });
  return ok({ vrf, from: one.value, to: other.value, portOffset: Number(offset) });
}

function moved(row: DialRow, endpoint: Endpoint, from: Prefix, to: Prefix, sign: 1 | -1): Endpoint | undefined {
  const ip = parseIp(endpoint.address);
  if (!ip.ok || ip.value.family !== from.family || !contains(from, ip.value)) return undefined;
  const port = endpoint.port + sign * row.portOffset;
  if (port < 0 || port > 65_535) return undefined;
  return { address: formatIp({ family: to.family, value: to.first + (ip.value.value - from.first) }), port };
}

/** Where a socket has to go for an address of the records. The most specific row wins; without one it goes there itself. */
export function dial(rows: readonly DialRow[], vrf: string, endpoint: Endpoint): Endpoint {
  const fitting = [...rows].sort((a, b) => b.from.length - a.from.length);
  for (const row of fitting) {
    const there = row.vrf === vrf ? moved(row, endpoint, row.from, row.to, 1) : undefined;
    if (there) return there;
  }
  return endpoint;
}

/** The address of the records that a socket's peer has. Ports of clients are their own and are not moved back. */
export function dialled(rows: readonly DialRow[], vrf: string, address: string): string {
  const fitting = [...rows].sort((a, b) => b.to.length - a.to.length);
  for (const row of fitting) {
    const there = row.vrf === vrf ? moved(row, { address, port: row.portOffset }, row.to, row.from, -1) : undefined;
    if (there) return there.address;
  }
  return address;
}

/** The same where nobody knows the VRF: of whichever row has the address. */
export function dialledBy(rows: readonly DialRow[], address: string): string {
  const known = rows.map(({ vrf }) => dialled(rows, vrf, address)).find((one) => one !== address);
  return known ?? address;
}
