/** Named parts of templates have their name of today, and what is shown of texts with secrets tells nothing of them. */
import { withTodaysDirectives } from '@zpine/core/template/former';
import type { Sealer } from '../sealing.ts';
import { eachBatch } from './batches.ts';
import { column, plainTable, type Step } from './steps.ts';

interface EditionRow {
  id: number;
  shown: string;
  content: string;
  inputs: string;
}

interface File {
  name: string;
  text: string;
  sections?: unknown;
}

/** Files had sections once; they have parts. */
const withParts = ({ sections, ...file }: File): object =>
  sections === undefined ? file : { ...file, parts: sections };

function renewed({ id, shown, content, inputs }: EditionRow, sealer: Sealer): unknown[] {
  const held = JSON.parse(sealer.open(inputs)) as {
    source: string;
    fragments: Record<string, string>;
  };
  const text = JSON.stringify({
    ...held,
    source: withTodaysDirectives(held.source),
    fragments: Object.fromEntries(
      Object.entries(held.fragments).map(([name, source]) => [name, withTodaysDirectives(source)]),
    ),
  });
  const files = JSON.parse(sealer.open(content)) as File[];
  const kept = JSON.parse(shown) as { files: File[] };
  return [
    sealer.fingerprint(JSON.stringify(files.map((file) => [file.name, file.text]))),
    sealer.fingerprint(text),
    JSON.stringify({ ...kept, files: kept.files.map(withParts) }),
    sealer.seal(JSON.stringify(files.map(withParts))),
    sealer.seal(text),
    id,
  ];
}

const editionsRenewed: Step = {
  name: 'editions-have-parts',
  run: (tools) =>
    eachBatch<EditionRow>(
      tools,
      'SELECT id, shown, content, inputs FROM edition WHERE id > ? ORDER BY id LIMIT ?',
      (row) =>
        tools.execute(
          'UPDATE edition SET digest = ?, inputs_digest = ?, shown = ?, content = ?, inputs = ? WHERE id = ?',
          renewed(row, tools.sealer),
        ),
    ),
};

/** A digest of 64 digits is a plain one; keyed ones have 32. */
const capturesKeyed: Step = {
  name: 'captures-have-fingerprints',
  run: (tools) =>
    eachBatch<{ id: number; fingerprint: string }>(
      tools,
      'SELECT id, fingerprint FROM capture WHERE id > ? AND CHAR_LENGTH(fingerprint) = 64 ORDER BY id LIMIT ?',
      ({ id, fingerprint }) =>
        tools.execute('UPDATE capture SET fingerprint = ? WHERE id = ?', [tools.sealer.fingerprint(fingerprint), id]),
    ),
};

/** Counts of large prefixes were worked out in doubles once: they are counted anew from the spans. */
const spacesCounted: Step = {
  name: 'large-spaces-are-counted-exactly',
  run: (tools) =>
    eachBatch<{ id: number }>(
      tools,
      'SELECT id FROM space WHERE id > ? AND free > 4503599627370496 ORDER BY id LIMIT ?',
      async ({ id }) => {
        const spans = await tools.select<{ first: Buffer; last: Buffer }>(
          'SELECT first, last FROM free_span WHERE space_id = ?',
          [id],
        );
        const number = (bytes: Buffer): bigint => BigInt(`0x${bytes.toString('hex')}`);
        const free = spans.reduce((sum, { first, last }) => sum + number(last) - number(first) + 1n, 0n);
        await tools.execute(`UPDATE space SET free = ${free} WHERE id = ?`, [id]);
      },
    ),
};

export const wholeSteps: Step[] = [
  plainTable(
    'store_check',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, asked_at datetime(3) NOT NULL, ended_at datetime(3), asked_by varchar(63) NOT NULL,
     mend tinyint(1) NOT NULL, failure varchar(500), result longtext, KEY ix_store_check_ended (ended_at)`,
  ),
  spacesCounted,
  column('model', 'management', 'varchar(63)'),
  {
    // What was taken for granted until now is said by the models of devices that have it.
    name: 'models-say-what-is-for-management',
    sql: `UPDATE model m SET m.management = 'vlan{vlan}' WHERE m.management IS NULL AND EXISTS (
            SELECT 1 FROM device d JOIN \`interface\` i ON i.id = d.management_id
            WHERE d.model_id = m.id AND i.form = 'vlan' AND i.name REGEXP '^vlan[0-9]+$')`,
  },
  {
    name: 'templates-have-parts',
    sql: `UPDATE template SET source = REGEXP_REPLACE(REGEXP_REPLACE(source,
            '(?m)^([ \\\\t]*)@section\\\\b', '\\\\1@part'), '(?m)^([ \\\\t]*@end[ \\\\t]+)section\\\\b', '\\\\1part')
          WHERE source LIKE '%section%'`,
  },
  editionsRenewed,
  {
    name: 'captures-name-their-fingerprint',
    sql: 'ALTER TABLE capture CHANGE COLUMN IF EXISTS sha256 fingerprint varchar(64) CHARACTER SET ascii NOT NULL',
  },
  capturesKeyed,
  {
    name: 'captured-texts-are-as-large-as-they-are-shown',
    sql: 'UPDATE captured_text SET bytes = OCTET_LENGTH(shown) WHERE is_binary = 0',
  },
  {
    name: 'milestones-without-plain-digests',
    sql: "UPDATE milestone SET evidence = JSON_REMOVE(evidence, '$.sha256') WHERE evidence LIKE '%\"sha256\"%'",
  },
  {
    name: 'search-terms-spell-letters-of-the-north',
    sql: `INSERT IGNORE INTO job (name, payload, due_at, single) VALUES ('reindex', '{}', UTC_TIMESTAMP(3), 'reindex')`,
  },
  {
    name: 'strangers-are-counted-by-prefix',
    sql: 'ALTER TABLE stranger ADD KEY IF NOT EXISTS ix_stranger_prefix (prefix_id, settled_at)',
  },
];
