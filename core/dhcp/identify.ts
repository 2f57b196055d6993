/** Who is it? By serial, by hardware address; what contradicts itself is a conflict. */
import type { Client } from './client.ts';
import { boxName } from '../naming/boxName.ts';
import type { BootBox, Look, MacOwner } from './look.ts';

export type Who =
  /** `tells`: its serial, where the records have none. */
  | { is: 'device'; id: number; key: string; box: BootBox | undefined; by: string; tells?: string | undefined }
  /** `about`: the device whose identity is shown, as far as it is one. */
  | { is: 'conflict'; why: string; about: number | undefined }
  | { is: 'stranger'; box: BootBox | undefined };

const conflict = (why: string, ...boxes: (BootBox | undefined)[]): Who => ({
  is: 'conflict',
  why,
  about: boxes.find((box) => box?.device)?.device?.id,
});

type Known = Pick<Look, 'boxOfSerial' | 'ownerOf' | 'serialsIn'>;

export function identify(look: Known, client: Client): Who {
  const whole = client.serial === null ? undefined : look.boxOfSerial(client.serial);
  const told = whole ? [] : look.serialsIn(client);
  const bySerial = whole ?? firstBox(look, told);
  const { owner, mac } = ownerOf(look, client);
  const macBox = owner && 'box' in owner ? owner.box : undefined;
  const on = owner && 'interfaceOf' in owner ? owner.interfaceOf : undefined;
  // A spare that was entered by its serial is the box that was known by its MAC alone.
  const same = macBox?.serial === null && bySerial?.mac === null && bySerial.device === null;
  if (bySerial && macBox && bySerial.id !== macBox.id && !same)
    return conflict(
      `serial ${bySerial.serial} and MAC ${mac} belong to two boxes: the MAC is that of ${boxName(macBox)}`,
      bySerial,
      macBox,
    );
  // An identifier that nobody knows says nothing about a known MAC, unless its boot profile says that it is a serial.
  const [said] = told;
  if (!bySerial && macBox && macBox.serial !== null && said !== undefined)
    return conflict(`it says serial ${said}, but MAC ${mac} is that of box ${macBox.serial}`, macBox);
  if (bySerial && bySerial.mac !== null && owner === undefined && bySerial.mac !== client.mac && client.mac !== '')
    return conflict(`box ${bySerial.serial} has MAC ${bySerial.mac} in the records, and shows ${client.mac}`, bySerial);
  const box = same ? macBox : (bySerial ?? macBox);
  const fitted = box?.device ?? undefined;
  if (on && fitted && on.id !== fitted.id)
    return conflict(`its serial is that of ${fitted.key}, its MAC is on an interface of ${on.key}`, box);
  const device = fitted ?? on;
  if (!device) return { is: 'stranger', box };
  const by = bySerial && !same ? `serial ${bySerial.serial}` : `MAC ${mac}`;
  // Said in the manner of its dialect, it is a serial and no name that somebody gave it.
  const tells = box?.serial === null ? said : undefined;
  return { is: 'device', ...device, box, by, tells };
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
