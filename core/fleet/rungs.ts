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
  // Beside the others: it needs none of them but a name, and is tried where the settings have a user or word for it.
  snmp: 'SNMP',
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

/** All rungs, those that were not come to included; what stands beside only where it was tried. */
export const ladder = (found: RungFound[]): RungFound[] =>
  rungNames
    .filter((rung) => rung !== 'snmp' || found.some((one) => one.rung === rung))
    .map((rung) => found.find((one) => one.rung === rung) ?? { rung, state: 'not tried', detail: '', ms: 0 });

/** The rung that is in the way; undefined where one gets in. */
export const blockingRung = (found: RungFound[]): RungFound | undefined =>
  found.find(({ rung, state }) => rung !== 'snmp' && (state === 'gives' || state === 'open'));
