import type { Logger } from 'pino';
import { Boot } from './boot/boot.ts';
import type { Config } from './config.ts';
import { openStore } from './stores.ts';

export interface Part {
  stop: () => Promise<void>;
}

/** DHCP, TFTP and signs of life; undefined where the service boots nobody. */
export async function startBoot(config: Config, log: Logger): Promise<Part | undefined> {
  if (config.bootAddress === '') return undefined;
  const store = openStore(config, 'boot');
  const options = {
    address: config.bootAddress,
    httpPort: config.bootHttpPort,
    dialMap: config.dialMap,
    broadcast: config.bootBroadcast,
  };
  const boot = new Boot(store, options, log);
  await boot.start();
  return {
    stop: async () => {
      await boot.stop();
      await store.sequelize.close();
    },
  };
}
