/** Every option of the service: name, unit, default. A file first, then the environment, which wins. */
import { existsSync, readFileSync } from 'node:fs';
import { parse } from 'yaml';
import { type DialRow, parseDialRow } from '@zpine/core/addressing/dial';
import { standardLimits } from '@zpine/core/arrival/arrival';
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

const flag = z.union([z.boolean(), z.enum(['true', 'false']).transform((t) => t === 'true')]).default(false);

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
  keyFile: option(
    'ZPINE_KEY_FILE',
    z.string().default('zealous-pine.key'),
    'The file with the key that secrets are sealed with; made at the first start. Keep a copy apart from the database',
  ),
  sessionHours: option('ZPINE_SESSION_HOURS', number(1, 720, 12), 'How long a sign-in lasts', 'hours'),
  bodyBytes: option('ZPINE_BODY_BYTES', number(1024, 1 << 30, 1 << 20), 'The largest body of a request', 'bytes'),
  importBytes: option(
    'ZPINE_IMPORT_BYTES',
    number(1024, 1 << 30, 16 << 20),
    'The largest import that is answered at once; larger files are uploaded',
    'bytes',
  ),
  uploadBytes: option(
    'ZPINE_UPLOAD_BYTES',
    number(1024, 2 ** 40, 2 ** 30),
    'The largest file that is uploaded',
    'bytes',
  ),
  cookieSecure: option(
    'ZPINE_COOKIE_SECURE',
    flag,
    'Whether the session cookie travels over HTTPS only; true behind a TLS proxy',
  ),
  trustedProxies: option(
    'ZPINE_TRUSTED_PROXIES',
    z
      .string()
      .default('')
      .transform((held) =>
        held
          .split(',')
          .map((one) => one.trim())
          .filter(Boolean),
      ),
    'Addresses of proxies in front of the service, with commas between: of their requests X-Forwarded-For says where they come from',
  ),
  organisation: option('ZPINE_ORGANISATION', z.string().max(60).default(''), 'Shown beside the name of the product'),
  bootAddress: option(
    'ZPINE_BOOT_ADDRESS',
    z.union([z.ipv4(), z.literal('')]).default(''),
    'The address that booting devices reach the service at (DHCP, TFTP, call-home); left empty, the service boots nobody',
  ),
  bootHttpPort: option('ZPINE_BOOT_HTTP_PORT', number(1, 65535, 80), 'The port of HTTP that booting devices use'),
  bootHttpsPort: option(
    'ZPINE_BOOT_HTTPS_PORT',
    number(0, 65535, 0),
    'The port of HTTPS that booting devices use; 0: none is served',
  ),
  bootCertificate: option(
    'ZPINE_BOOT_CERTIFICATE',
    z.string().default(''),
    'A certificate for that, in PEM, with those above it; left empty, one of its own is made beside the key file',
  ),
  bootCertificateKey: option(
    'ZPINE_BOOT_CERTIFICATE_KEY',
    z.string().default(''),
    'The private key of the certificate, in PEM',
  ),
  bootBroadcast: option(
    'ZPINE_BOOT_BROADCAST',
    flag,
    'Whether clients on the wire of the boot address are answered, too, and not only those behind relays',
  ),
  dialMap: option(
    'ZPINE_DIAL_MAP',
    z
      .union([z.string(), z.array(z.string())])
      .default([])
      .transform((held, context) =>
        (Array.isArray(held) ? held : held.split(',').filter((row) => row.trim() !== '')).flatMap((text): DialRow[] => {
          const row = parseDialRow(text);
          if (row.ok) return [row.value];
          context.issues.push({
            code: 'custom',
            input: held,
            message: `"${text}" is not VRF FROM TO [PORT-OFFSET] with two prefixes of one size`,
          });
          return [];
        }),
      ),
    'How addresses of the records are reached where they are translated: rows of VRF, prefix, prefix, and what is added to ports; several with commas',
  ),
  waitPacket: option(
    'ZPINE_WAIT_PACKET',
    number(1, 604800, standardLimits.packet),
    'How long a device may take to its first packet once its window is open',
    'seconds',
  ),
  waitRequest: option(
    'ZPINE_WAIT_REQUEST',
    number(1, 86400, standardLimits.request),
    'How long it may take from an offer to its request',
    'seconds',
  ),
  waitFile: option(
    'ZPINE_WAIT_FILE',
    number(1, 86400, standardLimits.file),
    'How long it may take from its lease to asking for its file',
    'seconds',
  ),
  waitTransfer: option(
    'ZPINE_WAIT_TRANSFER',
    number(1, 86400, standardLimits.transfer),
    'How long the transfer of a file may take',
    'seconds',
  ),
  waitLife: option(
    'ZPINE_WAIT_LIFE',
    number(1, 86400, standardLimits.life),
    'How long it may take from its file to its sign of life',
    'seconds',
  ),
  waitProbe: option(
    'ZPINE_WAIT_PROBE',
    number(1, 3600, standardLimits.probe),
    'How long the service waits between two tries to sign in on a device',
    'seconds',
  ),
  mailServer: option(
    'ZPINE_MAIL_SERVER',
    z.union([z.url({ protocol: /^smtps?$/ }), z.literal('')]).default(''),
    'Where notices are handed over as e-mail: smtp://host:port, or smtps://; left empty, none is sent',
  ),
  mailFrom: option('ZPINE_MAIL_FROM', z.string().max(200).default('Zealous Pine <zpine@localhost>'), 'Who writes them'),
  mailGatherSeconds: option(
    'ZPINE_MAIL_GATHER_SECONDS',
    number(0, 3600, 60),
    'How long notices wait for others of the same cause before the letter goes out',
    'seconds',
  ),
  consoleUrl: option(
    'ZPINE_CONSOLE_URL',
    z.union([z.url({ protocol: /^https?$/ }), z.literal('')]).default(''),
    'Where people find the console, for links in letters; left empty, there are none',
  ),
  hookHosts: option(
    'ZPINE_HOOK_HOSTS',
    z
      .string()
      .default('')
      .transform((held) =>
        held
          .split(',')
          .map((one) => one.trim())
          .filter(Boolean),
      ),
    'Where messages to other systems may go: host names, host:port, or prefixes, with commas between; left empty, nowhere',
  ),
  imageFolder: option(
    'ZPINE_IMAGE_FOLDER',
    z.string().min(1).default('zealous-pine-images'),
    'The folder with the contents of images; several services on one database share it',
  ),
  imageBytes: option(
    'ZPINE_IMAGE_BYTES',
    number(1024, 2 ** 31 - 1, 2 ** 30),
    'The largest content of an image',
    'bytes',
  ),
  captureRepository: option(
    'ZPINE_CAPTURE_REPOSITORY',
    z.string().default(''),
    'A folder of its own for a git repository with what devices run and have stored, secrets masked; left empty, there is none',
  ),
  captureRepositorySeconds: option(
    'ZPINE_CAPTURE_REPOSITORY_SECONDS',
    number(1, 86_400, 60),
    'How often what changed is put into it',
    'seconds',
  ),
  logLevel: option(
    'ZPINE_LOG_LEVEL',
    z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
    'What is logged',
  ),
  logPretty: option('ZPINE_LOG_PRETTY', flag, 'Log for people instead of JSON lines'),
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
