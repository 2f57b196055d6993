/** Every option of the service: name, unit, default. A file first, then the environment, which wins. */
import { existsSync, readFileSync } from 'node:fs';
import { parse } from 'yaml';
import { z } from 'zod';

interface Option<T extends z.ZodType = z.ZodType> {
  env: string;
  schema: T;
  about: string;
  unit?: string;
}

const option = <T extends z.ZodType>(env: string, schema: T, about: string, unit?: string): Option<T> =>
  unit === undefined ? { env, schema, about } : { env, schema, about, unit };

const number = (min: number, max: number, standard: number) =>
  z.coerce.number().int().min(min).max(max).default(standard);

export const options = {
  listenHost: option(
    'ZPINE_LISTEN_HOST',
    z.string().default('127.0.0.1'),
    'The address that the API and console listen on',
  ),
  listenPort: option('ZPINE_LISTEN_PORT', number(0, 65535, 7780), 'Their port; 0 for any free one'),
  databaseSocket: option(
    'ZPINE_DATABASE_SOCKET',
    z.string().optional(),
    'The socket file of MariaDB; wins over host and port',
  ),
  databaseHost: option('ZPINE_DATABASE_HOST', z.string().default('127.0.0.1'), 'The host of MariaDB'),
  databasePort: option('ZPINE_DATABASE_PORT', number(1, 65535, 3306), 'Its port'),
  databaseUser: option('ZPINE_DATABASE_USER', z.string().default('zpine'), 'The user at MariaDB'),
  databasePassword: option('ZPINE_DATABASE_PASSWORD', z.string().default(''), 'Their password'),
  databaseName: option('ZPINE_DATABASE_NAME', z.string().default('zpine'), 'The database'),
  databaseConnections: option(
    'ZPINE_DATABASE_CONNECTIONS',
    number(2, 500, 20),
    'The most connections at a time',
    'connections',
  ),
  sessionHours: option('ZPINE_SESSION_HOURS', number(1, 720, 12), 'How long a sign-in lasts', 'hours'),
  bodyBytes: option('ZPINE_BODY_BYTES', number(1024, 1 << 30, 1 << 20), 'The largest body of a request', 'bytes'),
  cookieSecure: option(
    'ZPINE_COOKIE_SECURE',
    z.union([z.boolean(), z.enum(['true', 'false']).transform((t) => t === 'true')]).default(false),
    'Whether the session cookie travels over HTTPS only; true behind a TLS proxy',
  ),
  organisation: option('ZPINE_ORGANISATION', z.string().max(60).default(''), 'Shown beside the name of the product'),
  logLevel: option(
    'ZPINE_LOG_LEVEL',
    z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
    'What is logged',
  ),
  logPretty: option(
    'ZPINE_LOG_PRETTY',
    z.union([z.boolean(), z.enum(['true', 'false']).transform((t) => t === 'true')]).default(false),
    'Log for people instead of JSON lines',
  ),
} as const;

export type Config = { [K in keyof typeof options]: z.output<(typeof options)[K]['schema']> };

export class ConfigFault extends Error {}

/** Reads the options; all faults at once, each with where it was found. */
export function readConfig(env: Record<string, string | undefined>): Config {
  const path = env.ZPINE_CONFIG ?? (existsSync('zealous-pine.yaml') ? 'zealous-pine.yaml' : undefined);
  const file = path === undefined ? {} : readFile(path);
  const faults: string[] = [];
  const unknown = Object.keys(file).filter((name) => !(name in options));
  faults.push(...unknown.map((name) => `${path}: there is no option "${name}"`));
  const out: Record<string, unknown> = {};
  for (const [name, { env: variable, schema }] of Object.entries(options)) {
    const fromEnv = env[variable] === '' ? undefined : env[variable];
    const read = schema.safeParse(fromEnv ?? file[name]);
    if (read.success) out[name] = read.data;
    else
      faults.push(
        `${fromEnv === undefined ? `${path}: ${name}` : variable}: ${read.error.issues.map((i) => i.message).join('; ')}`,
      );
  }
  if (faults.length > 0) throw new ConfigFault(faults.join('\n'));
  return out as Config;
}

function readFile(path: string): Record<string, unknown> {
  try {
    const held: unknown = parse(readFileSync(path, 'utf8'));
    if (held === null) return {};
    if (typeof held !== 'object' || Array.isArray(held)) throw new Error('it must hold names and values');
    return held as Record<string, unknown>;
  } catch (error) {
    throw new ConfigFault(`${path}: ${error instanceof Error ? error.message : String(error)}`);
  }
}
