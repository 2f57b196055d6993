import type { Logger } from 'pino';
import { Boot } from './boot/boot.ts';
import type { Config } from './config.ts';
import type { BootState } from '@zpine/contract/processes';
import type { Hint } from './store/hint.ts';
import { openStore } from './stores.ts';

export interface Part {
  stop: () => Promise<void>;
}

/** Tells whoever answers booting devices what was committed; what comes back is how it is then, as far as it said so. */
export type TellBoot = (hints: readonly Hint[]) => Promise<BootState | undefined>;

export interface BootPart extends Part {
  /** What was committed elsewhere is known here when this resolves. */
  refresh: TellBoot;
  state: () => BootState;
}

/** DHCP, TFTP and signs of life; undefined where the service boots nobody. */
export async function startBoot(config: Config, log: Logger): Promise<BootPart | undefined> {
  if (config.bootAddress === '') return undefined;
  const store = openStore(config, 'boot');
  const options = {
    address: config.bootAddress,
    httpPort: config.bootHttpPort,
    httpsPort: config.bootHttpsPort,
    certificate: {
      certificate: config.bootCertificate,
      key: config.bootCertificateKey,
      ownFile: `${config.keyFile}.boot.pem`,
      address: config.bootAddress,
    },
    dialMap: config.dialMap,
    broadcast: config.bootBroadcast,
  };
  const boot = new Boot(store, options, log);
  await boot.start();
  return {
    refresh: async (hints) => {
      await boot.refresh(hints);
      return boot.state;
    },
    state: () => boot.state,
    stop: async () => {
      await boot.stop();
      await store.sequelize.close();
    },
  };
}
