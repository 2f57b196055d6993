/** The ways of a dial map, remembered: packets come from few places, and go to few. */
import { dial, dialledBy, type DialRow, type Endpoint } from './dial.ts';

const MOST = 10_000;

export class Ways {
  private readonly rows: readonly DialRow[];
  private readonly out = new Map<string, Endpoint>();
  private readonly back = new Map<string, string>();

  constructor(rows: readonly DialRow[]) {
    this.rows = rows;
  }

  to(vrf: string, address: string, port: number): Endpoint {
    return remembered(this.out, `${vrf} ${address} ${port}`, () => dial(this.rows, vrf, { address, port }));
  }

  /** The address of the records that a peer of a socket has. */
  from(address: string): string {
    return remembered(this.back, address, () => dialledBy(this.rows, address));
  }
}

function remembered<T>(known: Map<string, T>, name: string, make: () => T): T {
  const before = known.get(name);
  if (before !== undefined) return before;
  if (known.size >= MOST) known.clear();
  const made = make();
  known.set(name, made);
  return made;
}
