/** The way into forty devices of three dialects, rung by rung; each fault is found on its rung. */
import { expect } from 'chai';
import { addDevice, fleet, paste, rowOf, settled, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';

describe('reaching the fleet', function () {
  this.timeout(60_000);
  let f: Fleet;
  before(async () => {
    f = await fleet({ furrow: 18, quill: 10, shale: 12 });
  });
  after(() => f.end());

  const reach = async (body: { where?: string; devices?: string[] }) =>
    settled(f.client, await f.client.call('run.reach', { body }));

  it('shows the keys of forty devices that nobody has met, and sends no password to them', async () => {
    const run = await reach({ where: 'stage=unproved' });
    expect({ expected: run.expected, counts: run.counts }).to.deep.equal({
      expected: 40,
      counts: { 'no contact': 40 },
    });
    for (const row of run.rows) {
      expect(row.rungs?.map(({ rung, state }) => `${rung} ${state}`)).to.deep.equal([
        'name holds',
        'answers holds',
        'port holds',
        'exchange holds',
        'host-key open',
        'sign-in not tried',
        'privilege not tried',
        'dialect not tried',
      ]);
      expect(row.hostKey?.fingerprint).to.match(/^SHA256:/);
    }
    const { accepted } = await f.client.call('hostKey.accept', { body: { run: run.id } });
    expect(accepted).to.have.length(40);
    const again = await reach({ where: 'stage=unproved' });
    expect(again.counts).to.deep.equal({ reached: 40 });
    expect(rowOf(again, 'har-xr-3').rungs?.at(-1)?.detail).to.equal('CB-7, version 2.4.1, CB-7-1003');
  });
});
