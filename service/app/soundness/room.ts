/** Room in racks: each quarter of a U with who stands there, from the places and heights in the records. */
import { forUpdate, ranges, shared, type Difference, type Look } from './look.ts';

interface Thing {
  rack: number;
  kind: 'device' | 'filler';
  id: number;
  at: number;
  height: number;
  deep: number;
  wide: number;
  face: string;
  half: string;
  top: number;
  rack_height: number;
}

const SIZE = 50;

export const rackRoom: Look = {
  async *parts(outer) {
    for await (const { after, to } of ranges(outer, 'rack', SIZE))
      yield async (tx, locked) => {
        const held = await tx.select<{
          rack_id: number;
          u: number;
          face: string;
          half: string;
          kind: string;
          record_id: number;
        }>(
          `SELECT rack_id, u, face, half, kind, record_id FROM rack_slot WHERE rack_id > ? AND rack_id <= ? ${forUpdate(locked)}`,
          [after, to],
        );
        const things = await tx.select<Thing>(
          `SELECT d.rack_id AS rack, 'device' AS kind, d.id, d.position_u AS at, COALESCE(m.height_u, 1) AS height,
             COALESCE(m.depth, 'full') = 'full' AS deep, COALESCE(m.width, 'full') = 'full' AS wide, d.face, d.side AS half,
             r.numbering = 'top' AS top, r.height_u AS rack_height
           FROM device d JOIN rack r ON r.id = d.rack_id LEFT JOIN model m ON m.id = d.model_id
           WHERE d.rack_id > ? AND d.rack_id <= ? AND d.position_u IS NOT NULL
           UNION ALL SELECT f.rack_id, 'filler', f.id, f.position_u, f.height_u, f.depth = 'full', 1, f.face, 'left',
             r.numbering = 'top', r.height_u
           FROM filler f JOIN rack r ON r.id = f.rack_id WHERE f.rack_id > ? AND f.rack_id <= ? ${shared(locked)}`,
          [after, to, after, to],
        );
        /** Who may have a place: of two that the records put there the first one has it. */
        const should = new Map<string, Set<string>>();
        for (const thing of things) {
          const last = thing.at + Math.max(1, thing.height) - 1;
          if (thing.at < 1 || last > thing.rack_height) continue;
          for (let n = thing.at; n < thing.at + thing.height; n += 1)
            for (const face of ['front', 'rear'])
              for (const half of ['left', 'right']) {
                if ((!thing.deep && face !== thing.face) || (!thing.wide && half !== thing.half)) continue;
                const place = `${thing.rack} ${thing.top ? thing.rack_height - n + 1 : n} ${face} ${half}`;
                should.set(place, (should.get(place) ?? new Set()).add(`${thing.kind} ${thing.id}`));
              }
        }
        const out: Difference[] = [];
        const taken = new Set<string>();
        for (const row of held) {
          const place = `${row.rack_id} ${row.u} ${row.face} ${row.half}`;
          const who = `${row.kind} ${row.record_id}`;
          if (should.get(place)?.has(who)) {
            taken.add(place);
            continue;
          }
          out.push({
            about: words(place),
            is: `taken by ${who}`,
            should: 'free',
            mend: [
              [
                'DELETE FROM rack_slot WHERE rack_id = ? AND u = ? AND face = ? AND half = ? AND kind = ? AND record_id = ?',
                [row.rack_id, row.u, row.face, row.half, row.kind, row.record_id],
              ],
            ],
          });
        }
        for (const [place, [who = '']] of [...should].map(([key, set]) => [key, [...set]] as const)) {
          if (taken.has(place)) continue;
          const [rack = '', u = '', face = '', half = ''] = place.split(' ');
          const [kind = '', id = ''] = who.split(' ');
          out.push({
            about: words(place),
            is: 'free',
            should: `taken by ${who}`,
            mend: [
              [
                'INSERT IGNORE INTO rack_slot (rack_id, u, face, half, kind, record_id) VALUES (?, ?, ?, ?, ?, ?)',
                [rack, u, face, half, kind, id],
              ],
            ],
          });
        }
        return out;
      };
  },
};

const words = (place: string): string => {
  const [rack, u, face, half] = place.split(' ');
  return `rack #${rack}, U ${u} from the bottom, ${face} ${half}`;
};
