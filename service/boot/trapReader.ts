/** Traps by a well-known decoder: version 1 and 2c by whichever word, version 3 by the user of whoever sends it. */
import { EventEmitter } from 'node:events';
import type { Socket } from 'node:dgram';
import snmp from 'net-snmp';
import { snmpVersion, trapOne, trapText, trapTwo, type Trap, type TrapBinding } from '@zpine/core/signs/traps';
import type { SnmpAccess } from '../app/fleet/access.ts';

const VERSION_3 = 3;

/** What is read of it, or why it is not. */
export type ReadTrap = { text: string } | { why: string };

interface Pdu {
  enterprise?: string;
  generic?: number;
  specific?: number;
  varbinds?: { oid: string; type: number; value: unknown }[];
}

interface Receiver {
  authorizer: { users: object[] };
}

export class TrapReader {
  private readonly plain: Door;
  private readonly secure: Door;

  /** Answers to informs go out by `socket`. */
  constructor(socket: Socket) {
    this.plain = new Door(socket, true);
    this.secure = new Door(socket, false);
  }

  isSecure(bytes: Uint8Array): boolean {
    return snmpVersion(bytes) === VERSION_3;
  }

  /** `access`: how SNMP is spoken with the device that it is from. Undefined where it is no trap, but asks for our engine. */
  read(bytes: Buffer, from: { address: string; port: number }, access: SnmpAccess | undefined): ReadTrap | undefined {
    const version = snmpVersion(bytes);
    if (version === undefined) return { why: 'it is no message of SNMP' };
    if (version !== VERSION_3) return this.plain.take(bytes, from, []);
    return this.secure.take(bytes, from, access && 'user' in access ? [userOf(access)] : []);
  }
}

/** The decoder's receiver, with our own socket: what it may believe differs from sender to sender. */
class Door {
  private readonly shim: EventEmitter;
  private readonly receiver: Receiver;
  private heard: ReadTrap | undefined;

  constructor(socket: Socket, everybody: boolean) {
    this.shim = Object.assign(new EventEmitter(), {
      bind: () => undefined,
      close: () => undefined,
      send: (bytes: Buffer, _at: number, _length: number, port: number, address: string, done?: () => void) =>
        socket.send(bytes, port, address, () => done?.()),
    });
    this.receiver = snmp.createReceiver(
      { disableAuthorization: everybody, port: 162, dgramModule: { createSocket: () => this.shim } },
      (error: Error | null, data?: { pdu: Pdu }) => {
        this.heard = error ? { why: error.message.split('\n')[0] ?? '' } : { text: trapText(trapIn(data?.pdu ?? {})) };
      },
    ) as Receiver;
  }

  take(bytes: Buffer, from: { address: string; port: number }, users: object[]): ReadTrap | undefined {
    this.heard = undefined;
    this.receiver.authorizer.users = users;
    try {
      this.shim.emit('message', bytes, { ...from, family: 'IPv4', size: bytes.length });
    } catch (error) {
      return { why: error instanceof Error ? error.message : String(error) };
    }
    return this.heard;
  }
}

function trapIn({ enterprise, generic, specific, varbinds = [] }: Pdu): Trap {
  const bindings = varbinds.map(({ oid, value }): TrapBinding => ({ oid, value: shown(value) }));
  return enterprise === undefined ? trapTwo(bindings) : trapOne(enterprise, generic ?? 0, specific ?? 0, bindings);
}

/** Octets that are text are shown as such, others in hexadecimal. */
function shown(value: unknown): string {
  if (!Buffer.isBuffer(value))
    return typeof value === 'object' && value !== null ? JSON.stringify(value) : String(value);
  const text = value.toString('utf8');
  return /[\u0000-\u0008\u000e-\u001f\ufffd]/.test(text) ? value.toString('hex') : text;
}

function userOf({ user: name, auth, authKey, privacy, privacyKey }: Extract<SnmpAccess, { user: string }>): object {
  const { noAuthNoPriv, authNoPriv, authPriv } = snmp.SecurityLevel;
  const level = authKey === undefined ? noAuthNoPriv : privacyKey === undefined ? authNoPriv : authPriv;
  return {
    ...{ name, level },
    ...{ authProtocol: snmp.AuthProtocols[auth as 'sha256'], authKey: authKey ?? '' },
    ...{ privProtocol: snmp.PrivProtocols[privacy as 'aes'], privKey: privacyKey ?? '' },
  };
}
