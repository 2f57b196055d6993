/**
 * What a device has from elsewhere where its own record says nothing: its dialect from its model, its site from the
 * prefix of its management address. Selections, layers of settings, templates and lists all ask here.
 */
import type { KindName, Stored } from '@zpine/contract/kinds';
import { grouped } from '@zpine/core/lists/grouped';
import { byId } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';

/** `among`: what follows a column in a condition, as in `= ?` or `IN (...)`. */
type FromElsewhere = (among: string) => string;

/** By kind and field: a condition on the kind's table for records whose own field is empty. */
const fromElsewhere: Partial<Record<KindName, Record<string, FromElsewhere>>> = {
  device: {
    dialect: (among) => `model_id IN (SELECT id FROM model WHERE dialect_id ${among})`,
    site: (among) =>
      `management_id IN (SELECT a.interface_id FROM address a JOIN prefix p ON p.id = a.prefix_id WHERE p.site_id ${among})`,
  },
};

/** A condition on a reference, wherever the record has it from; \`values\` go in twice where it may come from elsewhere. */
export function referring(
  kind: KindName,
  field: string,
  column: string,
  among: string,
  values: unknown[],
): { sql: string; values: unknown[] } {
  const elsewhere = fromElsewhere[kind]?.[field];
  const own = `\`${column}_id\` ${among}`;
  if (!elsewhere) return { sql: own, values };
  return { sql: `(${own} OR (\`${column}_id\` IS NULL AND ${elsewhere(among)}))`, values: [...values, ...values] };
}

/** That a record has no such reference, not even from elsewhere. */
export function without(kind: KindName, field: string, column: string): string {
  const elsewhere = fromElsewhere[kind]?.[field];
  const own = `\`${column}_id\` IS NULL`;
  return elsewhere ? `(${own} AND NOT COALESCE(${elsewhere('IS NOT NULL')}, FALSE))` : own;
}

/** The dialect of a device: its own word, or that of its model. */
export async function dialectIdOf(tx: Tx, device: Stored<'device'>): Promise<number | null> {
  if (device.dialect !== null || device.model === null) return device.dialect;
  return (await byId(tx, 'model', device.model)).dialect;
}

/** The sites of devices, their own or those of their management addresses. Asks only for devices without one. */
export async function sitesOf(
  tx: Tx,
  devices: readonly Pick<Stored<'device'>, 'id' | 'site' | 'management'>[],
): Promise<Map<number, number>> {
  const out = new Map(devices.flatMap((d) => (d.site === null ? [] : [[d.id, d.site] as const])));
  const open = devices.filter((d) => d.site === null && d.management !== null);
  if (open.length === 0) return out;
  const rows = await tx.select<{ interface_id: number; site_id: number }>(
    `SELECT a.interface_id, p.site_id FROM address a JOIN prefix p ON p.id = a.prefix_id
     WHERE a.interface_id IN (?) AND p.site_id IS NOT NULL ORDER BY a.address_family, a.sort_key`,
    [open.map((d) => d.management)],
  );
  const found = grouped(rows, (row) => Number(row.interface_id));
  for (const device of open) {
    const site = found.get(device.management ?? 0)?.[0]?.site_id;
    if (site !== undefined) out.set(device.id, Number(site));
  }
  return out;
}
