/**
 * What a decision looks up: the records and the leases as they stand. The listener has all of them in memory; who decides
 * about one packet fills it with what this packet needs.
 */
import type { DialectSheet } from '../dialect/sheet.ts';
import type { Effective } from '../settings/layers.ts';
import type { Client } from './client.ts';
import type { Held, LeaseSource, LeaseTable } from './leases.ts';
import type { Link } from './link.ts';
import type { OwnOption } from './ownOptions.ts';
import type { BootProfile, Transport } from './profiles.ts';

export type Look = {
  /** The address that clients reach this server at. */
  server: string;
  /** The smallest prefix around an address in each VRF that has one; the default VRF first. */
  linksAround: (address: string) => readonly Link[];
  /** The prefixes of one wire: those of the same VLAN, this one first. */
  wireOf: (link: Link) => readonly Link[];
  /** The device that has an address on one of its interfaces. */
  deviceAt: (address: string, vrf: number) => number | undefined;
  boxOfSerial: (serial: string) => BootBox | undefined;
  /** A hardware address is of a box, or of an interface. */
  ownerOf: (mac: string) => MacOwner | undefined;
  /** A device that is in the records. */
  device: (id: number) => BootDevice | undefined;
  leases: Pick<LeaseTable, 'at' | 'own' | 'choose' | 'ofMac' | 'ofWord'>;
  /** How a device boots, as a client that calls itself so. */
  profileOf: (device: BootDevice, classes: readonly string[]) => BootProfile | undefined;
  /** What those of a class boot with that are nobody's. */
  strangerProfile: (classes: readonly string[]) => BootProfile | undefined;
  /** Settings as they hold for a device that boots in a prefix by a profile. */
  settingsOf: (
    device: Pick<BootDevice, 'id'>,
    link: Link,
    profile: BootProfile | undefined,
  ) => ReadonlyMap<string, Effective>;
  /** Settings that tell options of their own. */
  ownOptions: readonly OwnOption[];
  /** Where a file is fetched by HTTP. */
  urlOf: (transport: Transport, word: string, file: string) => string;
  /** Whether a client that is nobody's can be put on the list of its prefix, or is on it. */
  mayBeListed: (link: Link, client: Client) => boolean;
  /** Serials that a client tells otherwise than as its whole identifier, as its boot profile says. */
  serialsIn: (client: Client) => readonly string[];
  /** The database is away: nothing is promised that is not kept there already. */
  away: boolean;
  /** Not all devices are read yet: who is not known may be one of them. */
  partial: boolean;
};

/** A device, and what is named of it. */
type Named = { id: number; key: string };

/** Without a serial it is known by its hardware address alone, until it tells the other. */
export type BootBox = { id: number; serial: string | null; mac: string | null; device: Named | null };
export type MacOwner = { box: BootBox } | { interfaceOf: Named };

export type BootDevice = Named & {
  /** Its addresses on interfaces of its own, the first one first. */
  addresses: readonly BootAddress[];
  /** The lease that it holds, or held last. */
  lease: { address: string; site: { id: number; key: string } | null; expires: number } | null;
  /** The hardware that is fitted. */
  box: { serial: string | null; mac: string | null } | null;
  /** Keys of what it is and where it stands. */
  model: string | null;
  duty: string | null;
  site: string | null;
  dialectName: string | null;
  sheet: DialectSheet | undefined;
  /** Its published edition. */
  edition: { id: number; number: number } | null;
  /** Its arrival window; null where none is open. */
  window: BootWindow | null;
};

export type BootWindow = {
  /** When it closes, ms since 1970. */
  until: number;
  /** The part of a URL that stands for this window. */
  word: string;
  /** How many files of earlier legs were fetched in it. */
  legs: number;
};

export type BootAddress = {
  address: string;
  prefix: number;
  interface: string;
  /** On the interface that it is managed by. */
  management: boolean;
};

export type LeaseOffer = {
  address: string;
  source: LeaseSource;
  /** Where it comes from, in words. */
  from: string;
  /** The prefix that it lies in: of several on a wire, not always that of the relay. */
  link: Link;
  /** What the client has of it already. */
  held: Held | undefined;
};
