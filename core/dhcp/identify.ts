/** Who is it? By serial, by hardware address; what contradicts itself is a conflict. */
import type { Client } from './client.ts';
import type { BootBox, Look } from './look.ts';

export type Who =
  | { is: 'device'; id: number; key: string; box: BootBox | undefined; by: string }
  | { is: 'conflict'; why: string }
  | { is: 'stranger'; box: BootBox | undefined };

const conflict = (why: string): Who => ({ is: 'conflict', why });

export function identify(look: Pick<Look, 'boxOfSerial' | 'ownerOf'>, client: Client): Who {
  const bySerial = client.serial === null ? undefined : look.boxOfSerial(client.serial);
  const owner = look.ownerOf(client.mac);
  const macBox = owner && 'box' in owner ? owner.box : undefined;
  const on = owner && 'interfaceOf' in owner ? owner.interfaceOf : undefined;
  if (bySerial && macBox && bySerial.id !== macBox.id)
    return conflict(
      `serial ${bySerial.serial} and MAC ${client.mac} belong to two boxes: the MAC is that of ${macBox.serial}`,
    );
  if (!bySerial && macBox && client.serial !== null)
    return conflict(`it says serial ${client.serial}, but MAC ${client.mac} is that of box ${macBox.serial}`);
  if (bySerial && bySerial.mac !== null && owner === undefined && bySerial.mac !== client.mac)
    return conflict(`box ${bySerial.serial} has MAC ${bySerial.mac} in the records, and shows ${client.mac}`);
  const box = bySerial ?? macBox;
  const fitted = box?.device ?? undefined;
  if (on && fitted && on.id !== fitted.id)
    return conflict(`its serial is that of ${fitted.key}, its MAC is on an interface of ${on.key}`);
  const device = fitted ?? on;
  if (!device) return { is: 'stranger', box };
  const by = bySerial ? `serial ${bySerial.serial}` : `MAC ${client.mac}`;
  return { is: 'device', ...device, box, by };
}
