/** The access set of a device: how the service gets in, put together from its layers. */
import type { Dialect } from '@zpine/core/dialect/dialect';

/** SNMP, to read only: version 2c by a word, or version 3 by a user. */
export type SnmpAccess = { port: number } & (
  | { word: string }
  | { user: string; auth: string; authKey: string | undefined; privacy: string; privacyKey: string | undefined }
);

export interface Access {
  user: string;
  password: string | undefined;
  /** A private key in OpenSSH's or PEM form, and what opens it. */
  key: string | undefined;
  passphrase: string | undefined;
  /** What a device of its model lets in as it comes out of its box. */
  factory: { user: string; password: string } | undefined;
  /** For more rights, once signed in. */
  second: string | undefined;
  port: number;
  /** Signed in on without encryption, because somebody permits it; left out where nobody does. */
  bare?: { reason: string; user: string; password: string; port: number } | undefined;
  /** How name, identity and uptime are read beside; left out where there is neither word nor user. */
  snmp?: SnmpAccess | undefined;
  /** Permitted beside those that are good today, by the names of RFC 4253 and its successors. */
  algorithms: string[];
  connectSeconds: number;
  answerSeconds: number;
  /** How many at a time of all devices that have this from the same layer. */
  parallel: { most: number; layer: string };
}

/** Everything that a session needs, read from the records beforehand. */
export interface Target {
  device: number;
  key: string;
  /** The site that it is at, by its own record or by its rack or prefix; null for none. */
  site: number | null;
  /** The VRF of the address, for the dial map. */
  vrf: string;
  /** From the records; null where they have none, and the name is looked up. */
  address: string | null;
  /** What is looked up then. */
  hostName: string;
  dialect: Dialect | undefined;
  /** What its records say it speaks, known or not. */
  dialectName: string | null;
  access: Access;
  /** The fingerprint that was pinned; null where none was. */
  pinned: string | null;
  jump: Target | null;
  /** Why it cannot be reached, by the records alone. */
  fault: string | null;
  /** All that is secret about it, now and before: masked wherever it shows up. */
  secrets: string[];
  /** Devices with the same login have the same word here. */
  login: string;
}
