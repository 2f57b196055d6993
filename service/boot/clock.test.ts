import { expect } from 'chai';
import { BootClock } from './clock.ts';

describe('the clock of leases', () => {
  it('goes on by itself when the time of the machine is set, and follows that of the database', () => {
    const before = Date.now;
    try {
      const clock = new BootClock();
      const began = clock.now();
      // Somebody sets the time of the machine a day on.
      Date.now = () => before() + 86_400_000;
      expect(clock.now() - began).to.be.within(0, 1000);
      clock.said(began + 5000);
      expect(clock.now() - began).to.be.within(5000, 6000);
      // What is no more than the way of a packet moves nothing.
      const held = clock.now();
      clock.said(held + 100);
      expect(clock.now() - held).to.be.within(0, 60);
    } finally {
      Date.now = before;
    }
  });
});
