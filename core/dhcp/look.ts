/**
 * What a decision looks up: answers about the records and the leases as they stand. Who decides about one packet fills
 * it with what this packet needs; who decides about many fills it for all of them.
 */
import type { DialectSheet } from '../dialect/sheet.ts';
import type { Effective } from '../settings/layers.ts';
import type { Client } from './client.ts';

export type Look = {
  /** The address that clients reach this server at. */
  server: string;
  /** The smallest prefix of the default VRF around an address. */
  linkAround: (address: string) => Link | undefined;
  /** The device that has an address on one of its interfaces. */
  deviceAt: (address: string) => number | undefined;
  boxOfSerial: (serial: string) => BootBox | undefined;
  /** A hardware address is of a box, or of an interface. */
  ownerOf: (mac: string) => MacOwner | undefined;
  /** A device that is in the records. */
  device: (id: number) => BootDevice | undefined;
  /** The address of a pool that a client is given, if there is one left. */
  pooled: (link: Link, source: 'pool' | 'quarantine', client: Client) => LeaseOffer | undefined;
  /** Who holds a lease on an address: the word of the client. */
  holderAt: (address: string) => string | undefined;
  /** Whether a client that is nobody's can be put on the list of its prefix, or is on it. */
  mayBeListed: (link: Link, client: Client) => boolean;
};

/** A prefix that clients boot in. */
export type Link = {
  id: number;
  key: string;
  cidr: string;
  vrf: number;
  site: number | null;
  gateway: string | null;
  /** More addresses that its relay sends from, with commas. */
  relays: string | null;
  leaseSeconds: number | null;
  /** Other fields, as far as options come from them. */
  [field: string]: unknown;
};

/** A device, and what is named of it. */
type Named = { id: number; key: string };

export type BootBox = { id: number; serial: string; mac: string | null; device: Named | null };
export type MacOwner = { box: BootBox } | { interfaceOf: Named };

export type BootDevice = Named & {
  /** Its addresses on interfaces of its own, the first one first. */
  addresses: readonly BootAddress[];
  /** The lease that it holds, or held last. */
  lease: { address: string; site: { id: number; key: string } | null; expires: number } | null;
  settings: ReadonlyMap<string, Effective>;
  dialectName: string | null;
  sheet: DialectSheet | undefined;
  /** Its published edition. */
  edition: { id: number; number: number } | null;
  /** When its arrival window closes, ms since 1970; null where none is open. */
  windowUntil: number | null;
};

export type BootAddress = {
  address: string;
  prefix: number;
  interface: string;
  /** On the interface that it is managed by. */
  management: boolean;
};

export type LeaseSource = 'fixed' | 'pool' | 'quarantine';

export type LeaseOffer = {
  address: string;
  source: LeaseSource;
  /** Where it comes from, in words. */
  from: string;
};
