/** The rungs of the way into a device, in their order. */
import type { Rung } from '@zpine/core/fleet/rungs';

/** Why a session did not come about: the rung that gave way, and the words for it. */
export class NotReached extends Error {
  readonly rung: Rung;
  /** The key that was shown, where that is what is wrong. */
  readonly shown: { fingerprint: string; algorithm: string; key: string } | undefined;
  /** The device was asked to let us in, and did not: another try may lock the account. */
  readonly refused: boolean;
  constructor(
    rung: Rung,
    message: string,
    shown?: { fingerprint: string; algorithm: string; key: string },
    refused = false,
  ) {
    super(message);
    this.name = 'NotReached';
    this.rung = rung;
    this.shown = shown;
    this.refused = refused;
  }
}
