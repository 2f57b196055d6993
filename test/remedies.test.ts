/** Remedies that can be typed as they stand are typed: each ends its doubt, and makes no new one. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { onboarding, type Onboarding } from './onboarding/bench.ts';
import { zpineIn } from './zpine.ts';

/** Words in capitals stand for something that only a person knows. */
const complete = (remedy: string): boolean => remedy.startsWith('zpine ') && !/\b[A-Z]{3,}\b|, or /.test(remedy);
const looksOnly = (remedy: string): boolean => /^zpine \S+ (list|show)\b/.test(remedy);

describe('remedies of what is doubtful', function () {
  this.timeout(180_000);
  let o: Onboarding;
  let home: string;
  before(async () => {
    o = await onboarding();
    home = mkdtempSync(join(tmpdir(), 'zpine-remedies-'));
    // A switch that tags what the router has untagged, and ports that nobody said anything about.
    const { client } = o;
    await client.edit('interface', 'ard-xr-1:cu2.304', { tag: null });
    await client.add('cable', { from: 'har-acc-1:1/11', to: 'har-acc-2:1/11' });
    await client.edit('interface', 'har-acc-1:1/11', { vlan: '316' });
    await client.edit('interface', 'har-acc-2:1/11', { vlan: '328' });
  });
  after(async () => {
    rmSync(home, { recursive: true, force: true });
    await o.end();
  });

  const look = async () => {
    const { items } = await o.client.call('doctor.data', { query: { limit: 1000 } });
    return items.flatMap(({ doubt, rows }) => rows.map((row) => ({ ...row, name: `${doubt} ${row.kind} ${row.key}` })));
  };

  it('work as they are printed', async () => {
    const { zpineWith } = zpineIn(home);
    const tried = new Set<string>();
    for (;;) {
      const before = await look();
      const next = before.find(({ name, remedy }) => complete(remedy) && !looksOnly(remedy) && !tried.has(name));
      if (!next) break;
      tried.add(next.name);
      for (const command of next.remedy.split(' && ')) {
        const words = command
          .split(' ')
          .slice(1)
          .map((word) => word.replace(/^'|'$/g, ''));
        const said = await zpineWith('', { ZPINE_URL: o.url, ZPINE_TOKEN: o.tokens.admin }, ...words);
        expect(said.status, `${next.name}: ${command}\n${said.err}`).to.equal(0);
      }
      const after = await look();
      expect(
        after.map((one) => one.name),
        next.remedy,
      ).to.not.include(next.name);
      const known = new Set(before.map((one) => one.name));
      expect(
        after.filter((one) => !known.has(one.name)),
        next.remedy,
      ).to.deep.equal([]);
    }
    expect([...tried].filter((name) => name.startsWith('vlan-one-end')).length).to.be.greaterThan(2);
  });
});
