/** Hosts that a sweep found, taken into the records: unproved devices with what they said that they are. */
import { macToBytes, parseMac } from '@zpine/core/addressing/mac';
import { nameByAddress } from '@zpine/core/lists/hosts';
import { parseKeyPart } from '@zpine/core/naming/names';
import { defaultVrf } from '@zpine/contract/kinds/addressing';
import type { Met } from '@zpine/contract/fleetShapes';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Swept } from '@zpine/contract/sweepRoutes';
import { allOf, byKeys, keysOf } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { modelNamed } from '../fleet/met.ts';
import type { ListHost } from '../imports/listed.ts';
import { importHosts } from '../imports/paste.ts';
import type { ImportRow } from '../imports/rows.ts';
import { settleTalkers } from './meet.ts';
import { foundBy, sweepRow } from './sweeps.ts';

export async function takeSwept(tx: Tx, id: string, body: BodyOf<'sweep.take'>): Promise<ReplyOf<'sweep.take'>> {
  const sweep = await sweepRow(tx, id);
  const vrf = {
    id: Number(sweep.vrf_id),
    key: (await keysOf(tx, 'vrf', [Number(sweep.vrf_id)])).get(Number(sweep.vrf_id)) ?? defaultVrf,
  };
  const wanted = body.addresses && new Set(body.addresses);
  const chosen = (await foundBy(tx, sweep.id)).filter(({ address, met }) =>
    wanted ? wanted.has(address) : met !== null,
  );
  // What was taken in meanwhile is known.
  const known = await knownAmong(tx, vrf.key, chosen);
  const found = chosen.filter(({ address }) => !known.has(address));
  const models = await allOf(tx, 'model');
  const boxes = await byKeys(
    tx,
    'box',
    found.flatMap(({ met }) => (met?.serial ? [met.serial.toLowerCase()] : [])),
  );
  const standing = await byKeys(tx, 'device', found.map(nameOf));
  const macs = await claimedMacs(
    tx,
    found.flatMap(({ met }) => (met?.mac ? [met.mac] : [])),
  );
  const more: ImportRow[] = [];
  const hosts = found.map((one, i): ListHost => {
    const { met } = one;
    const model = met?.model ? modelNamed(models, met.model) : undefined;
    // Another device may be called so: two hosts that say the same name are told apart by their addresses.
    const again = found.findIndex((other) => nameOf(other) === nameOf(one)) < i;
    const name = standing.has(nameOf(one)) || again ? nameByAddress(one.address) : nameOf(one);
    if (met?.serial && model && !boxes.has(met.serial.toLowerCase()))
      more.push({
        kind: 'box',
        file: null,
        row: i + 1,
        heads: {},
        fields: {
          serial: met.serial,
          model: model.key,
          condition: 'fitted',
          device: name,
          ...macOf(met, macs),
        },
      });
    return {
      line: i + 1,
      name,
      addresses: [one.address],
      again: [],
      said: [],
      domain: null,
      note: name === nameOf(one) ? null : noteOf(met),
      fields: { ...(met ? { dialect: met.dialect } : {}), ...(model ? { model: model.key } : {}) },
      labels: [],
      values: [],
    };
  });
  const outcome = await importHosts(tx, hosts, more, { ...body, vrf });
  if (body.apply) await settleTalkers(tx, found);
  outcome.rows += known.size;
  outcome.counts.same += known.size;
  return outcome;
}

/** Addresses that an interface of the records has. */
async function knownAmong(tx: Tx, vrf: string, found: readonly Swept[]): Promise<Set<string>> {
  if (found.length === 0) return new Set();
  const keys = found.map(({ address }) => (vrf === defaultVrf ? address : `${address}@${vrf}`));
  const standing = [...(await byKeys(tx, 'address', keys)).values()];
  return new Set(standing.filter((one) => one.interface !== null).map(({ address }) => address));
}

/** A MAC that the records have elsewhere stays there: it is noted beside. */
const macOf = ({ mac }: Met, claimed: ReadonlySet<string>): Record<string, string> => {
  if (mac === null) return {};
  return claimed.has(mac.toLowerCase())
    ? { note: `it says that its MAC is ${mac}, which another record has` }
    : { mac };
};

/** Those that belong to a box or an interface already, as they are written here. */
async function claimedMacs(tx: Tx, said: readonly string[]): Promise<Set<string>> {
  const read = said.flatMap((text) => {
    const mac = parseMac(text);
    return mac.ok ? [{ text: text.toLowerCase(), bytes: Buffer.from(macToBytes(mac.value)) }] : [];
  });
  if (read.length === 0) return new Set();
  const rows = await tx.select<{ mac: Buffer }>('SELECT mac FROM mac_claim WHERE mac IN (?)', [
    read.map(({ bytes }) => bytes),
  ]);
  const held = new Set(rows.map(({ mac }) => mac.toString('hex')));
  return new Set(read.filter(({ bytes }) => held.has(bytes.toString('hex'))).map(({ text }) => text));
}

const noteOf = (met: Met | null): string | null => (met?.name ? `it says that it is ${met.name}` : null);

function nameOf({ address, met }: Swept): string {
  const name = met?.name ? parseKeyPart(met.name.split('.')[0] ?? '') : undefined;
  return name?.ok ? name.value : nameByAddress(address);
}
