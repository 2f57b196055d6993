/** A plan of a hundred thousand prefixes, taken in in one pass and listed one level at a time. */
import type { Client } from '@zpine/contract/client';
import type { Mariadb } from '../ops/mariadb.ts';
import { clientFor, databaseEnv, makeUsers, startBuiltService } from '../ops/stack.ts';
import { ledger, rawInserts, take } from './imports.ts';
import { measure, type Row } from './measure.ts';

const NAME = 'zpine_bench_tree';
const SMALL = 1000;
const LARGE = 100_000;

export async function prefixTreeRows(database: Mariadb): Promise<Row[]> {
  const env = databaseEnv(database, NAME);
  await makeUsers(env);
  const service = await startBuiltService(env);
  try {
    const client = await clientFor(service.url, 'engineer');
    await client.add('vrf', { name: 'small' });
    await client.add('vrf', { name: 'large' });
    await take(client, 'prefix', planOf(SMALL, 'small'));
    const start = performance.now();
    await take(client, 'prefix', planOf(LARGE, 'large'));
    const imported = performance.now() - start;
    const raw = await rawInserts(database, NAME, ['prefix', 'space', 'free_span', ...ledger]);
    const few = await levels(client, 'small');
    const many = await levels(client, 'large');
    const perSecond = (milliseconds: number) => `${Math.round(LARGE / (milliseconds / 1000)).toLocaleString('en')}/s`;
    return [
      {
        what: `import of a plan of ${LARGE.toLocaleString('en')} prefixes in no order, tree and free space worked out`,
        figure: perSecond(imported),
        reference: `${perSecond(raw)} by raw inserts`,
        ratio: raw / imported,
        aim: 0.2,
      },
      {
        what: `levels of that tree through the API, a hundred prefixes each, beside a tree of ${SMALL.toLocaleString('en')}`,
        figure: `${many.toFixed(2)} ms`,
        reference: `${few.toFixed(2)} ms`,
        ratio: few / many,
        aim: 0.5,
      },
    ];
  } finally {
    await service.stop();
  }
}

/** The top, a level in the middle, and one at the bottom. */
async function levels(client: Client, vrf: string): Promise<number> {
  const parents = [undefined, `10.0.0.0/8@${vrf}`, `10.0.0.0/16@${vrf}`, `10.0.1.0/24@${vrf}`];
  const times = await measure(200, (i) => {
    const parent = parents[i % parents.length];
    return client.call('prefix.level', { query: parent === undefined ? { vrf } : { parent } });
  });
  return times.median;
}

/** /16, /24 and /26 below a /8, mixed up by a walk that comes by every row once. */
function planOf(count: number, vrf: string): string {
  const all: string[] = [];
  const push = (cidr: string) => all.length < count && all.push(`${cidr},${vrf},lan`);
  push('10.0.0.0/8');
  for (let a = 0; a < 256 && all.length < count; a += 1) {
    push(`10.${a}.0.0/16`);
    for (let b = 0; b < 256; b += 1) {
      push(`10.${a}.${b}.0/24`);
      for (let c = 0; c < 256; c += 64) push(`10.${a}.${b}.${c}/26`);
    }
  }
  const rows = all.map((_, i) => all[(i * 7919) % all.length]);
  return `cidr,vrf,description\n${rows.join('\n')}\n`;
}
