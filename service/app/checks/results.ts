/** What checks found: the last of each device, and how it was before. Exceptions are looked at when somebody reads. */
import type { CheckCounts, ShownResult } from '@zpine/contract/checkShapes';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import { maybe, number, table, text, time, word, type RowOf } from '../../store/table.ts';
import type { Tx } from '../../store/tx.ts';
import { isFor, mayBeFor, type JudgedCheck } from './planned.ts';
import { dayOf } from './turns.ts';
import { mustFind } from '../records/refs.ts';
import { whereCondition } from '../records/where.ts';
import { maskersFor } from '../secrets/known.ts';
import { byIds } from '../../store/records.ts';
import type { CheckState } from '@zpine/core/checks/judge';

const results = table('check_result', {
  check_id: number,
  device_id: number,
  state: word<CheckState>(),
  findings: text,
  why: text,
  since: time,
  judged_at: time,
  run_id: maybe(number),
});
type ResultRow = RowOf<typeof results>;

const past = table('check_past', {
  id: number,
  check_id: number,
  device_id: number,
  device_key: text,
  at: time,
  state: word<CheckState>(),
  findings: text,
  why: text,
  run_id: maybe(number),
});
type PastRow = RowOf<typeof past>;

const WHY = 1000;

/** Takes the place of what was found before; what is as it was goes on since then. Checks that are gone, or were edited meanwhile, are left out. */
export async function saveJudged(tx: Tx, device: number, run: number | null, all: readonly JudgedCheck[]) {
  if (all.length === 0) return;
  const ids = all.map(({ id }) => id);
  const standing = await tx.select<{
    id: number;
    version: number;
    state: string | null;
    findings: string | null;
    since: Date | null;
  }>(
    `SELECT c.id, c.version, r.state, r.findings, r.since FROM \`check\` c
     LEFT JOIN check_result r ON r.check_id = c.id AND r.device_id = ? WHERE c.id IN (?)`,
    [device, ids],
  );
  const key = (await byIds(tx, 'device', [device])).get(device)?.key;
  if (key === undefined) return;
  const now = await tx.now();
  const before = new Map(standing.map((row) => [Number(row.id), row]));
  const rows: unknown[][] = [];
  const news: Record<string, unknown>[] = [];
  for (const { id, version, state, findings, why } of all) {
    const was = before.get(id);
    if (was?.version !== version) continue;
    const found = JSON.stringify(findings);
    const same = was.state === state;
    rows.push([id, device, state, found, why.slice(0, WHY), same && was.since ? was.since : now, now, run]);
    if (same && was.findings === found) continue;
    news.push({
      check_id: id,
      device_id: device,
      device_key: key,
      at: now,
      state,
      findings: found,
      why: why.slice(0, WHY),
      run_id: run,
    });
  }
  if (rows.length === 0) return;
  await tx.execute(
    `INSERT INTO check_result (check_id, device_id, state, findings, why, since, judged_at, run_id)
     VALUES ${rows.map(() => '(?, ?, ?, ?, ?, ?, ?, ?)').join(', ')}
     ON DUPLICATE KEY UPDATE state = VALUES(state), findings = VALUES(findings), why = VALUES(why), since = VALUES(since),
       judged_at = VALUES(judged_at), run_id = VALUES(run_id)`,
    rows.flat(),
  );
  if (news.length === 0) return;
  await tx.insertRows('check_past', news);
  tx.hint('check-result', device, null);
}

/** Of devices that a check is for no more. */
export async function forgetOthers(tx: Tx, check: Stored<'check'>): Promise<void> {
  const { sql, values } = await isFor(tx, check);
  await tx.execute(
    `DELETE FROM check_result WHERE check_id = ? AND device_id NOT IN (SELECT id FROM device WHERE ${sql})`,
    [check.id, ...values],
  );
}

/** The state as people read it, in SQL: `e` is the exception of the same check and device that holds today. */
const SHOWN = "IF(e.id IS NOT NULL AND r.state <> 'holds', 'excepted', r.state)";
const EXCEPTED = 'LEFT JOIN exception e ON e.check_id = r.check_id AND e.device_id = r.device_id AND e.until >= ?';
const ORDER = "FIELD(shown, 'broken', 'unknown', 'excepted', 'holds')";

interface Shown extends ResultRow {
  check_name: string;
  title: string;
  severity: string;
  remedy: ShownResult['remedy'];
  remedy_with: string | null;
  device_key: string;
  shown: ShownResult['state'];
  until: string | null;
  because: string | null;
}

