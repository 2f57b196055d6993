/** The prefixes that clients boot in, found by an address. */
import type { Link } from './link.ts';

/** By length, by first address. */
type Tree = Map<number, Map<number, Link>>;

export class Links {
  private readonly links = new Map<number, Link>();
  /** By VRF; the default one is the first that was made. */
  private readonly trees = new Map<number, Tree>();
  private readonly vlans = new Map<number, Set<Link>>();

  get size(): number {
    return this.links.size;
  }

  all(): IterableIterator<Link> {
    return this.links.values();
  }

  byId(id: number): Link | undefined {
    return this.links.get(id);
  }

  /** Takes the place of what was known of the prefix. */
  put(link: Link): void {
    this.drop(link.id);
    this.links.set(link.id, link);
    const tree = this.trees.get(link.vrf) ?? new Map<number, Map<number, Link>>();
    this.trees.set(link.vrf, tree);
    const row = tree.get(link.length) ?? new Map<number, Link>();
    tree.set(link.length, row.set(link.first, link));
    if (link.vlan === null) return;
    const vlan = this.vlans.get(link.vlan) ?? new Set<Link>();
    this.vlans.set(link.vlan, vlan.add(link));
  }

  drop(id: number): void {
    const link = this.links.get(id);
    if (!link) return;
    this.links.delete(id);
    const tree = this.trees.get(link.vrf);
    const row = tree?.get(link.length);
    row?.delete(link.first);
    if (row?.size === 0) tree?.delete(link.length);
    if (link.vlan !== null) this.vlans.get(link.vlan)?.delete(link);
  }

  /** The smallest prefix around an address in each VRF, the default VRF first. */
  around(address: number): Link[] {
    const out: Link[] = [];
    for (const tree of this.trees.values()) {
      for (let length = 32; length >= 0; length -= 1) {
        const row = tree.get(length);
        const size = 2 ** (32 - length);
        const link = row?.get(address - (address % size));
        if (!link) continue;
        out.push(link);
        break;
      }
    }
    return out.sort((a, b) => a.vrf - b.vrf);
  }

  /** All prefixes of the VLAN of one, this one first. */
  wireOf(link: Link): readonly Link[] {
    const beside = link.vlan === null ? undefined : this.vlans.get(link.vlan);
    return [link, ...[...(beside ?? [])].filter(({ id, vrf }) => id !== link.id && vrf === link.vrf)];
  }
}
