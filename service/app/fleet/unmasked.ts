/** Lines out of a capture or an edition that are sent back: the dots in them stand for what stands there. */
import { walk, type ConfigLine } from '@zpine/core/config/tree';
import { PATH } from '@zpine/core/dialect/path';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { AWAY } from '@zpine/core/fleet/errand';
import { MASK } from '@zpine/core/secrets/masking';
import { Refusal } from '@zpine/contract/errors';
import { byIds } from '../../store/records.ts';
import { maskedFiles } from '../editions/content.ts';
import { filesOf, mustFindEdition } from '../editions/rows.ts';
import { mustFind, mustFindField } from '../records/refs.ts';
import type { Tx } from '../../store/tx.ts';
import { showCapture, wholeCaptures } from './captures.ts';
import { targetsOf } from './targets.ts';

export interface Unmasked {
  lines: string;
  /** What was filled in. */
  secrets: string[];
}

/** Gives the lines with the secrets of a capture in place of the dots; what the capture does not know stays as it is. */
export async function unmaskerFrom(tx: Tx, id: number): Promise<(lines: string) => Unmasked> {
  const [capture] = await wholeCaptures(tx, [id]);
  const [device] = capture ? (await byIds(tx, 'device', [Number(capture.device_id)])).values() : [];
  const dialect = device && (await targetsOf(tx, [device])).get(device.id)?.dialect;
  if (!capture || !dialect) throw Refusal.at(['secretsFrom'], 'not-found', { kind: 'capture', ref: `#${id}` });
  const { text: shown } = await showCapture(tx, String(id));
  const known = secretLines(dialect, shown, capture.content.toString('utf8'));
  return (lines) => unmasked(dialect, known, lines);
}

/** The same with the secrets of an edition. */
export async function unmaskerFromEdition(
  tx: Tx,
  { device: ref, number }: { device: string; number: number },
): Promise<(lines: string) => Unmasked> {
  const device = await mustFindField(tx, 'device', ref, 'secretsFromEdition').then(({ key }) =>
    mustFind(tx, 'device', key),
  );
  const dialect = (await targetsOf(tx, [device])).get(device.id)?.dialect;
  if (!dialect) throw Refusal.at(['secretsFromEdition'], 'not-found', { kind: 'dialect', ref: device.key });
  const edition = await mustFindEdition(tx, device, String(number));
  const files = await filesOf(tx, edition.id);
  const known = new Map(
    maskedFiles(files).flatMap((shown, i) => [...secretLines(dialect, shown.text, files[i]?.text ?? '')]),
  );
  return (lines) => unmasked(dialect, known, lines);
}

const paths = (tree: readonly ConfigLine[]): { path: string; text: string }[] =>
  [...walk(tree)].map(({ node, above }) => ({ path: [...above, node.text].join(PATH), text: node.text }));

/** Masked lines with their blocks, and what stands there: both texts have the same lines in the same order. */
function secretLines(dialect: Dialect, shown: string, content: string): Map<string, string> {
  const [masked, whole] = [paths(dialect.parse(shown)), paths(dialect.parse(content))];
  if (masked.length !== whole.length) return new Map();
  return new Map(
    masked.flatMap(({ path, text }, i) => {
      const real = whole[i]?.text;
      return text.includes(MASK) && real !== undefined ? [[path, real] as const] : [];
    }),
  );
}

const MARKS = [AWAY, 'exactly '];

function unmasked(dialect: Dialect, known: ReadonlyMap<string, string>, lines: string): Unmasked {
  const rows = lines.split('\n');
  const secrets = new Set<string>();
  const bare = (text: string) =>
    MARKS.reduce((left, mark) => (left.startsWith(mark) ? left.slice(mark.length) : left), text);
  for (const { node, above } of walk(dialect.parse(lines))) {
    if (!node.text.includes(MASK)) continue;
    const text = bare(node.text);
    const real = known.get([...above.map(bare), text].join(PATH));
    const row = rows[node.line - 1];
    if (real === undefined || row === undefined) continue;
    rows[node.line - 1] = row.replace(text, () => real);
    for (const secret of dialect.secretsIn([...above, real].join(PATH))) secrets.add(secret);
  }
  return { lines: rows.join('\n'), secrets: [...secrets] };
}
