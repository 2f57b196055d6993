/** What the records themselves make doubtful: counts of everything, and the first rows of each. */
import { doubtNames, doubts, type Doubt } from '@zpine/contract/doctorRoutes';
import { type QueryOf, type ReplyOf } from '@zpine/contract/routes';
import { type Tx } from '../../store/tx.ts';
import { type LackName } from '../devices/lacks.ts';
import { addressesOffSite, cablesOffSite } from '../devices/offSite.ts';
import { lacking, locked, misnamed, speechless } from './devices.ts';
import { Found } from './found.ts';
import { alone, apart, inWords, oneEnded } from './links.ts';

type Report = ReplyOf<'doctor.data'>;

const lack =
  (what: LackName) =>
  (tx: Tx, found: Found, limit: number): Promise<void> =>
    lacking(tx, what, found, limit);

const offSite =
  (look: typeof addressesOffSite) =>
  async (tx: Tx, found: Found, limit: number): Promise<void> => {
    const { rows, count } = await look(tx, limit);
    for (const { kind, key, detail, remedy } of rows) found.add(() => ({ kind, key, detail, remedy }));
    found.count = await count();
  };

const looks: Record<Doubt, (tx: Tx, found: Found, limit: number) => Promise<void>> = {
  'no-management': lack('no-management'),
  'no-dialect': async (tx, found, limit) => {
    await lacking(tx, 'no-dialect', found, limit);
    await speechless(tx, found);
  },
  'no-access': locked,
  'no-box': lack('no-box'),
  'no-rack': lack('no-rack'),
  'link-prefixes': apart,
  'vlan-one-end': oneEnded,
  'cable-in-words': inWords,
  'name-off-pattern': misnamed,
  'address-alone': alone,
  'address-off-site': offSite(addressesOffSite),
  'cable-off-site': offSite(cablesOffSite),
};

export async function doubtfulData(tx: Tx, query: QueryOf<'doctor.data'>): Promise<Report> {
  const items: Report['items'] = [];
  for (const doubt of query.only === undefined ? doubtNames : [query.only]) {
    const found = new Found(query.limit);
    await looks[doubt](tx, found, query.limit);
    items.push({ doubt, title: doubts[doubt], count: found.count, rows: found.rows });
  }
  return { items, count: items.reduce((sum, { count }) => sum + count, 0) };
}
