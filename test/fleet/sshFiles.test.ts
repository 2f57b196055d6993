/** Files for SSH clients, read by the stock ones. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { acquainted, fleet, type Fleet } from './bench.ts';
import { refusal } from '../service.ts';

describe('files for SSH clients', function () {
  this.timeout(60_000);
  let f: Fleet;
  const folder = mkdtempSync(join(tmpdir(), 'zpine-ssh-'));
  before(async () => {
    f = await fleet({ furrow: 2, quill: 0, shale: 1 });
    const put = (setting: string, layer: 'everywhere' | 'device', key: string | undefined, value: string | string[]) =>
      f.client.call('value.put', {
        body: { setting, layer, ...(key === undefined ? {} : { of: key }), mode: 'set', value },
      });
    await put('access.jump', 'device', 'har-acc-2', 'har-wb-1');
    await put('access.algorithms', 'device', 'har-acc-2', ['diffie-hellman-group14-sha1', 'aes128-cbc', 'hmac-sha1']);
    await put('name.domain', 'everywhere', undefined, 'brackwater.example');
    await acquainted(f.client);
  });
  after(async () => {
    await f.end();
    rmSync(folder, { recursive: true, force: true });
  });

  const said = (command: string, ...args: string[]): string => {
    const { stdout, stderr, status } = spawnSync(command, args, { encoding: 'utf8' });
    expect(status, stderr).to.equal(0);
    return stdout;
  };
  const file = (name: string, text: string): string => {
    const path = join(folder, name);
    writeFileSync(path, text);
    return path;
  };

  it('are understood by the stock client: names, users, jump hosts, old algorithms', async () => {
    const { text, hosts } = await f.client.call('names.ssh', { query: {} });
    expect(hosts).to.equal(3);
    expect(text).not.to.contain('a-fleet-of-ferries');
    const config = file('config', text);
    const plain = said('ssh', '-G', '-F', config, 'har-acc-1.brackwater.example');
    expect(plain)
      .to.match(/^hostname 10\.77\.96\.11$/m)
      .and.match(/^user netops$/m)
      .and.not.match(/^proxyjump/m);
    const behind = said('ssh', '-G', '-F', config, 'har-acc-2');
    expect(behind).to.match(/^proxyjump har-wb-1$/m);
    expect(behind).to.match(/^kexalgorithms .*curve25519.*diffie-hellman-group14-sha1$/m);
    expect(behind)
      .to.match(/^ciphers .*aes128-cbc$/m)
      .and.match(/^macs .*hmac-sha1$/m);
  });

  it('have the keys that were pinned, as the stock client prints them', async () => {
    const { text, hosts, without } = await f.client.call('names.knownHosts', { query: { where: 'name=har-acc-1' } });
    expect([hosts, without]).to.deep.equal([1, []]);
    const known = file('known', text);
    const { items } = await f.client.call('history.list', { query: { limit: '50' } });
    const pinned = items.flatMap(({ changes }) => changes).find(({ key }) => key === 'host key of har-acc-1')?.after;
    for (const name of ['har-acc-1', 'har-acc-1.brackwater.example', '10.77.96.11'])
      expect(said('ssh-keygen', '-l', '-F', name, '-f', known), name).to.contain(String(pinned?.fingerprint));
    // A key that was pinned before keys were kept is told, and kept when the device is reached again.
    await f.store.sequelize.query('UPDATE host_key SET public_key = NULL');
    expect((await f.client.call('names.knownHosts', { query: {} })).without).to.have.length(2);
    await acquainted(f.client);
    expect((await f.client.call('names.knownHosts', { query: {} })).hosts).to.equal(3);
  });

  it('are of a selection, and refuse one that means nothing', async () => {
    expect((await f.client.call('names.ssh', { query: { where: 'dialect=shale' } })).hosts).to.equal(1);
    expect((await refusal(f.client.call('names.ssh', { query: { where: 'dialect' } }))).status).to.equal(422);
  });
});
