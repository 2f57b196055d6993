/**
 * What many notices have for their one cause: a switch that is away takes its neighbours' ports and all that is behind it
 * along. Worked out from the cables of the records and from who is not reached.
 */

export interface Trouble {
  device: string;
  /** Undefined: the device itself is not reached. */
  interface?: string;
  /** Where the cable of that interface leads. */
  leadsTo?: string | undefined;
}

export interface Net {
  /** Devices that are not reached. */
  away: ReadonlySet<string>;
  /** Devices at the other ends of a device's cables. */
  neighbours: (device: string) => readonly string[];
  /** Devices of which it is known whether they are reached. */
  watched: ReadonlySet<string>;
}

/** Of devices that are away and hang together, the one that hangs on something that is reached; the device itself where that is not one alone. */
export function rootOf(device: string, { away, neighbours, watched }: Net): string {
  const together = new Set([device]);
  for (const one of together) for (const next of neighbours(one)) if (away.has(next)) together.add(next);
  const isBorder = (one: string): boolean => neighbours(one).some((next) => watched.has(next) && !away.has(next));
  const borders = [...together].filter(isBorder);
  if (borders.includes(device)) return device;
  return borders.length === 1 ? (borders[0] ?? device) : device;
}

/** The device that is at the bottom of it. */
export function causeOf({ device, interface: on, leadsTo }: Trouble, net: Net): string {
  if (on === undefined) return rootOf(device, net);
  return leadsTo !== undefined && net.away.has(leadsTo) ? rootOf(leadsTo, net) : device;
}
