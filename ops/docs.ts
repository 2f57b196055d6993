/** Writes the pages of docs/ that are made from tables: errors, kinds, options, routes. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { errors, type ErrorRow } from '@zpine/contract/errors';
import { fieldsOf } from '@zpine/contract/kind';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { routes } from '@zpine/contract/routes';
import { type Route } from '@zpine/contract/route';
import { options } from '../service/config.ts';

const made = 'Made by `./run docs`; edit the tables it is made from.';
const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ');
const table = (heads: string[], rows: string[][]): string =>
  [
    `| ${heads.join(' | ')} |`,
    `| ${heads.map(() => '---').join(' | ')} |`,
    ...rows.map((row) => `| ${row.map(cell).join(' | ')} |`),
  ].join('\n');

/** Params stand in their words as PARAM. */
const named = new Proxy({}, { get: (_target, name) => String(name).toUpperCase() }) as Record<string, string>;

function errorsPage(): string {
  const rows = (Object.entries(errors) as [string, ErrorRow][]).map(([code, row]) => [
    `\`${code}\``,
    String(row.status),
    row.detail(named),
    row.remedy?.(named) ?? '',
  ]);
  return `# Errors

${made}

Every refusal is a problem details object (RFC 9457) with a \`code\` that stays the same, a \`detail\` in plain words, often a
\`remedy\`, and \`errors[]\` with a JSON pointer for each place. Words in capitals stand for values of the case at hand.

${table(['code', 'status', 'detail', 'remedy'], rows)}
`;
}

function kindsPage(): string {
  const parts = kindNames.map((name) => {
    const k = kindOf(name);
    const rows = fieldsOf(k).map(([field, spec]) => [
      `\`${field}\``,
      spec.to ? `a ${spec.to}` : spec.choices ? spec.choices.join(', ') : spec.type,
      spec.derived
        ? 'worked out'
        : spec.byVerb
          ? 'by a verb'
          : spec.required && spec.default === undefined
            ? 'required'
            : spec.default !== undefined
              ? `\`${JSON.stringify(spec.default)}\``
              : '',
      [spec.title, spec.about, spec.unit && `in ${spec.unit}`].filter(Boolean).join('; '),
    ]);
    return `## ${k.title}\n\n${k.about} \`/api/v1/${k.path}\`, \`zpine ${name}\`. Its key is made of ${k.key.parts.map((p) => `\`${p}\``).join(' and ')}.\n\n${table(['field', 'type', 'default', 'meaning'], rows)}`;
  });
  return `# Records\n\n${made}\n\nEvery record also has \`id\`, \`key\`, \`version\`, \`createdAt\` and \`updatedAt\`. References are written as natural keys, or as \`#\` and an id.\n\n${parts.join('\n\n')}\n`;
}

function optionsPage(): string {
  const rows = Object.entries(options).map(([name, { env, about, schema, ...rest }]) => {
    const standard = schema.safeParse(undefined);
    const unit = 'unit' in rest ? String(rest.unit) : '';
    return [
      `\`${name}\``,
      `\`${env}\``,
      standard.success && standard.data !== undefined && standard.data !== '' ? `\`${String(standard.data)}\`` : '',
      unit,
      about,
    ];
  });
  return `# Options of the service\n\n${made}\n\nRead from the file that \`ZPINE_CONFIG\` names (or \`zealous-pine.yaml\` in the working folder), by name; a variable of the environment wins. All faults are reported at once, and the service does not start with any.\n\n${table(['name', 'variable', 'default', 'unit', 'meaning'], rows)}\n`;
}

function routesPage(): string {
  const rows = (Object.entries(routes) as [string, Route][]).map(([id, r]) => [
    `\`${r.method} ${r.path}\``,
    r.role,
    r.summary,
    `\`${id}\``,
  ]);
  return `# Routes\n\n${made}\n\nBelow \`/api/v1\`; the whole description is at \`/api/openapi.json\`.\n\n${table(['route', 'role', 'what', 'id'], rows)}\n`;
}

export const pages = {
  'docs/errors.md': errorsPage,
  'docs/records.md': kindsPage,
  'docs/options.md': optionsPage,
  'docs/routes.md': routesPage,
};

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  mkdirSync('docs', { recursive: true });
  for (const [path, page] of Object.entries(pages)) writeFileSync(path, page());
}
