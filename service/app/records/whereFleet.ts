/**
 * What devices may be selected by that stands in no record: how they came out of a run, and whether they run what they
 * should, or what a check wants. `run=34 outcome="no contact"`, `differs=edition`, `breaks=time-servers`.
 */
import { outcomes } from '@zpine/core/fleet/outcomes';
import type { Where } from '@zpine/core/where/where';
import type { Condition } from './condition.ts';

type Test = Where & { kind: 'test' };

const fleetNames = ['run', 'outcome', 'differs', 'breaks'] as const;
const isFleetName = (name: string): boolean => (fleetNames as readonly string[]).includes(name.toLowerCase());

export const isFleetTest = (where: Where): where is Test => where.kind === 'test' && isFleetName(where.field);

type Stop = (at: number, words: string) => never;

/** Tests that stand beside one another with `and`: an outcome is one of the run beside it. */
export function fleetConditions(tests: readonly Test[], stop: Stop): Condition[] {
  const named = (name: string) => tests.filter(({ field }) => field.toLowerCase() === name);
  const [run, secondRun] = named('run');
  const [outcome] = named('outcome');
  if (secondRun) stop(secondRun.at, 'one run at a time: write run=34,35 for either');
  if (outcome && !run) stop(outcome.at, 'an outcome is one of a run: write run=34 beside it');
  const out: Condition[] = [];
  if (run) out.push(runCondition(run, outcome, stop));
  for (const test of named('differs')) out.push(differsCondition(test, stop));
  for (const test of named('breaks')) out.push(breaksCondition(test, stop));
  return out;
}

function runCondition(run: Test, outcome: Test | undefined, stop: Stop): Condition {
  const ids = textsOf(run, stop).map((text) => text.replace(/^#/, ''));
  const wrong = ids.find((id) => !/^[0-9]{1,15}$/.test(id));
  if (wrong !== undefined) stop(run.at, `"${wrong}" is not the number of a run`);
  const wanted = outcome ? textsOf(outcome, stop) : [];
  const unknown = wanted.find((word) => !(outcomes as readonly string[]).includes(word));
  if (unknown !== undefined && outcome)
    stop(outcome.at, `"${unknown}" is no outcome; there are ${outcomes.map((one) => `"${one}"`).join(', ')}`);
  const sql = `id IN (SELECT device_id FROM run_row WHERE run_id IN (?)${wanted.length > 0 ? ' AND outcome IN (?)' : ''})`;
  const condition = { sql, values: [ids, ...(wanted.length > 0 ? [wanted] : [])] };
  return run.op === '!=' || outcome?.op === '!=' ? { ...condition, sql: `NOT (${sql})` } : condition;
}

const drifts: Record<string, string> = {
  edition: 'id IN (SELECT device_id FROM drift WHERE digest IS NOT NULL)',
  stored: 'id IN (SELECT device_id FROM drift WHERE unkept_digest IS NOT NULL)',
};

function differsCondition(test: Test, stop: Stop): Condition {
  const parts = textsOf(test, stop).map(
    (word) => drifts[word] ?? stop(test.at, `"${word}" is nothing that a device differs from: edition or stored`),
  );
  const sql = parts.join(' OR ');
  return { sql: test.op === '!=' ? `NOT (${sql})` : sql, values: [] };
}

/** By what was found last; exceptions are none of it. */
function breaksCondition(test: Test, stop: Stop): Condition {
  const sql = `id IN (SELECT r.device_id FROM check_result r JOIN \`check\` c ON c.id = r.check_id
    LEFT JOIN exception e ON e.check_id = r.check_id AND e.device_id = r.device_id AND e.until >= UTC_DATE()
    WHERE r.state = 'broken' AND e.id IS NULL AND c.natural_key IN (?))`;
  const names = textsOf(test, stop).map((name) => name.toLowerCase());
  return { sql: test.op === '!=' ? `NOT (${sql})` : sql, values: [names] };
}

function textsOf({ values, op, at, field }: Test, stop: Stop): string[] {
  if (op !== '=' && op !== '!=') stop(at, `${field} is compared with = or !=`);
  return values.map((value) => String(value.text));
}
