/** Which address a client gets on its wire: one of the records, or one of a pool. */
import { ipv4Number, ipv4Of } from './ipv4.ts';
import type { Asking } from './leases.ts';
import type { Link } from './link.ts';
import type { BootDevice, LeaseOffer, Look } from './look.ts';

/** `why`: an address of its own is there, and cannot be given now. */
type Fixed = { offer?: LeaseOffer; why?: string };

/**
 * The address that a device has for good on a wire: that of its management interface before any other, and in the prefix
 * of its relay before those beside it. One at which somebody else was found is left alone for a while.
 */
export function fixedOffer(
  look: Pick<Look, 'leases'>,
  device: Pick<BootDevice, 'key' | 'addresses'>,
  wire: readonly Link[],
  now: number,
): Fixed {
  const own = wire.flatMap((link) =>
    device.addresses.filter(({ prefix }) => prefix === link.id).map((address) => ({ address, link })),
  );
  const sorted = [...own].sort((a, b) => Number(b.address.management) - Number(a.address.management));
  let why: string | undefined;
  for (const { address, link } of sorted) {
    const held = look.leases.at(link.vrf, ipv4Number(address.address) ?? 0);
    if (held?.source === 'declined' && held.expires > now) {
      const until = new Date(held.expires).toISOString().slice(11, 16);
      why ??= `${device.key} found somebody else at ${address.address}, which is its own: it is left alone until ${until} UTC; zpine lease end ${address.address}`;
      continue;
    }
    const what = address.management ? 'management address' : 'address';
    const from = `${what} of ${device.key}, on ${address.interface}`;
    return { offer: { address: address.address, source: 'fixed', from, link, held } };
  }
  return why === undefined ? {} : { why };
}

/** An address of the pools of a wire: the one that the client has or had, else one that is free. */
export function pooledOffer(
  look: Pick<Look, 'leases' | 'away'>,
  wire: readonly Link[],
  source: 'pool' | 'quarantine',
  asking: Asking,
  now: number,
): LeaseOffer | undefined {
  for (const link of wire) {
    const held = look.leases.own(link, source, asking);
    if (held) return offerOf(link, source, held.address, held);
  }
  if (look.away) return undefined;
  for (const link of wire) {
    const free = look.leases.choose(link, source, asking, now);
    if (free !== undefined) return offerOf(link, source, free, undefined);
  }
  return undefined;
}

const offerOf = (link: Link, source: 'pool' | 'quarantine', value: number, held: LeaseOffer['held']): LeaseOffer => ({
  address: ipv4Of(value),
  source,
  from: `${source === 'pool' ? 'pool' : 'quarantine pool'} of ${link.key}`,
  link,
  held,
});
