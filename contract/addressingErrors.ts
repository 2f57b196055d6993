/** What can be wrong with prefixes, addresses and links. */
import { row, type ErrorRow } from './errorRow.ts';

export const addressingErrors = {
  'gateway-outside': row(422, 'Gateway outside', (p) => `${p.gateway} is not inside ${p.prefix}`),
  'gateway-unusable': row(422, 'Gateway not usable', (p) => `${p.gateway} is the ${p.what} address of ${p.prefix}`),
  'range-on-range': row(422, 'Ranges overlap', (p) => `${p.one} and ${p.other} overlap`),
  'range-on-address': row(
    409,
    'Range over an address',
    (p) => `the pool ${p.range} covers ${p.address}, which is assigned`,
  ),
  'range-on-prefix': row(409, 'Range over a prefix', (p) => `${p.range} covers the prefix ${p.prefix}`),
  'address-outside': row(
    422,
    'No prefix for it',
    (p) => `no prefix in VRF ${p.vrf} holds ${p.address}`,
    (p) => `add a prefix that covers it, such as ${p.meant}`,
  ),
  'address-unusable': row(422, 'Not for devices', (p) => `${p.address} is the ${p.what} address of ${p.prefix}`),
  'address-in-pool': row(
    422,
    'Inside the DHCP pool',
    (p) => `${p.address} lies in the pool ${p.range} of ${p.prefix}`,
    () => 'choose another, or make the pool smaller',
  ),
  'address-outside-prefix': row(422, 'Outside the prefix', (p) => `${p.address} is not inside ${p.prefix}`),
  'vrf-differs': row(422, 'VRFs differ', (p) => `the interface is in VRF ${p.one}, the address in VRF ${p.other}`),
  'default-kept': row(409, 'Default VRF', (p) => `the VRF ${p.vrf} is neither renamed nor removed`),
  'prefix-full': row(
    409,
    'Prefix full',
    (p) => `${p.prefix} has no free address${p.from === undefined ? '' : ` from ${p.from} on`}`,
    () => 'make the pool or the held-back range smaller, or add another prefix',
  ),
  'mask-syntax': row(422, 'Not a mask', (p) => `"${p.value}" is neither a mask nor a wildcard`),
  'carve-length': row(
    422,
    'Length not possible',
    (p) => `a /${p.length} does not lie inside ${p.prefix}`,
    (p) => `a length above that of the prefix, and at most ${p.max}`,
  ),
  'carve-full': row(
    409,
    'No room',
    (p) => `${p.prefix} has room for ${p.room} of ${p.count} blocks of /${p.length}`,
    (p) => `see where there is some: zpine prefix room ${p.length}`,
  ),
  'prefix-edge': row(
    409,
    'An address would be lost',
    (p) => `${p.address} would become the ${p.what} address of ${p.prefix}`,
    () => 'release it first',
  ),
  'management-unknown': row(
    409,
    'No management prefix',
    (p) => `${p.site} has no prefix on a VLAN for management`,
    () => 'add a VLAN whose use is for management, and a prefix on it; or say the prefix',
  ),
  'management-several': row(
    409,
    'Several management prefixes',
    (p) => `${p.site} has more than one prefix for management: ${p.prefixes}`,
    () => 'say which one',
  ),
  'device-without-site': row(
    409,
    'No site',
    (p) => `${p.device} has no site, so there is no management VLAN to look in`,
    () => 'give it a site or a rack, or say the prefix',
  ),
  'split-many': row(422, 'Too many parts', (p) => `at most ${p.max} parts at once`),
  'merge-apart': row(
    422,
    'Not one block',
    (p) => `${p.prefixes} do not make up one larger prefix of a VRF`,
    () => 'they must follow one another without a gap, and begin where the larger one begins',
  ),
  'merge-gateways': row(
    422,
    'Several gateways',
    (p) => `the parts have several gateways: ${p.gateways}`,
    () => 'say which one it is',
  ),
  'link-open': row(
    422,
    'No other end',
    (p) => `no cable leads from ${p.interface} to another interface`,
    () => 'name the other end',
  ),
  'link-taken': row(409, 'Taken', (p) => `${p.prefix} has an address already: ${p.address}`),
} as const satisfies Record<string, ErrorRow>;
