/** All secrets that layers and devices ever had, so that they are masked by value; and texts without them. */
import { SHORTEST, textsOf } from '@zpine/core/secrets/masking';
import { eachBatch } from './batches.ts';
import { plainTable, type Step, type StepTools } from './steps.ts';

async function note({ execute, sealer }: StepTools, kind: string, id: number, value: unknown): Promise<void> {
  for (const text of new Set(textsOf(value)))
    if (text.length >= SHORTEST)
      await execute('INSERT IGNORE INTO known_secret (scope_kind, scope_id, digest, sealed) VALUES (?, ?, ?, ?)', [
        kind,
        id,
        sealer.digest(`secret ${text}`),
        sealer.seal(text.slice(0, 4000)),
      ]);
}

const valuesNoted: Step = {
  name: 'secrets-of-settings-are-known',
  run: (tools) =>
    eachBatch<{ id: number; layer_kind: string; layer_id: number; value: string }>(
      tools,
      'SELECT id, layer_kind, layer_id, value FROM setting_value WHERE id > ? AND sealed = 1 ORDER BY id LIMIT ?',
      ({ layer_kind, layer_id, value }) =>
        note(tools, layer_kind, Number(layer_id), JSON.parse(tools.sealer.open(value))),
    ),
};

interface Image {
  sealed?: string;
  place?: { layer: string; of: number };
}

const historyNoted: Step = {
  name: 'secrets-of-the-past-are-known',
  run: async (tools) => {
    const held = async (text: string | null): Promise<void> => {
      const { sealed, place } = (text === null ? {} : JSON.parse(text)) as Image;
      if (sealed === undefined || place === undefined) return;
      await note(tools, place.layer, place.of, JSON.parse(tools.sealer.open(sealed)));
    };
    // Changes have no id of their own: they are gone through by their set.
    for (let from = 0; ;) {
      const rows = await tools.select<{ change_set_id: number; before: string | null; after: string | null }>(
        `SELECT change_set_id, \`before\`, \`after\` FROM \`change\` WHERE kind = 'value' AND change_set_id > ?
         AND change_set_id <= (SELECT COALESCE(MAX(s.id), 0) FROM (SELECT id FROM change_set WHERE id > ? ORDER BY id LIMIT 500) s)`,
        [from, from],
      );
      for (const { before, after } of rows) {
        await held(before);
        await held(after);
      }
      const [next] = await tools.select<{ id: number | null }>(
        'SELECT MAX(s.id) AS id FROM (SELECT id FROM change_set WHERE id > ? ORDER BY id LIMIT 500) s',
        [from],
      );
      if (!next || next.id === null) return;
      from = Number(next.id);
    }
  },
};

const editionsNoted: Step = {
  name: 'secrets-of-editions-are-known',
  run: (tools) =>
    eachBatch<{ id: number; device_id: number; content: string }>(
      tools,
      'SELECT id, device_id, content FROM edition WHERE id > ? ORDER BY id LIMIT ?',
      async ({ device_id, content }) => {
        const files = JSON.parse(tools.sealer.open(content)) as { text: string; secrets: [number, number][] }[];
        const found = files.flatMap(({ text, secrets }) => secrets.map(([from, to]) => text.slice(from, to)));
        await note(tools, 'device', Number(device_id), found);
      },
    ),
};

export const secretSteps: Step[] = [
  plainTable(
    'known_secret',
    `id bigint(20) NOT NULL AUTO_INCREMENT PRIMARY KEY, scope_kind varchar(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
     scope_id bigint(20) NOT NULL, digest binary(32) NOT NULL, sealed text NOT NULL,
     UNIQUE KEY uq_known_secret (scope_kind, scope_id, digest)`,
  ),
  valuesNoted,
  historyNoted,
  editionsNoted,
  {
    name: 'captures-share-texts-only-where-they-are-shown-alike',
    sql: 'ALTER TABLE capture DROP FOREIGN KEY IF EXISTS fk_capture_digest',
  },
  {
    name: 'capture-has-text-key',
    sql: 'ALTER TABLE capture ADD COLUMN IF NOT EXISTS text_key binary(32), ADD KEY IF NOT EXISTS ix_capture_text (text_key)',
  },
  { name: 'captures-name-their-texts', sql: 'UPDATE capture SET text_key = digest WHERE text_key IS NULL' },
  {
    name: 'captured-texts-are-masked-anew',
    sql: `INSERT IGNORE INTO job (name, payload, due_at, single) VALUES ('remask', '{}', UTC_TIMESTAMP(3), 'remask')`,
  },
];
