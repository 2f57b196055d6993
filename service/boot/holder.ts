import { ipv4Number } from '@zpine/core/dhcp/ipv4';
import type { FileHolder } from '../app/boot/files.ts';
import type { BootParts } from './dhcp.ts';

/** Who has an address now: what was acknowledged a moment ago is on its way to the disk. */
export function holderOf(
  { memory, clock }: Pick<BootParts, 'memory' | 'clock'>,
  address: string,
): FileHolder | undefined {
  const value = ipv4Number(address) ?? 0;
  for (const { vrf } of memory.linksAround(address)) {
    const held = memory.leases.at(vrf, value);
    if (held?.acknowledged && held.expires > clock.now())
      return { device: held.device, mac: held.mac, word: held.word };
  }
  const there = memory.elsewhere(address, clock.now());
  return there?.device === undefined ? undefined : { device: there.device, mac: '', word: '' };
}

/** Whether another server gives the addresses where this one lies. */
export const isElsewhere = ({ memory, clock }: Pick<BootParts, 'memory' | 'clock'>, address: string): boolean =>
  memory.elsewhere(address, clock.now()) !== undefined;

/** Whose address it is: of who holds it by a lease, or has it in the records. Undefined where two networks have it, too. */
export function deviceFrom(parts: Pick<BootParts, 'memory' | 'clock'>, address: string): number | undefined {
  const holder = holderOf(parts, address);
  if (holder) return holder.device ?? undefined;
  const { memory } = parts;
  const found = new Set(memory.linksAround(address).flatMap(({ vrf }) => memory.deviceAt(address, vrf) ?? []));
  return found.size === 1 ? [...found][0] : undefined;
}
