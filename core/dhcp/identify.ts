/** Who is it? By serial, by hardware address; what contradicts itself is a conflict. */
import type { Client } from './client.ts';
import type { BootBox, Look, MacOwner } from './look.ts';

export type Who =
  | { is: 'device'; id: number; key: string; box: BootBox | undefined; by: string }
  | { is: 'conflict'; why: string }
  | { is: 'stranger'; box: BootBox | undefined };

const conflict = (why: string): Who => ({ is: 'conflict', why });

type Known = Pick<Look, 'boxOfSerial' | 'ownerOf' | 'serialsIn'>;

export function identify(look: Known, client: Client): Who {
  const whole = client.serial === null ? undefined : look.boxOfSerial(client.serial);
  const told = whole ? [] : look.serialsIn(client);
  const bySerial = whole ?? firstBox(look, told);
  const { owner, mac } = ownerOf(look, client);
  const macBox = owner && 'box' in owner ? owner.box : undefined;
  const on = owner && 'interfaceOf' in owner ? owner.interfaceOf : undefined;
  if (bySerial && macBox && bySerial.id !== macBox.id)
    return conflict(
      `serial ${bySerial.serial} and MAC ${mac} belong to two boxes: the MAC is that of ${macBox.serial}`,
    );
  // An identifier that nobody knows says nothing about a known MAC, unless its boot profile says that it is a serial.
  const [said] = told;
  if (!bySerial && macBox && said !== undefined)
    return conflict(`it says serial ${said}, but MAC ${mac} is that of box ${macBox.serial}`);
  if (bySerial && bySerial.mac !== null && owner === undefined && bySerial.mac !== client.mac && client.mac !== '')
    return conflict(`box ${bySerial.serial} has MAC ${bySerial.mac} in the records, and shows ${client.mac}`);
  const box = bySerial ?? macBox;
  const fitted = box?.device ?? undefined;
  if (on && fitted && on.id !== fitted.id)
    return conflict(`its serial is that of ${fitted.key}, its MAC is on an interface of ${on.key}`);
  const device = fitted ?? on;
  if (!device) return { is: 'stranger', box };
  const by = bySerial ? `serial ${bySerial.serial}` : `MAC ${mac}`;
  return { is: 'device', ...device, box, by };
}

function firstBox(look: Known, serials: readonly string[]): BootBox | undefined {
  for (const serial of serials) {
    const box = look.boxOfSerial(serial);
    if (box) return box;
  }
  return undefined;
}

/** By the hardware address that it sends from; where that is nobody's, by the one in its identifier (RFC 2132, 9.14). */
function ownerOf(look: Known, client: Client): { owner: MacOwner | undefined; mac: string } {
  const owner = look.ownerOf(client.mac);
  if (owner || client.otherMac === null) return { owner, mac: client.mac };
  return { owner: look.ownerOf(client.otherMac), mac: client.otherMac };
}
