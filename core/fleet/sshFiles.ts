/** Files for SSH clients out of the records: a client configuration, and known host keys. */
import { algorithmTable } from './sshAlgorithms.ts';

export interface SshEntry {
  name: string;
  /** Other names that people call it by. */
  aliases: readonly string[];
  /** An address, or a name to be looked up. */
  hostName: string;
  user: string;
  port: number;
  jump: string | undefined;
  /** Permitted beside those that are good today. */
  algorithms: readonly string[];
}

/** The words of a client's configuration for what the service calls otherwise. */
const words = {
  kex: 'KexAlgorithms',
  serverHostKey: 'HostKeyAlgorithms',
  cipher: 'Ciphers',
  hmac: 'MACs',
} as const;

/** `+` before a list adds it to what a client permits by itself. */
function algorithmLines(permitted: readonly string[]): string[] {
  return (Object.keys(words) as (keyof typeof words)[]).flatMap((kind) => {
    const names = algorithmTable[kind].old.filter((one) => permitted.includes(one));
    return names.length === 0 ? [] : [`${words[kind]} +${names.join(',')}`];
  });
}

/** A configuration as ssh_config(5) has it. Passwords stand in no such file. */
export const sshConfig = (entries: readonly SshEntry[]): string =>
  entries
    .map(({ name, aliases, hostName, user, port, jump, algorithms }) =>
      [
        `Host ${[name, ...aliases].join(' ')}`,
        `HostName ${hostName}`,
        ...(user === '' ? [] : [`User ${user}`]),
        ...(port === 22 ? [] : [`Port ${port}`]),
        ...(jump === undefined ? [] : [`ProxyJump ${jump}`]),
        ...algorithmLines(algorithms),
      ]
        .map((line, i) => `${i === 0 ? '' : '  '}${line}\n`)
        .join(''),
    )
    .join('\n');

export interface KnownHost {
  names: readonly string[];
  port: number;
  algorithm: string;
  /** In base64. */
  key: string;
}

/** Lines as sshd(8) has them: names, the kind of the key, the key. */
export const knownHosts = (hosts: readonly KnownHost[]): string =>
  hosts
    .map(({ names, port, algorithm, key }) => {
      const written = names.map((name) => (port === 22 ? name : `[${name}]:${port}`));
      return `${written.join(',')} ${algorithm} ${key}\n`;
    })
    .join('');
