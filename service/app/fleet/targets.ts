/** Everything that sessions with devices need, read for many of them at once: a run reaches a thousand. */
import type { SettingValue } from '@zpine/core/settings/layers';
import { parseIp } from '@zpine/core/addressing/ip';
import { standsFor } from '@zpine/core/addressing/special';
import { mustParse } from '@zpine/core/fault';
import type { Stored } from '@zpine/contract/kinds';
import { find, keysOf } from '../../store/records.ts';
import { sha256 } from '../../store/digests.ts';
import type { Tx } from '../../store/tx.ts';
import { type FewSettings, settingsOfMany } from '../settings/effective.ts';
import { secretsIn } from '../secrets/known.ts';
import { dialectIn, siteIn } from '../settings/layers.ts';
import type { Access, Target } from './access.ts';

const accessSettings = [
  'users',
  'name.domain',
  'access.user',
  'access.password',
  'access.key',
  'access.passphrase',
  'access.second',
  'access.port',
  'access.algorithms',
  'access.connect-seconds',
  'access.answer-seconds',
  'access.parallel',
  'access.jump',
  'access.factory-user',
  'access.factory-password',
  'access.bare',
  'access.bare-user',
  'access.bare-password',
  'access.bare-port',
  'snmp.word',
  'snmp.user',
  'snmp.auth',
  'snmp.auth-key',
  'snmp.privacy',
  'snmp.privacy-key',
  'snmp.port',
] as const;
type AccessSetting = (typeof accessSettings)[number];

