/** Would the service still get in? The rendered text is read by the dialect's own patterns, and held against the records. */
import { parseIp } from '@zpine/core/addressing/ip';
import { accountFault, uplinkFault, type Opens, type WayInFault } from '@zpine/core/fleet/wayIn';
import { fitsSha512crypt } from '@zpine/core/text/sha512crypt';
import type { ValMap } from '@zpine/core/template/values';
import { mapSetting, textSetting } from '@zpine/core/settings/read';

import { publicKeyOf } from '../fleet/publicKey.ts';
import type { DeviceContext } from './context.ts';
import { sha512, type Files } from './content.ts';

export interface LockoutFault {
  code: WayInFault['code'] | 'dialect' | 'management' | 'call-home';
  detail: string;
}

export function lockoutFaults(
  context: DeviceContext,
  files: Files,
  opens: Opens = (password, sealed) => fitsSha512crypt(password, sealed, sha512),
): LockoutFault[] {
  const { described } = context;
  if (!described?.sheet.wayIn) {
    return [
      {
        code: 'dialect',
        detail: `nothing is known of the dialect ${context.dialect ?? '(none)'}: its text cannot be read for the way back in`,
      },
    ];
  }
  const faults: LockoutFault[] = [];
  const add = (code: LockoutFault['code'], detail: string) => faults.push({ code, detail });
  const way = described.wayIn(files[0]?.text ?? '');
  const management = (context.data.device as ValMap).management as ValMap | null;
  if (!management) add('management', `${context.device.key} has no management address in the records`);
  else {
    const on = described.interfaceName(String(management.interface));
    const there = way.addresses.filter((a) => a.on === on).map((a) => a.address);
    if (!there.includes(String(management.address))) {
      const found = there.length > 0 ? there.join(', ') : way.addresses.map((a) => `${a.on} ${a.address}`).join(', ');
      add(
        'address',
        `the service will come to ${String(management.address)} on ${on}; the edition has ${found || 'no address at all'}`,
      );
    }
    const gateway = management.gateway as string | null;
    if (gateway !== null && !sameAddress(way.gateway, gateway)) {
      add('gateway', `the way out is ${gateway}; the edition has ${way.gateway ?? 'none'}`);
    }
    const uplink = uplinkFault(way, String(management.address), cabledPorts(context));
    if (uplink) faults.push(uplink);
  }
  const user = textSetting(context.settings, 'access.user');
  if (user === undefined)
    add('account', 'the setting access.user is empty: the service does not know as whom to sign in');
  else {
    // As the service signs in: its own password first, then the one that the device is to have for that user.
    const password = textSetting(context.settings, 'access.password') ?? mapSetting(context.settings, 'users')[user];
    const publicKey = publicKeyOf(context.settings);
    const fault = accountFault(way, { user, password, publicKey }, opens, 'the edition');
    if (fault) faults.push(fault);
  }
  if (!way.shell) add('shell', 'SSH is not switched on in the edition');
  const { life } = context.data.boot as ValMap;
  if (life === null) add('call-home', 'the service boots nobody: its boot address (ZPINE_BOOT_ADDRESS) is not set');
  else if (way.callHome !== life) {
    add(
      'call-home',
      way.callHome === undefined
        ? 'the edition does not call home'
        : 'the edition calls home to another address than the service listens on',
    );
  }
  return faults;
}

/** From where a cable of the records leads to another device; as the records call them, which is how texts name ports. */
function cabledPorts({ data }: DeviceContext): string[] {
  return ((data.links ?? []) as ValMap[]).flatMap(({ interface: on, device }) =>
    typeof on === 'string' && typeof device === 'string' ? [on] : [],
  );
}

function sameAddress(a: string | undefined, b: string): boolean {
  const [x, y] = [parseIp(a ?? ''), parseIp(b)];
  return x.ok && y.ok && x.value.family === y.value.family && x.value.value === y.value.value;
}