export async function checkResults(tx: Tx, query: QueryOf<'check.results'>): Promise<ReplyOf<'check.results'>> {
  const tests = ["d.stage <> 'retired'"];
  const values: unknown[] = [await dayOf(tx)];
  if (query.check !== undefined) {
    tests.push('r.check_id = ?');
    values.push((await mustFind(tx, 'check', query.check)).id);
  }
  if (query.device !== undefined) {
    tests.push('r.device_id = ?');
    values.push((await mustFind(tx, 'device', query.device)).id);
  }
  if (query.where !== undefined) {
    const condition = await whereCondition(tx, 'device', query.where);
    tests.push(`r.device_id IN (SELECT id FROM device WHERE ${condition.sql})`);
    values.push(...condition.values);
  }
  if (query.state !== undefined) {
    tests.push(`${SHOWN} = ?`);
    values.push(query.state);
  }
  const rows = await tx.select<Shown>(
    `SELECT ${results.of('r')}, ${SHOWN} AS shown, c.name AS check_name, c.title, c.severity, c.remedy, c.remedy_with,
       d.natural_key AS device_key, e.until, e.why AS because
     FROM check_result r JOIN \`check\` c ON c.id = r.check_id JOIN device d ON d.id = r.device_id ${EXCEPTED}
     WHERE ${tests.join(' AND ')} ORDER BY ${ORDER}, c.sort_key, d.sort_key, d.id LIMIT ${query.limit + 1}`,
    values,
  );
  const kept = rows.slice(0, query.limit);
  const devices = await byIds(tx, 'device', kept, 'device_id');
  const maskers = await maskersFor(tx, [...devices.values()]);
  return {
    more: rows.length > query.limit,
    items: kept.map((row) => {
      // A secret that became known after this was found.
      const mask = (held: string) => maskers.get(Number(row.device_id))?.mask(held) ?? held;
      return {
        check: row.check_name,
        title: row.title,
        severity: row.severity,
        device: row.device_key,
        state: row.shown,
        findings: JSON.parse(mask(row.findings)) as string[],
        why: mask(row.why),
        since: row.since.toISOString(),
        judgedAt: row.judged_at.toISOString(),
        run: row.run_id === null ? null : Number(row.run_id),
        until: row.until,
        because: row.because,
        remedy: row.remedy,
        lines: row.remedy === 'errand' ? (row.remedy_with ?? '') : '',
        command: row.shown === 'broken' ? remedyCommand(row.remedy, row.remedy_with, row.device_key) : '',
      };
    }),
  };
}

/** As somebody would type it. */
function remedyCommand(remedy: string, by: string | null, device: string): string {
  const quoted = (line: string) => `'${line.replaceAll("'", String.raw`'\''`)}'`;
  if (remedy === 'push') return `zpine push ${device}`;
  if (remedy === 'setting') return `zpine setting set ${by ?? ''} VALUE --on device:${device}`;
  if (remedy !== 'errand') return '';
  const lines = (by ?? '').split('\n').filter((line) => line.trim() !== '');
  return `zpine errand run --device ${device} ${lines.map((line) => `--line ${quoted(line)}`).join(' ')}`;
}

export async function checkCounts(tx: Tx, { where }: QueryOf<'check.counts'>): Promise<ReplyOf<'check.counts'>> {
  const checks = await find(tx, 'check', {}, { order: ['sort_key'] });
  const own = where === undefined ? undefined : await whereCondition(tx, 'device', where);
  const today = await dayOf(tx);
  const items: CheckCounts[] = [];
  for (const check of checks) {
    const { name, title, severity, hour } = check;
    const head = { check: name, title, severity, where: check.devices ?? '', hour };
    const none = { devices: 0, holds: 0, broken: 0, unknown: 0, excepted: 0, unjudged: 0, judgedAt: null };
    const found = await mayBeFor(tx, check);
    if ('fault' in found) items.push({ ...head, ...none, fault: found.fault });
    else {
      const condition = {
        sql: `${found.condition.sql}${own ? ` AND (${own.sql})` : ''}`,
        values: [...found.condition.values, ...(own?.values ?? [])],
      };
      items.push({ ...head, ...none, ...(await countsOf(tx, check.id, condition, today)), fault: null });
    }
  }
  return { items };
}

async function countsOf(
  tx: Tx,
  check: number,
  { sql, values }: { sql: string; values: unknown[] },
  today: string,
): Promise<Partial<CheckCounts>> {
  const rows = await tx.select<{ shown: ShownResult['state'] | null; count: number; at: Date | null }>(
    `SELECT ${SHOWN} AS shown, COUNT(*) AS count, MAX(r.judged_at) AS at
     FROM (SELECT id FROM device WHERE ${sql}) d LEFT JOIN check_result r ON r.check_id = ? AND r.device_id = d.id ${EXCEPTED}
     GROUP BY shown`,
    [...values, check, today],
  );
  const counts: Partial<CheckCounts> = {};
  let devices = 0;
  for (const { shown, count } of rows) {
    devices += Number(count);
    counts[shown ?? 'unjudged'] = Number(count);
  }
  const at = rows.flatMap((row) => (row.at === null ? [] : [row.at.getTime()]));
  return { ...counts, devices, judgedAt: at.length === 0 ? null : new Date(Math.max(...at)).toISOString() };
}

export async function checkPast(tx: Tx, query: QueryOf<'check.past'>): Promise<ReplyOf<'check.past'>> {
  const check = await mustFind(tx, 'check', query.check);
  const device = query.device === undefined ? undefined : await mustFind(tx, 'device', query.device);
  const rows = await tx.select<PastRow>(
    `SELECT ${past.all} FROM check_past WHERE check_id = ? ${device ? 'AND device_id = ?' : ''} ORDER BY id DESC LIMIT ${query.limit}`,
    [check.id, ...(device ? [device.id] : [])],
  );
  const maskers = await maskersFor(tx, [...(await byIds(tx, 'device', rows, 'device_id')).values()]);
  return {
    items: rows.map((row) => {
      const mask = (held: string) => maskers.get(Number(row.device_id))?.mask(held) ?? held;
      return {
        at: row.at.toISOString(),
        device: row.device_key,
        state: row.state,
        findings: JSON.parse(mask(row.findings)) as string[],
        why: mask(row.why),
        run: row.run_id === null ? null : Number(row.run_id),
      };
    }),
  };
}
