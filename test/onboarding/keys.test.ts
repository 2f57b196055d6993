/** Switches that know no password of the service, only the public half of its key, from their first boot on. */
import { expect } from 'chai';
import { newKeyPair } from '@zpine/lab/ssh';
import { refusal } from '../service.ts';
import { another, onboarding, prepare, serves, type Onboarding } from './bench.ts';

describe('keys in place of passwords', function () {
  this.timeout(60_000);
  let o: Onboarding;
  const pair = newKeyPair();
  const put = (setting: string, of: string, value: unknown) =>
    o.client.call('value.put', { body: { setting, layer: 'device', of, value: value as string } });
  before(async () => {
    o = await onboarding();
  });
  after(() => o.end());

  /** Signed in to by the key alone, as a user who has no password there. */
  async function byKey(publicKeys: string): Promise<{ device: string; box: string }> {
    const made = await another(o);
    await put('access.user', made.device, 'robot');
    await put('access.key', made.device, pair.private);
    await put('user.keys', made.device, { robot: publicKeys });
    return made;
  }

  it('are all that a switch needs to be proved and reached', async () => {
    const { device, box } = await byKey(pair.public.trim().split(' ').slice(0, 2).join(' '));
    await prepare(o, device);
    o.lab.device(box).on();
    const arrival = await serves(o.client, device);
    expect(arrival.milestones.find(({ name }) => name === 'reached')?.evidence.user).to.equal('robot');
    expect(o.lab.device(box).print()).to.contain(`account robot\n  key ${pair.public.trim().split(' ')[0]} `);
  });

  it('have to be in the edition where the service has nothing else', async () => {
    const other = newKeyPair().public.trim().split(' ').slice(0, 2).join(' ');
    const { device } = await byKey(other);
    const params = { ref: device };
    const { number, wayBack } = await o.client.call('edition.make', { params, body: {} });
    expect(wayBack.map(({ code }) => code)).to.deep.equal(['key']);
    const publish = { params: { ...params, number: String(number) }, body: {} };
    expect((await refusal(o.client.call('edition.publish', publish))).detail).to.contain(
      'signs in as robot with its key alone',
    );
    // The public half of its key has a name in templates.
    const names = await o.client.call('device.names', { params });
    expect(JSON.stringify(names)).to.contain(pair.public.trim().split(' ')[1]);
  });

  it('are looked at where they are entered', async () => {
    const refused = await refusal(put('user.keys', 'ard-acc-1', { robot: 'ssh-ed25519 nonsense' }));
    expect(refused.detail).to.contain('a public key as OpenSSH writes it');
    const secret = await refusal(put('user.keys', 'ard-acc-1', { robot: pair.private }));
    expect(secret.detail).to.contain('a public key as OpenSSH writes it');
  });
});
