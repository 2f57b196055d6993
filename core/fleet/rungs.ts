/** The way into a device, rung by rung: each needs the one before it. */
export const rungs = {
  name: 'Name',
  answers: 'Answers',
  port: 'Port',
  exchange: 'Key exchange',
  'host-key': 'Host key',
  'sign-in': 'Sign-in',
  privilege: 'Privilege',
  dialect: 'Dialect',
} as const;

export type Rung = keyof typeof rungs;
export const rungNames = Object.keys(rungs) as Rung[];

/** What became of a rung: passed, gave way, or was not come to; `open` where somebody has to decide. */
export type RungState = 'holds' | 'gives' | 'open' | 'not tried';

export interface RungFound {
  rung: Rung;
  state: RungState;
  detail: string;
  /** From the beginning of the look, ms. */
  ms: number;
}

/** All rungs, those that were not come to included. */
export const ladder = (found: RungFound[]): RungFound[] =>
  rungNames.map((rung) => found.find((one) => one.rung === rung) ?? { rung, state: 'not tried', detail: '', ms: 0 });

/** The rung that is in the way; undefined where one gets in. */
export const blockingRung = (found: RungFound[]): RungFound | undefined =>
  found.find(({ state }) => state === 'gives' || state === 'open');
