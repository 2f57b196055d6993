/**
 * All secrets that a layer of settings or a device ever had, under seal: what masks them by value wherever they show up.
 * Nothing goes from here when a value is replaced or removed: devices may still have it, and captures do.
 */
import { MASK, Masker, SHORTEST, textsOf } from '@zpine/core/secrets/masking';
import type { LayerKind } from '@zpine/core/settings/layers';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { layersIn, layerRecords, type LayerRecords } from '../settings/layers.ts';

export interface Scope {
  kind: LayerKind;
  id: number;
}

/** What is longer is a text with secrets in it, such as a private key: its lines are kept each for itself. */
const LONGEST = 4000;

/** Takes note of a value that is secret, in a layer or of a device. */
export async function saveSecrets(tx: Tx, { kind, id }: Scope, value: unknown): Promise<void> {
  const texts = new Set(textsOf(value).filter((text) => text.length >= SHORTEST && text !== MASK));
  const rows = [...texts].map((text) => ({
    scope_kind: kind,
    scope_id: id,
    digest: tx.sealer.digest(`secret ${text}`),
    sealed: text.slice(0, LONGEST),
  }));
  if (rows.length === 0) return;
  const known = await tx.select<{ digest: Buffer }>(
    'SELECT digest FROM known_secret WHERE scope_kind = ? AND scope_id = ? AND digest IN (?)',
    [kind, id, rows.map((row) => row.digest)],
  );
  const held = new Set(known.map(({ digest }) => digest.toString('hex')));
  if (held.size < rows.length) await remaskLater(tx, { kind, id });
  for (const row of rows)
    if (!held.has(row.digest.toString('hex')))
      await tx.execute('INSERT IGNORE INTO known_secret (scope_kind, scope_id, digest, sealed) VALUES (?, ?, ?, ?)', [
        row.scope_kind,
        row.scope_id,
        row.digest,
        tx.sealer.seal(row.sealed),
      ]);
}

/** What was kept before this was known is masked anew, where there is anything. */
async function remaskLater(tx: Tx, { kind, id }: Scope): Promise<void> {
  const [where, values] = kind === 'device' ? ['device_id = ?', [id]] : ['1 = 1', []];
  const kept = await tx.one(
    `(SELECT 1 AS one FROM capture WHERE ${where} LIMIT 1) UNION (SELECT 1 FROM run_row WHERE ${where} LIMIT 1)`,
    [...values, ...values],
  );
  if (!kept) return;
  const word = kind === 'device' ? `remask ${id}` : 'remask';
  tx.job({ name: 'remask', payload: kind === 'device' ? { device: id } : {}, delaySeconds: 2, single: word });
}

/** The secrets of devices, by their ids, as far as they are in a layer that has a say in their settings. */
export async function secretsIn(
  tx: Tx,
  places: LayerRecords,
  devices: readonly Stored<'device'>[],
): Promise<Map<number, string[]>> {
  const layers = new Map(devices.map((device) => [device.id, layersIn(tx, places, device)]));
  const scopes = new Map([...layers.values()].flat().map((layer) => [`${layer.kind} ${layer.id}`, layer]));
  const byScope = new Map<string, string[]>();
  const all = [...scopes.values()];
  const SLICE = 500;
  for (let at = 0; at < all.length; at += SLICE) {
    const slice = all.slice(at, at + SLICE);
    const rows = await tx.select<{ scope_kind: string; scope_id: number; sealed: string }>(
      `SELECT scope_kind, scope_id, sealed FROM known_secret WHERE (scope_kind, scope_id) IN (${slice.map(() => '(?, ?)').join(', ')})`,
      slice.flatMap(({ kind, id }) => [kind, id]),
    );
    for (const row of rows) {
      const scope = `${row.scope_kind} ${Number(row.scope_id)}`;
      byScope.set(scope, [...(byScope.get(scope) ?? []), tx.sealer.open(row.sealed)]);
    }
  }
  return new Map(
    [...layers].map(([id, of]) => [id, of.flatMap((layer) => byScope.get(`${layer.kind} ${layer.id}`) ?? [])]),
  );
}

/** What masks all that is secret about some devices. */
export async function maskerFor(tx: Tx, devices: readonly Stored<'device'>[]): Promise<Masker> {
  if (devices.length === 0) return new Masker([]);
  const secrets = await secretsIn(tx, await layerRecords(tx, devices), devices);
  return new Masker([...secrets.values()].flat());
}

/** The same, of each for itself. */
export async function maskersFor(tx: Tx, devices: readonly Stored<'device'>[]): Promise<Map<number, Masker>> {
  if (devices.length === 0) return new Map();
  const secrets = await secretsIn(tx, await layerRecords(tx, devices), devices);
  return new Map([...secrets].map(([id, own]) => [id, new Masker(own)]));
}
