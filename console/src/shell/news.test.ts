import { expect } from 'chai';
import { AtMostEvery, concerns, OwnWrites, type Hint } from './news.ts';

const hint = (kind: string, record = 1, version: number | null = 2): Hint => ({ kind, record, version });

describe('what a change makes pages ask again', () => {
  it('asks for lists of the kinds that changed, and for all that is worked out from records', () => {
    expect(concerns([hint('device')], ['records', 'device', 'list', {}])).to.equal(true);
    expect(concerns([hint('device')], ['records', 'vlan', 'list', {}])).to.equal(false);
    for (const what of ['today', 'rack', 'something new'])
      expect(concerns([hint('device')], ['worked', what]), what).to.equal(true);
  });

  it('asks for what shows arrivals when packets came, and not for racks and settings', () => {
    expect(concerns([hint('arrival')], ['worked', 'arrivals'])).to.equal(true);
    expect(concerns([hint('arrival'), hint('stranger')], ['worked', 'strangers'])).to.equal(true);
    for (const what of ['rack', 'settings', 'editions', 'runs'])
      expect(concerns([hint('arrival'), hint('stranger')], ['worked', what]), what).to.equal(false);
    expect(concerns([hint('arrival'), hint('device')], ['worked', 'rack'])).to.equal(true);
  });

  it('asks for everything after a time without a connection', () => {
    expect(concerns('all', ['records', 'vlan'])).to.equal(true);
    expect(concerns('all', ['worked', 'rack'])).to.equal(true);
    expect(concerns('all', ['session'])).to.equal(false);
  });

  it('leaves out what the page saved itself, in just that version', () => {
    const own = new OwnWrites(2);
    own.note(hint('device', 7, 3));
    expect(own.without([hint('device', 7, 3)])).to.deep.equal([]);
    expect(own.without([hint('device', 7, 4), hint('vlan', 7, 3)])).to.have.length(2);
    own.note(hint('device', 8, 1));
    own.note(hint('device', 9, 1));
    expect(own.without([hint('device', 7, 3)])).to.have.length(1);
    expect(own.without('all')).to.equal('all');
  });

  it('does a thing at once, and again only when the time is over', async () => {
    let done = 0;
    const slowly = new AtMostEvery(60, () => (done += 1));
    for (let i = 0; i < 20; i += 1) slowly.ask();
    expect(done).to.equal(1);
    await new Promise((over) => setTimeout(over, 150));
    expect(done).to.equal(2);
    await new Promise((over) => setTimeout(over, 100));
    expect(done).to.equal(2);
  });
});
