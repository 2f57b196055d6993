/** Files for SSH clients: how devices are reached, and the keys that were pinned. */
import { knownHosts, sshConfig } from '@zpine/core/fleet/sshFiles';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import { find } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import type { Target } from './access.ts';
import { selected } from './selection.ts';
import { targetsOf } from './targets.ts';

/** Those that have an address, or a dialect by which one signs in. */
async function reachable(tx: Tx, where: string | undefined): Promise<Target[]> {
  const devices: Stored<'device'>[] =
    where === undefined
      ? await find(tx, 'device', {}, { order: ['sort_key'] })
      : (await selected(tx, { where })).devices;
  const targets = await targetsOf(
    tx,
    devices.filter(({ stage }) => stage !== 'retired'),
  );
  return [...targets.values()].filter(({ address, dialect }) => address !== null && dialect !== undefined);
}

const aliasesOf = ({ key, hostName }: Target): string[] => (hostName === key ? [] : [hostName]);

export async function sshConfigFile(tx: Tx, { where }: QueryOf<'names.ssh'>): Promise<ReplyOf<'names.ssh'>> {
  const targets = await reachable(tx, where);
  const text = sshConfig(
    targets.map((target) => ({
      name: target.key,
      aliases: aliasesOf(target),
      hostName: target.address ?? target.hostName,
      user: target.access.user,
      port: target.access.port,
      jump: target.jump?.key,
      algorithms: target.access.algorithms,
    })),
  );
  return { text, hosts: targets.length };
}

/** Devices whose key was pinned without being kept are named: it is kept when they are reached again. */
export async function knownHostsFile(
  tx: Tx,
  { where }: QueryOf<'names.knownHosts'>,
): Promise<ReplyOf<'names.knownHosts'>> {
  const targets = await reachable(tx, where);
  const ids = targets.map(({ device }) => device);
  const rows =
    ids.length === 0
      ? []
      : await tx.select<{ device_id: number; algorithm: string; public_key: string | null }>(
          'SELECT device_id, algorithm, public_key FROM host_key WHERE device_id IN (?)',
          [ids],
        );
  const keys = new Map(rows.map((row) => [Number(row.device_id), row]));
  const known = targets.flatMap((target) => {
    const row = keys.get(target.device);
    return row?.public_key
      ? [
          {
            names: [target.key, ...aliasesOf(target), ...(target.address === null ? [] : [target.address])],
            port: target.access.port,
            algorithm: row.algorithm,
            key: row.public_key,
          },
        ]
      : [];
  });
  const without = targets.filter(({ device }) => keys.get(device)?.public_key === null).map(({ key }) => key);
  return { text: knownHosts(known), hosts: known.length, without };
}
