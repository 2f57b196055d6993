/**
 * The emergency sheet: what a person needs at the console of a dead device while the service cannot be reached. One HTML
 * file, sealed with a passphrase, which any browser opens and prints without a network.
 */
import { createCipheriv, pbkdf2, randomBytes } from 'node:crypto';
import { promisify } from 'node:util';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, find, keyOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { managementOf } from '../addressing/management.ts';
import { lengthOn } from '../addressing/lengths.ts';
import { plugs } from '../cables/shown.ts';
import { sitesOf } from '../devices/inForce.ts';
import { filesOf, publishedOf } from '../editions/rows.ts';
import { mustFind, mustFindFieldMany } from '../records/refs.ts';
import { emergencyPage, type Sealed } from './emergencyPage.ts';

/** What OWASP asks of PBKDF2 with HMAC-SHA-256; a browser takes about half a second for it. */
const ROUNDS = 600_000;
const derive = promisify(pbkdf2);

interface SheetOf {
  device: string;
  place: string;
  facts: [string, string][];
  cables: { port: string; marking: string; colour: string; leadsTo: string }[];
  files: { name: string; text: string }[];
}

export async function emergencySheet(
  tx: Tx,
  { devices: named, site, passphrase }: BodyOf<'swap.emergencySheet'>,
): Promise<ReplyOf<'swap.emergencySheet'>> {
  const devices =
    named !== undefined
      ? await mustFindFieldMany(tx, 'device', named, 'devices')
      : site === undefined
        ? []
        : await find(tx, 'device', { site_id: (await mustFind(tx, 'site', site)).id }, { order: ['sort_key'] });
  const sheets: SheetOf[] = [];
  const without: string[] = [];
  for (const device of devices) {
    const edition = await publishedOf(tx, device.id);
    if (!edition) {
      without.push(device.key);
      continue;
    }
    sheets.push(await sheetOf(tx, device, edition.id));
    await tx.change({
      kind: 'edition',
      id: edition.id,
      key: `edition ${edition.number} of ${device.key}`,
      versionFrom: 1,
      versionTo: 1,
      before: null,
      after: { revealed: true, for: 'emergency sheet' },
    });
  }
  const [first] = sheets;
  if (!first) throw new Refusal('sheet-empty', { what: site ?? named?.join(', ') ?? '' });
  const title = site === undefined ? sheets.map(({ device }) => device).join(', ') : site.toUpperCase();
  const made = (await tx.now()).iso;
  const sealed = await seal(JSON.stringify({ title, made, sheets }), passphrase);
  return {
    name: `emergency-${(site ?? first.device).toLowerCase()}-${made.slice(0, 10)}.html`,
    html: emergencyPage(title, made, sealed),
    devices: sheets.map(({ device }) => device),
    without,
  };
}

async function seal(text: string, passphrase: string): Promise<Sealed> {
  const [salt, nonce] = [randomBytes(16), randomBytes(12)];
  const cipher = createCipheriv(
    'aes-256-gcm',
    await derive(passphrase.normalize('NFC'), salt, ROUNDS, 32, 'sha256'),
    nonce,
  );
  const data = Buffer.concat([cipher.update(text, 'utf8'), cipher.final(), cipher.getAuthTag()]);
  return {
    rounds: ROUNDS,
    salt: salt.toString('base64'),
    nonce: nonce.toString('base64'),
    data: data.toString('base64'),
  };
}

async function sheetOf(tx: Tx, device: Stored<'device'>, edition: number): Promise<SheetOf> {
  const managed = await managementOf(tx, device);
  const on = managed && device.management !== null ? await byIds(tx, 'interface', [device.management]) : undefined;
  const vlanId = managed?.prefix.vlan ?? null;
  const vlan = vlanId === null ? undefined : (await byIds(tx, 'vlan', [vlanId])).get(vlanId);
  const siteId = (await sitesOf(tx, [device])).get(device.id) ?? null;
  const rack = await keyOf(tx, 'rack', device.rack);
  const { items } = await plugs(tx, { device: device.key });
  const cables = items.flatMap(({ from, to, marking, colour }) =>
    from.port === null
      ? []
      : [
          {
            port: from.port.slice(device.key.length + 1),
            marking: marking ?? '',
            colour: colour ?? '',
            leadsTo: to.words,
            other: to.device !== null,
          },
        ],
  );
  const [box] = await find(tx, 'box', { device_id: device.id });
  const source = tx.place.address;
  const facts: [string, string | null | undefined][] = [
    ['model', await keyOf(tx, 'model', device.model)],
    ['box', box?.serial ?? box?.mac],
    ['management', managed && `${managed.address.address}/${await lengthOn(tx, managed.address, managed.prefix)}`],
    ['on', on?.get(device.management ?? 0)?.name],
    ['VLAN', vlan && `${vlan.number} ${vlan.title ?? ''}`.trim()],
    ['gateway', managed?.prefix.gateway],
    [
      'uplink',
      cables
        .filter(({ other }) => other)
        .map(({ port, leadsTo }) => `${port} to ${leadsTo}`)
        .join(', '),
    ],
    ['reach test', managed?.prefix.gateway && `from its console: ping ${managed.prefix.gateway}, then ping ${source}`],
  ];
  return {
    device: device.key,
    place: [await keyOf(tx, 'site', siteId), rack, device.positionU === null ? null : `U ${device.positionU}`]
      .filter(Boolean)
      .join(' · '),
    facts: facts.flatMap(([name, value]): [string, string][] => (value ? [[name, value]] : [])),
    cables: cables.map(({ other: _other, ...cable }) => cable),
    files: (await filesOf(tx, edition)).map(({ name, text }) => ({ name, text })),
  };
}
