/** A plan of addresses that stands in a spreadsheet: the tree is worked out, and what is odd in it is told. */
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect } from 'chai';
import type { Client } from '@zpine/contract/client';
import { sizeOf, formatPrefix, parsePrefix } from '@zpine/core/addressing/prefix';
import { treeOf } from '@zpine/core/addressing/tree';
import { mustParse } from '@zpine/core/fault';
import { refusal } from '../service.ts';
import { demoBench, type DemoBench } from './bench.ts';

describe('a plan of addresses, taken in', function () {
  this.timeout(120_000);
  let demo: DemoBench;
  let client: Client;
  before(async () => {
    demo = await demoBench();
    client = demo.bench.clients.engineer;
  });
  after(() => demo.end());

  const file = (name: string, lines: string[]) => {
    const path = join(demo.home, name);
    writeFileSync(path, `${lines.join('\n')}\n`);
    return path;
  };

  it('finds the place of each prefix, and says what stands nowhere, is taken over, or is there twice', async () => {
    await client.add('prefix', { cidr: '10.95.8.0/24' });
    await client.add('address', { address: '10.95.8.9' });
    const plan = file('plan.csv', [
      'cidr,description,vrf',
      '10.95.8.0/26,pumps,default',
      '10.95.0.0/20,south quay,default',
      '10.95.0.0/16,quays,default',
      '172.20.0.0/24,old office,default',
      '10.77.19.0/25,kiosk,default',
      '10.95.8.64/26,gates,default',
      '2001:db8:95::/48,quays,default',
      '2001:db8:95:1::/64,pumps,default',
      '10.95.9.0/24,lights,default',
    ]);
    const seen = await demo.zpineWith('n\n', {}, 'import', 'prefix', plan);
    expect(seen.out).to.include(
      'new prefixes: 6 inside others\n3 at the top: 10.95.0.0/16, 172.20.0.0/24, 2001:db8:95::/48',
    );
    expect(seen.out).to.include('existing prefixes now inside new ones: 1');
    expect(seen.out).to.include('1 also present in another VRF: 10.77.19.0/24@wireless and 10.77.19.0/25');
    expect((await refusal(client.show('prefix', '10.95.0.0/16'))).code).to.equal('not-found');
    await demo.well('import', 'prefix', plan, '--yes');
    const parent = async (ref: string) => (await client.show('prefix', ref)).parent;
    expect(await parent('10.95.8.0/24')).to.equal('10.95.0.0/20');
    expect(await parent('10.95.8.64/26')).to.equal('10.95.8.0/24');
    expect((await client.show('address', '10.95.8.9')).prefix).to.equal('10.95.8.0/26');
    const space = await client.call('prefix.space', { params: { ref: '10.95.8.0/24' } });
    expect(space.holes).to.deep.equal([{ first: '10.95.8.128', last: '10.95.8.255', fits: '10.95.8.128/25' }]);
    expect((await client.call('address.propose', { query: { prefix: '10.95.8.0/26' } })).address).to.equal('10.95.8.1');
  });

  it('names every row that is wrong, and saves none', async () => {
    const plan = file('faulty.csv', [
      'cidr,gateway,pool',
      '10.96.0.0/16,,',
      '10.96.1.7/24,,',
      '010.96.2.0/24,,',
      '10.96.3.0/24,10.96.3.0,',
      '10.96.4.0/24,,10.96.4.20-10.96.4.10',
      '::ffff:10.96.5.0/120,,',
      'fe80::%eth0/64,,',
      '10.96.6.0/24,,10.96.6.100-10.96.6.200',
      '10.96.6.128/26,,',
      '10.96.7.0/24,,',
      '10.96.8.0/24,,10.96.8.10-10.96.8.20; 10.96.8.15-10.96.8.30',
    ]);
    const { status, out, err } = await demo.zpine('import', 'prefix', plan, '--yes');
    expect(status).to.equal(1);
    const said = out + err;
    for (const words of [
      /row 3 .*10\.96\.1\.7\/24 has host bits set/,
      /row 4 .*did you mean 10\.96\.2\.0|row 4 .*leading zero/,
      /row 5 .*10\.96\.3\.0 is the network address of 10\.96\.3\.0\/24/,
      /row 6 .*10\.96\.4\.20-10\.96\.4\.10/,
      /row 7 .*10\.96\.5\.0/,
      /row 8 .*eth0/,
      /row 12 .*overlap/,
    ])
      expect(said).to.match(words);
    expect((await client.list('prefix', { q: '10.96' })).items).to.deep.equal([]);
  });

  it('refuses a pool over what is assigned, and a prefix inside a pool, in a list as alone', async () => {
    await client.add('prefix', { cidr: '10.97.0.0/24' });
    await client.add('address', { address: '10.97.0.50' });
    const alone = await refusal(client.edit('prefix', '10.97.0.0/24', { pool: '10.97.0.40-10.97.0.60' }));
    expect(alone.errors?.[0]).to.include({ code: 'range-on-address', pointer: '/pool' });
    const parts = Array.from({ length: 8 }, (_, i) => ({ cidr: `10.97.0.${i * 32}/27` }));
    const pooled = parts.map((part, i) => (i === 1 ? { ...part, pool: '10.97.0.40-10.97.0.60' } : part));
    const list = await refusal(client.addAll('prefix', pooled));
    expect(list.errors?.map(({ code, pointer }) => `${pointer} ${code}`)).to.deep.equal(['/1/pool range-on-address']);
    await client.edit('prefix', '10.97.0.0/24', { pool: '10.97.0.200-10.97.0.210' });
    const inside = await refusal(client.addAll('prefix', parts));
    expect(inside.errors?.map(({ code, pointer }) => `${pointer} ${code}`)).to.deep.equal(['/6/cidr prefix-on-kept']);
    await client.add('address', { address: '10.97.0.63' });
    await client.edit('prefix', '10.97.0.0/24', { pool: null });
    const edge = await refusal(client.addAll('prefix', parts));
    expect(edge.errors?.map(({ code, pointer }) => `${pointer} ${code}`)).to.deep.equal(['/1/cidr prefix-edge']);
  });

  it('takes thousands in any order, and lists them level by level', async () => {
    const blocks = ['10.98.0.0/16'];
    for (let a = 0; a < 64; a += 1) {
      blocks.push(`10.98.${a * 4}.0/22`);
      for (let b = 0; b < 4; b += 1) {
        blocks.push(`10.98.${a * 4 + b}.0/24`);
        for (let c = 0; c < 6; c += 1) blocks.push(`10.98.${a * 4 + b}.${c * 32}/27`);
      }
    }
    const mixed = blocks.map((_, i) => blocks[(i * 7919) % blocks.length] ?? '');
    await demo.well('import', 'prefix', file('large.csv', ['cidr', ...mixed]), '--yes');
    const expected = treeOf(blocks.map((text) => mustParse(parsePrefix(text))));
    let seen = 0;
    const walk = async (parent: string): Promise<void> => {
      const node = expected.find(({ block }) => formatPrefix(block) === parent);
      const below: string[] = [];
      let after: string | undefined;
      do {
        const query = { parent, limit: 50, ...(after === undefined ? {} : { after }) };
        const page = await client.call('prefix.level', { query });
        for (const item of page.items) {
          below.push(item.prefix);
          const inside = expected.find(({ block }) => formatPrefix(block) === item.prefix);
          const given = (inside?.children ?? []).reduce((sum, child) => sum + Number(sizeOf(child.block)), 0);
          const whole = Number(inside ? sizeOf(inside.block) : 1n);
          expect(item.nested).to.equal(given > 0);
          expect(item.givenPercent).to.equal((100 * given) / whole);
        }
        after = page.next ?? undefined;
      } while (after !== undefined);
      expect(below).to.deep.equal(node?.children.map((child) => formatPrefix(child.block)));
      seen += below.length;
      if (seen < 400) for (const one of below.slice(0, 5)) await walk(one);
    };
    await walk('10.98.0.0/16');
    expect(seen).to.be.greaterThan(64);
  });
});
