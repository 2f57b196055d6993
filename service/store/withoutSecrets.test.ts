import { expect } from 'chai';
import { Refusal } from '@zpine/contract/errors';
import { withoutSecrets } from './withoutSecrets.ts';

/** As the driver has them: the words of the database are worked out from the message. */
class DriverError extends Error {
  readonly sql = "UPDATE x SET word = 'rope-walk-77'";

  get text(): string {
    return this.message;
  }
}

describe('what a unit of work ends with', () => {
  it('tells nothing of what was unsealed in it, whatever kind of error it is', () => {
    const error = new DriverError("no room for 'rope-walk-77'");
    const told = withoutSecrets(error, ['rope-walk-77']) as DriverError;
    expect(told).to.equal(error);
    for (const text of [told.message, told.stack, told.sql, told.text]) expect(text).to.not.contain('rope-walk');
    const refusal = withoutSecrets(new Refusal('busy', { word: 'rope-walk-77' }), ['rope-walk-77']) as Refusal;
    expect(JSON.stringify(refusal.params)).to.not.contain('rope-walk');
  });

  it('is left as it is where nothing was unsealed', () => {
    const error = new DriverError('rope-walk-77');
    expect((withoutSecrets(error, []) as Error).message).to.equal('rope-walk-77');
  });
});
