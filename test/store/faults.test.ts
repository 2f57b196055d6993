import { expect } from 'chai';
import { Refusal } from '@zpine/contract/errors';
import { Faults } from '../../service/store/faults.ts';

describe('what went wrong inside', () => {
  it('is logged whole, but for a database that is away: that is one sentence, once', () => {
    const said: [object, string][] = [];
    const faults = new Faults({ warn: (what, text) => said.push([what, text]) });
    const away = new Refusal('database-away');
    faults.say(away, 'no run could be claimed', { run: 4 });
    faults.say(away, 'no run could be claimed', { run: 5 });
    const other = new Error('a fault of ours');
    faults.say(other, 'a run was broken off');
    faults.say(other, 'a run was broken off');
    expect(said).to.deep.equal([
      [{ run: 4 }, 'no run could be claimed: the database does not answer; tried again until it does'],
      [{ err: other }, 'a run was broken off'],
      [{ err: other }, 'a run was broken off'],
    ]);
  });
});
