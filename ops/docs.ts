/** Writes the pages of docs/ that are made from tables: errors, kinds, options, routes. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import type { Call } from '@zpine/contract/call';
import { checkNames } from '@zpine/contract/checkNames';
import { errors, type ErrorRow } from '@zpine/contract/errors';
import { fieldsOf } from '@zpine/contract/kind';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { routes, verbRoutes } from '@zpine/contract/routes';
import type { Route } from '@zpine/contract/route';
import { fixedNames } from '@zpine/contract/templateNames';
import { dialectSheet } from '@zpine/core/dialect/sheet';
import { functions } from '@zpine/core/template/functions';
import { type Shape, shapeName } from '@zpine/core/template/shapes';
import { z } from 'zod';
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
  const rows = Object.entries<ErrorRow>(errors).map(([code, row]) => [
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
  const rows = Object.entries(routes).map(([id, r]) => [`\`${r.method} ${r.path}\``, r.role, r.summary, `\`${id}\``]);
  return `# Routes\n\n${made}\n\nBelow \`/api/v1\`; the whole description is at \`/api/openapi.json\`.\n\n${table(['route', 'role', 'what', 'id'], rows)}\n`;
}

/** Some routes save only with `apply`, some unless it is false. */
function savesOf(route: Route): Call['saves'] {
  if (route.onlyReads) return 'never';
  const apply = route.body instanceof z.ZodObject ? (route.body.shape.apply as z.ZodType | undefined) : undefined;
  if (apply === undefined) return undefined;
  return apply.safeParse(undefined).data === false ? 'if-apply' : 'unless-not-apply';
}

function callsModule(): string {
  const rows = (Object.entries(verbRoutes) as [string, Route][]).map(([id, route]) => {
    const saves = savesOf(route);
    const name = /^\w+$/.test(id) ? id : `'${id}'`;
    return `  ${name}: { method: '${route.method}', path: '${route.path}'${saves ? `, saves: '${saves}'` : ''} },\n`;
  });
  return `/** ${made} */
import type { Call } from './call.ts';
import type { VerbRouteId } from './routes.ts';

export const calls: Record<VerbRouteId, Call> = {
${rows.join('')}};
`;
}

/** `x.y`, its type and meaning, for every name below a shape. */
function namesBelow(name: string, shape: Shape): string[][] {
  if (shape.is === 'map' && !shape.open) {
    const own = shape.about ? [[`\`${name}\``, shapeName(shape), shape.about]] : [];
    return [...own, ...Object.entries(shape.fields).flatMap(([field, inner]) => namesBelow(`${name}.${field}`, inner))];
  }
  const item = shape.is === 'list' && shape.of.is === 'map' ? Object.entries(shape.of.fields) : [];
  const rows = item.map(([field, inner]) => [`\`${name}[].${field}\``, shapeName(inner), inner.about ?? '']);
  return [[`\`${name}\``, shapeName(shape), shape.about ?? ''], ...rows];
}

function namesPage(): string {
  const names = Object.entries(fixedNames).flatMap(([name, shape]) => namesBelow(name, shape));
  const inChecks = Object.entries(checkNames).flatMap(([name, shape]) => namesBelow(name, shape));
  const calls = Object.entries(functions).map(([name, row]) => {
    const takes = row.takes.map((t, i) => (i >= row.least ? `[${t}]` : t)).join(', ');
    return [
      `\`${name}(${takes}${row.most > row.takes.length ? ', …' : ''})\``,
      row.gives,
      row.secrets === 'refused' ? 'not to be asked of a secret' : '',
    ];
  });
  return `# Names and functions of templates\n\n${made}\n\nThe language itself is described in [templates.md](templates.md). \`zpine template names DEVICE\` lists the names with the values of a device.\n\n## Names\n\n\`set\` holds every setting of the catalogue by its name (\`set.time.servers\`), unset ones as null.\n\n${table(['name', 'type', 'meaning'], names)}\n\n## In checks\n\nChecks see these beside.\n\n${table(['name', 'type', 'meaning'], inChecks)}\n\n## Functions\n\n\`secret("name")\` gives a secret setting by its name.\n\n${table(['call', 'gives', ''], calls)}\n`;
}

interface Json {
  type?: string;
  description?: string;
  default?: unknown;
  enum?: string[];
  anyOf?: Json[];
  properties?: Record<string, Json>;
  required?: string[];
  items?: Json;
  additionalProperties?: Json | false;
}

/** A field of a dialect sheet, and the fields inside it. */
function fieldsBelow(name: string, field: Json, required: boolean): string[][] {
  const inner = field.items ?? (field.additionalProperties || undefined);
  const below = field.properties ?? inner?.properties;
  const path = field.properties ? name : inner?.properties ? `${name}${field.items ? '[]' : '.NAME'}` : name;
  const kind = field.enum
    ? field.enum.join(', ')
    : field.anyOf
      ? 'a pattern, or a list of them'
      : field.type === 'array'
        ? `a list${inner?.properties ? '' : ` of ${inner?.type === 'integer' ? 'numbers' : 'texts'}`}`
        : field.type === 'object'
          ? field.properties
            ? 'a map'
            : 'a map, by names of your own'
          : 'text';
  const empty = JSON.stringify(field.default);
  const standard =
    field.default === undefined || empty === '[]' || empty === '{}' ? '' : `\`${String(field.default)}\``;
  const needs = field.required ?? inner?.required ?? [];
  return [
    [
      `\`${name}\``,
      kind,
      required && field.default === undefined ? 'required' : standard,
      field.description ?? inner?.description ?? '',
    ],
    ...Object.entries(below ?? {}).flatMap(([key, one]) => fieldsBelow(`${path}.${key}`, one, needs.includes(key))),
  ];
}

function sheetPage(): string {
  const schema = z.toJSONSchema(dialectSheet, { io: 'input' }) as Json;
  const rows = Object.entries(schema.properties ?? {}).flatMap(([name, field]) =>
    fieldsBelow(name, field, (schema.required ?? []).includes(name)),
  );
  return `# The fields of a dialect sheet\n\n${made}\n\nHow a sheet is written, and tried, is told in [own.md](own.md).\n\n${table(['field', 'what', 'default', 'meaning'], rows)}\n`;
}

export const pages = {
  'contract/calls.ts': callsModule,
  'docs/dialects/fields.md': sheetPage,
  'docs/template-names.md': namesPage,
  'docs/errors.md': errorsPage,
  'docs/records.md': kindsPage,
  'docs/options.md': optionsPage,
  'docs/routes.md': routesPage,
};

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  mkdirSync('docs', { recursive: true });
  for (const [path, page] of Object.entries(pages)) writeFileSync(path, page());
}
