/** What belongs to one record alone: MACs of boxes and interfaces, ports of cables. */
import { forUpdate, ranges, shared, type Difference, type Look, type Statement } from './look.ts';

const SIZE = 2000;

/** Rows that claim something, held against the columns that say who has it; both as `what owner`. */
function compared(
  held: { what: string; owner: number }[],
  said: { what: string; owner: number }[],
  about: (what: string) => string,
  drop: (what: string, owner: number) => Statement,
  claim: (what: string, owner: number) => Statement,
): Difference[] {
  const is = new Map(held.map((row) => [`${row.what} ${row.owner}`, row]));
  const should = new Map(said.map((row) => [`${row.what} ${row.owner}`, row]));
  return [
    ...[...is].flatMap(([key, { what, owner }]): Difference[] =>
      should.has(key)
        ? []
        : [{ about: about(what), is: `held by #${owner}`, should: 'free', mend: [drop(what, owner)] }],
    ),
    ...[...should].flatMap(([key, { what, owner }]): Difference[] =>
      is.has(key) ? [] : [{ about: about(what), is: 'free', should: `held by #${owner}`, mend: [claim(what, owner)] }],
    ),
  ];
}

export const macsOf = (kind: 'box' | 'interface'): Look => ({
  async *parts(outer) {
    for await (const { after, to } of ranges(outer, kind, SIZE))
      yield async (tx, locked) => {
        const held = await tx.select<{ what: string; owner: number }>(
          `SELECT LOWER(HEX(mac)) AS what, record_id AS owner FROM mac_claim WHERE kind = ? AND record_id > ? AND record_id <= ? ${forUpdate(locked)}`,
          [kind, after, to],
        );
        const said = await tx.select<{ what: string; owner: number }>(
          `SELECT LOWER(HEX(mac)) AS what, id AS owner FROM \`${kind}\` WHERE mac IS NOT NULL AND id > ? AND id <= ? ${shared(locked)}`,
          [after, to],
        );
        return compared(
          held,
          said,
          (mac) => `MAC ${mac.match(/../g)?.join(':') ?? mac} of ${kind}`,
          (mac, owner) => [
            'DELETE FROM mac_claim WHERE mac = UNHEX(?) AND kind = ? AND record_id = ?',
            [mac, kind, owner],
          ],
          (mac, owner) => [
            'INSERT IGNORE INTO mac_claim (mac, kind, record_id) VALUES (UNHEX(?), ?, ?)',
            [mac, kind, owner],
          ],
        );
      };
  },
});

export const cableEnds: Look = {
  async *parts(outer) {
    for await (const { after, to } of ranges(outer, 'cable', SIZE))
      yield async (tx, locked) => {
        const held = await tx.select<{ what: number; owner: number }>(
          `SELECT port_id AS what, cable_id AS owner FROM cable_end WHERE cable_id > ? AND cable_id <= ? ${forUpdate(locked)}`,
          [after, to],
        );
        const said = await tx.select<{ what: number; owner: number }>(
          `SELECT from_id AS what, id AS owner FROM cable WHERE id > ? AND id <= ?
           UNION ALL SELECT to_id, id FROM cable WHERE to_id IS NOT NULL AND id > ? AND id <= ? ${shared(locked)}`,
          [after, to, after, to],
        );
        const words = (rows: { what: number; owner: number }[]) =>
          rows.map(({ what, owner }) => ({ what: String(what), owner: Number(owner) }));
        return compared(
          words(held),
          words(said),
          (port) => `cable end at port #${port}`,
          (port, cable) => ['DELETE FROM cable_end WHERE port_id = ? AND cable_id = ?', [port, cable]],
          (port, cable) => ['INSERT IGNORE INTO cable_end (port_id, cable_id) VALUES (?, ?)', [port, cable]],
        );
      };
  },
};
