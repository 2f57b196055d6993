/** Several addresses at once, kept for nobody yet: the next free ones, so many in a row, or a stretch by name. */
import { bitsOf, formatIp } from '@zpine/core/addressing/ip';
import { parsePrefix } from '@zpine/core/addressing/prefix';
import { formatRange, parseRange } from '@zpine/core/addressing/ranges';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { defaultVrf } from '@zpine/contract/kinds/addressing';
import { find, keyOf } from '../../store/records.ts';
import { bytesOf, freeCount, freeSpans, lockSpaces } from '../../store/spans.ts';
import type { Tx } from '../../store/tx.ts';
import { add } from '../records/add.ts';
import { mustFindField } from '../records/refs.ts';
import { full } from './next.ts';

const MOST = 1024n;
const NAMED = 5;

export async function reserve(tx: Tx, body: BodyOf<'address.reserve'>): Promise<ReplyOf<'address.reserve'>> {
  if ((body.range === undefined) === (body.prefix === undefined)) throw Refusal.at(['range'], 'value-missing');
  const { vrf, addresses } =
    body.range === undefined
      ? await nextOf(tx, await mustFindField(tx, 'prefix', body.prefix ?? '', 'prefix'), body)
      : await stretch(tx, body.range, await mustFindField(tx, 'vrf', body.vrf ?? defaultVrf, 'vrf'));
  const shared = { vrf: `#${vrf}`, ...(body.description === undefined ? {} : { description: body.description }) };
  const made = await add(
    tx,
    'address',
    addresses.map((address) => ({ address, ...shared })),
    () => ['range'],
  );
  if (!body.apply) tx.discarded = true;
  return { applied: body.apply, items: made.map((one) => one.key) };
}

interface Wanted {
  vrf: number;
  addresses: string[];
}

/** The lowest free ones of a prefix, one after the other if asked for. */
async function nextOf(tx: Tx, prefix: Stored<'prefix'>, body: BodyOf<'address.reserve'>): Promise<Wanted> {
  const { family } = mustParse(parsePrefix(prefix.cidr));
  await lockSpaces(tx, [prefix.id]);
  const wanted = BigInt(body.count);
  // So many in a row have an aligned block of at least a quarter of them in it.
  const length = body.inARow ? bitsOf(family) - Math.max(0, Math.floor(Math.log2(body.count)) - 1) : bitsOf(family);
  const most = body.inARow ? {} : { most: body.count };
  const free = await freeSpans(tx, prefix.id, family, 'fixed', { length, ...most });
  const runs = body.inARow ? free.filter((span) => span.last - span.first + 1n >= wanted).slice(0, 1) : free;
  const out: string[] = [];
  for (const { first, last } of runs)
    for (let value = first; value <= last && out.length < body.count; value += 1n)
      out.push(formatIp({ family, value }));
  if (out.length === body.count) return { vrf: prefix.vrf, addresses: out };
  if (body.inARow && (await freeCount(tx, prefix.id)) > 0n)
    throw Refusal.at(['count'], 'run-missing', { prefix: prefix.key, count: body.count });
  throw await full(tx, prefix);
}

/** All of a stretch, or none: what is taken of it is named. */
async function stretch(tx: Tx, text: string, vrf: Stored<'vrf'>): Promise<Wanted> {
  const read = parseRange(text);
  if (!read.ok) throw Refusal.at(['range'], read.fault.code, read.fault.params);
  const { first, last } = read.value;
  const { family } = first;
  const count = last.value - first.value + 1n;
  if (count > MOST) throw Refusal.at(['range'], 'range-many', { count: String(count), max: String(MOST) });
  const taken = await tx.select<{ id: number }>(
    'SELECT id FROM address WHERE vrf_id = ? AND address_family = ? AND address BETWEEN ? AND ? ORDER BY address',
    [vrf.id, family, bytesOf(family, first.value), bytesOf(family, last.value)],
  );
  if (taken.length > 0) {
    const some = await find(tx, 'address', { id: taken.slice(0, NAMED).map((row) => Number(row.id)) });
    const names: string[] = [];
    for (const one of some) {
      const on = await keyOf(tx, 'interface', one.interface);
      names.push(on === null ? one.key : `${one.key} by ${on}`);
    }
    const more = taken.length > NAMED ? ` and ${taken.length - NAMED} more` : '';
    const params = { taken: taken.length, range: formatRange(read.value), names: names.join(', ') + more };
    throw Refusal.at(['range'], 'range-taken', params);
  }
  const addresses = Array.from({ length: Number(count) }, (_, i) =>
    formatIp({ family, value: first.value + BigInt(i) }),
  );
  return { vrf: vrf.id, addresses };
}
