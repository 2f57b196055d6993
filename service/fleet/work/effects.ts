/** What a device says of its ports before and after a change, asked until all is well or its time is over. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { pathText } from '@zpine/core/dialect/path';
import { effectsOf, type Answers, type Effects, type EffectsLook } from '@zpine/core/fleet/effects';
import type { Step } from '@zpine/core/fleet/errand';
import type { Session } from '../session.ts';

/** So often ports are looked at that should come up. */
const SETTLE_MS = 1000;

/** Whether a port, or an address, is among what changes: what they come to is looked at then. */
export const touchesPorts = (dialect: Dialect, steps: readonly Step[]): boolean =>
  steps.some(({ above, line }) => dialect.portOf(pathText(above, line)) !== undefined || dialect.isWayIn(above, line));

/** What the device says of its ports and of who is behind them. */
export async function answersOf(dialect: Dialect, session: Session): Promise<Answers> {
  const rows = async (question: string) => {
    const command = dialect.askedBy(question);
    return command === undefined ? [] : dialect.rowsOf(question, (await session.run(command)).text);
  };
  return {
    interfaces: await rows('interfaces'),
    neighbours: await rows('neighbours'),
    macs: await rows('macs'),
    pairs: await rows('arp'),
  };
}

/** A port takes its time to come up. */
export async function settledEffects(session: Session, look: Omit<EffectsLook, 'is'>): Promise<Effects> {
  const until = Date.now() + (look.dialect.sheet.ports?.settleSeconds ?? 0) * 1000;
  for (;;) {
    const found = effectsOf({ ...look, is: await answersOf(look.dialect, session) });
    if (found.dark.length === 0 || Date.now() >= until) return found;
    await new Promise((resolve) => setTimeout(resolve, SETTLE_MS));
  }
}
