/** Checks as they are run: their text read once, what they ask for, and which devices they are for. */
import { usesOf, type Judged, type Uses } from '@zpine/core/checks/judge';
import { parseTemplate } from '@zpine/core/template/parse';
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { Condition } from '../records/condition.ts';
import { whereCondition } from '../records/where.ts';

export interface PlannedCheck {
  id: number;
  /** Of its record: what an earlier one found is no answer to what it asks now. */
  version: number;
  name: string;
  source: string;
  uses: Uses;
}

/** What one came to. */
export interface JudgedCheck extends Judged {
  id: number;
  /** The version of the check that was judged by. */
  version: number;
  check: string;
}

const planned = ({ id, version, name, source }: Stored<'check'>): PlannedCheck => ({
  id,
  version,
  name,
  source,
  uses: usesOf(parseTemplate(name, source).template),
});

export async function plannedChecks(tx: Tx, ids: readonly number[]): Promise<PlannedCheck[]> {
  return ids.length === 0 ? [] : (await find(tx, 'check', { id: [...ids] }, { order: ['sort_key'] })).map(planned);
}

/** Those that are in service, or may come to be. */
export async function isFor(tx: Tx, { devices: where }: Pick<Stored<'check'>, 'devices'>): Promise<Condition> {
  const own = where === null ? undefined : await whereCondition(tx, 'device', where);
  return { sql: `stage <> 'retired'${own ? ` AND (${own.sql})` : ''}`, values: own?.values ?? [] };
}

/** The same, where a selection that refers to what is gone is a fault to be told, and no reason to stop. */
export async function mayBeFor(
  tx: Tx,
  check: Pick<Stored<'check'>, 'devices'>,
): Promise<{ condition: Condition } | { fault: string }> {
  try {
    return { condition: await isFor(tx, check) };
  } catch (error) {
    if (!(error instanceof Refusal)) throw error;
    return { fault: problemOf(error).detail };
  }
}
