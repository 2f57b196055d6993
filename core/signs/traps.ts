/** What a trap says, in a line: version 1 (RFC 1157) by its generic and specific numbers, the others by snmpTrapOID.0. */

export interface TrapBinding {
  oid: string;
  /** As it is shown. */
  value: string;
}

export interface Trap {
  /** `coldStart`, or the object identifier of one that the standards do not name. */
  name: string;
  /** With what it came. */
  bindings: TrapBinding[];
}

/** RFC 1157, 4.1.6; RFC 3418: snmpTraps, one more than the generic number. */
const GENERIC = ['coldStart', 'warmStart', 'linkDown', 'linkUp', 'authenticationFailure', 'egpNeighborLoss'];
const TRAPS = '1.3.6.1.6.3.1.1.5';
const TRAP_OID = '1.3.6.1.6.3.1.1.4.1.0';
const UPTIME = '1.3.6.1.2.1.1.3.0';
const ENTERPRISE_SPECIFIC = 6;

/** Objects that people know by name (RFC 2863, RFC 3418). */
const OBJECTS: Record<string, string> = {
  '1.3.6.1.2.1.1.5': 'name',
  '1.3.6.1.2.1.2.2.1.1': 'index',
  '1.3.6.1.2.1.2.2.1.2': 'interface',
  '1.3.6.1.2.1.2.2.1.7': 'wanted',
  '1.3.6.1.2.1.2.2.1.8': 'state',
  '1.3.6.1.2.1.31.1.1.1.1': 'interface',
  '1.3.6.1.2.1.31.1.1.1.18': 'alias',
};

const nameOf = (oid: string): string => {
  const found = GENERIC.find((_, i) => oid === `${TRAPS}.${i + 1}`);
  return found ?? oid;
};

export const trapOne = (enterprise: string, generic: number, specific: number, bindings: TrapBinding[]): Trap => ({
  // RFC 3584, 3.1: how one of version 1 is called in the others.
  name: generic === ENTERPRISE_SPECIFIC ? `${enterprise}.0.${specific}` : (GENERIC[generic] ?? `generic ${generic}`),
  bindings,
});

export function trapTwo(bindings: TrapBinding[]): Trap {
  const oid = bindings.find((one) => one.oid === TRAP_OID)?.value ?? '';
  return {
    name: oid === '' ? 'a notification without a name' : nameOf(oid),
    bindings: bindings.filter((one) => one.oid !== TRAP_OID && one.oid !== UPTIME),
  };
}

const MOST_BINDINGS = 6;
const LONGEST_VALUE = 80;

/** `linkDown: interface 1/4, state 2`. */
export function trapText({ name, bindings }: Trap): string {
  const words = bindings.slice(0, MOST_BINDINGS).map(({ oid, value }) => {
    const column = Object.keys(OBJECTS).find((known) => oid.startsWith(`${known}.`));
    const shown = value.replace(/[\u0000-\u001f\u007f-\u009f]+/g, ' ').slice(0, LONGEST_VALUE);
    return `${column === undefined ? oid : (OBJECTS[column] ?? oid)} ${shown}`;
  });
  const more = bindings.length > MOST_BINDINGS ? `, and ${bindings.length - MOST_BINDINGS} more` : '';
  return words.length === 0 ? name : `${name}: ${words.join(', ')}${more}`;
}

/**
 * The version of a message: SEQUENCE { version INTEGER, ... } (RFC 1157, section 4; RFC 3412, section 6), 0 for 1, 1 for
 * 2c, 3 for 3. Undefined where it does not begin so.
 */
export function snmpVersion(bytes: Uint8Array): number | undefined {
  if (bytes[0] !== 0x30 || bytes[1] === undefined) return undefined;
  const at = bytes[1] < 0x80 ? 2 : 2 + (bytes[1] & 0x7f);
  return bytes[at] === 0x02 && bytes[at + 1] === 1 ? bytes[at + 2] : undefined;
}
