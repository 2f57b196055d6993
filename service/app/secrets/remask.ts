/**
 * Masks anew what was kept before a secret was known: texts of captures, answers of runs, findings of checks. People see them masked in any
 * case; this is for what lies in the database.
 */
import { Masker } from '@zpine/core/secrets/masking';
import type { Stored } from '@zpine/contract/kinds';
import type { JobWork } from '../../store/jobs.ts';
import { find } from '../../store/records.ts';
import type { Actor } from '../../store/store.ts';
import { transact } from '../../store/transact.ts';
import type { Tx } from '../../store/tx.ts';
import { nextVersion } from '../fleet/runRows.ts';
import type { Target } from '../fleet/access.ts';
import { targetsOf } from '../fleet/targets.ts';

const actor: Actor = { name: 'service', via: 'service' };
const SLICE = 100;

/** `device`: only what is kept of this one; left out, of all. */
export const remask: JobWork = async (store, payload) => {
  const { device } = (payload ?? {}) as { device?: number };
  for (let after = 0; ;) {
    const last = await transact(store, actor, 'remask', async (tx) => {
      const ids =
        device !== undefined
          ? [device]
          : (
              await tx.select<{ id: number }>('SELECT id FROM device WHERE id > ? ORDER BY id LIMIT ?', [after, SLICE])
            ).map(({ id }) => Number(id));
      await remaskOf(tx, await find(tx, 'device', { id: ids }));
      return ids.length < SLICE ? undefined : ids.at(-1);
    });
    if (last === undefined) return undefined;
    after = last;
  }
};

async function remaskOf(tx: Tx, devices: readonly Stored<'device'>[]): Promise<void> {
  if (devices.length === 0) return;
  const targets = await targetsOf(tx, [...devices]);
  const ids = devices.map(({ id }) => id);
  const texts = await tx.select<{ digest: Buffer; device_id: number; shown: string; content: string }>(
    `SELECT DISTINCT t.digest, c.device_id, t.shown, t.content FROM capture c JOIN captured_text t ON t.digest = c.text_key
     WHERE c.device_id IN (?) AND t.is_binary = 0`,
    [ids],
  );
  for (const { digest, device_id, shown, content } of texts) {
    const target = targets.get(Number(device_id));
    if (!target) continue;
    const whole = Buffer.from(tx.sealer.open(content), 'base64').toString('utf8');
    const known = new Masker([...target.secrets, ...(target.dialect?.secretsIn(whole) ?? [])]);
    const now = known.mask(target.dialect?.masked(shown) ?? shown);
    if (now !== shown)
      await tx.execute('UPDATE captured_text SET shown = ?, bytes = ? WHERE digest = ?', [
        now,
        Buffer.byteLength(now),
        digest,
      ]);
  }
  await remaskFindings(tx, ids, targets);
  const rows = await tx.select<{ run_id: number; device_id: number; detail: string; result: string | null }>(
    'SELECT run_id, device_id, detail, result FROM run_row WHERE device_id IN (?)',
    [ids],
  );
  for (const row of rows) {
    const masker = new Masker(targets.get(Number(row.device_id))?.secrets ?? []);
    const [detail, result] = [masker.mask(row.detail), row.result === null ? null : masker.mask(row.result)];
    if (detail === row.detail && result === row.result) continue;
    // Whoever follows the run is shown the row anew.
    const version = await nextVersion(tx, row.run_id);
    await tx.execute('UPDATE run_row SET detail = ?, result = ?, version = ? WHERE run_id = ? AND device_id = ?', [
      detail,
      result,
      version,
      row.run_id,
      row.device_id,
    ]);
    tx.hint('run', Number(row.run_id), version);
  }
}

/** What checks found, and what they found before. */
async function remaskFindings(tx: Tx, ids: readonly number[], targets: Map<number, Target>): Promise<void> {
  for (const table of ['check_result', 'check_past']) {
    const rows = await tx.select<{ check_id: number; device_id: number; findings: string; why: string }>(
      `SELECT DISTINCT check_id, device_id, findings, why FROM ${table} WHERE device_id IN (?)`,
      [ids],
    );
    for (const { check_id, device_id, findings, why } of rows) {
      const masker = new Masker(targets.get(Number(device_id))?.secrets ?? []);
      const [found, because] = [masker.mask(findings), masker.mask(why)];
      if (found !== findings || because !== why)
        await tx.execute(
          `UPDATE ${table} SET findings = ?, why = ? WHERE check_id = ? AND device_id = ? AND findings = ? AND why = ?`,
          [found, because, check_id, device_id, findings, why],
        );
    }
  }
}