/** The targets of devices, by their ids. */
export async function targetsOf(tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, Target>> {
  const book = await settingsOfMany(tx, devices, accessSettings);
  const out = await plain(tx, book, devices);
  await addJumps(tx, book, devices, out);
  return out;
}

async function plain(tx: Tx, book: FewSettings, devices: Stored<'device'>[]): Promise<Map<number, Target>> {
  const addresses = await addressesOf(tx, devices);
  const pinned = await pinnedOf(tx, devices);
  const secrets = await secretsIn(tx, book.places, devices);
  const out = new Map<number, Target>();
  for (const device of devices) {
    const record = book.places.dialects.get(dialectIn(book.places, device) ?? 0);
    const value = (name: AccessSetting) => book.value(device, name);
    const access = accessOf(value, book.layerOf(device, 'access.parallel'));
    const domain = text(value('name.domain'));
    const address = addresses.get(device.id);
    const other = address && standsFor(mustParse(parseIp(address.address)));
    out.set(device.id, {
      device: device.id,
      key: device.key,
      site: siteIn(book.places, device)?.id ?? null,
      vrf: address?.vrf ?? 'default',
      address: address?.address ?? null,
      hostName: domain === undefined || device.name.includes('.') ? device.name : `${device.name}.${domain}`,
      dialect: record && tx.dialects.of(record.key, record.sheet),
      dialectName: record?.key ?? null,
      access,
      pinned: pinned.get(device.id) ?? null,
      jump: null,
      fault: other === undefined ? null : `its address ${address?.address ?? ''} is ${other}: nobody signs in there`,
      secrets: secrets.get(device.id) ?? [],
      login: sha256(JSON.stringify([access.user, access.password, access.key, access.bare])).toString('base64'),
    });
  }
  return out;
}

/** A jump host is a device of the records, with an access set of its own. */
async function addJumps(
  tx: Tx,
  book: FewSettings,
  devices: Stored<'device'>[],
  out: Map<number, Target>,
): Promise<void> {
  const wanted = new Map<number, string>();
  for (const device of devices) {
    const name = text(book.value(device, 'access.jump'));
    if (name !== undefined && name.toLowerCase() !== device.key) wanted.set(device.id, name.toLowerCase());
  }
  if (wanted.size === 0) return;
  const hosts = await find(tx, 'device', { natural_key: [...new Set(wanted.values())] });
  const targets = await plain(tx, await settingsOfMany(tx, hosts, accessSettings), hosts);
  const byKey = new Map(hosts.map((host) => [host.key, targets.get(host.id)]));
  for (const [id, name] of wanted) {
    const target = out.get(id);
    const jump = byKey.get(name);
    if (!target) continue;
    if (jump) target.jump = jump;
    else target.fault = `it is reached by ${name}, and there is no such device (setting access.jump)`;
  }
}

const text = (value: SettingValue): string | undefined =>
  typeof value === 'string' && value !== '' ? value : undefined;
const number = (value: SettingValue, standard: number): number => (typeof value === 'number' ? value : standard);

function accessOf(value: (name: AccessSetting) => SettingValue, layer: string): Access {
  const user = text(value('access.user')) ?? 'zpine';
  const users = value('users');
  const ofUser = typeof users === 'object' && users !== null && !Array.isArray(users) ? users[user] : undefined;
  const algorithms = value('access.algorithms');
  const bare = bareOf(value);
  return {
    user,
    password: text(value('access.password')) ?? (typeof ofUser === 'string' ? ofUser : undefined),
    key: text(value('access.key')),
    passphrase: text(value('access.passphrase')),
    factory: factoryOf(text(value('access.factory-user')), text(value('access.factory-password'))),
    // It was given for SSH: over a line that everybody reads it does not go.
    second: bare ? undefined : text(value('access.second')),
    bare,
    snmp: snmpOf(value),
    port: number(value('access.port'), 22),
    algorithms: Array.isArray(algorithms) ? algorithms.map(String) : [],
    connectSeconds: number(value('access.connect-seconds'), 8),
    answerSeconds: number(value('access.answer-seconds'), 20),
    parallel: { most: Math.max(1, number(value('access.parallel'), 40)), layer },
  };
}

/** What is for such lines is for them alone: no other login goes over the wire for everybody to read. */
function bareOf(value: (name: AccessSetting) => SettingValue): Access['bare'] {
  const reason = text(value('access.bare'));
  if (reason === undefined) return undefined;
  return {
    reason,
    user: text(value('access.bare-user')) ?? '',
    password: text(value('access.bare-password')) ?? '',
    port: number(value('access.bare-port'), 23),
  };
}

/** A user goes before a word: what a word opens, everybody on the way reads. */
function snmpOf(value: (name: AccessSetting) => SettingValue): Access['snmp'] {
  const port = number(value('snmp.port'), 161);
  const user = text(value('snmp.user'));
  const word = text(value('snmp.word'));
  if (user !== undefined)
    return {
      port,
      user,
      auth: text(value('snmp.auth')) ?? 'sha256',
      authKey: text(value('snmp.auth-key')),
      privacy: text(value('snmp.privacy')) ?? 'aes',
      privacyKey: text(value('snmp.privacy-key')),
    };
  return word === undefined ? undefined : { port, word };
}

const factoryOf = (user: string | undefined, password: string | undefined): Access['factory'] =>
  user === undefined ? undefined : { user, password: password ?? '' };

/** The management address of each device, IPv4 before IPv6. */
async function addressesOf(
  tx: Tx,
  devices: Stored<'device'>[],
): Promise<Map<number, { address: string; vrf: string }>> {
  const on = new Map<number, number>();
  for (const device of devices) if (device.management !== null) on.set(device.management, device.id);
  const out = new Map<number, { address: string; vrf: string }>();
  if (on.size === 0) return out;
  const held = await find(tx, 'address', { interface_id: [...on.keys()] }, { order: ['address_family', 'sort_key'] });
  const vrfs = await keysOf(tx, 'vrf', new Set(held.map((one) => one.vrf)));
  for (const one of held) {
    const device = on.get(one.interface ?? 0);
    if (device !== undefined && !out.has(device))
      out.set(device, { address: one.address, vrf: vrfs.get(one.vrf) ?? 'default' });
  }
  return out;
}

async function pinnedOf(tx: Tx, devices: Stored<'device'>[]): Promise<Map<number, string>> {
  if (devices.length === 0) return new Map();
  const rows = await tx.select<{ device_id: number; fingerprint: string }>(
    `SELECT device_id, fingerprint FROM host_key WHERE device_id IN (${devices.map(() => '?').join(', ')})`,
    devices.map((device) => device.id),
  );
  return new Map(rows.map((row) => [Number(row.device_id), row.fingerprint]));
}
