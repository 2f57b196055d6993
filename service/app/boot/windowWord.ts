import type { Tx } from '../../store/tx.ts';

/**
 * By which a file is asked for in a URL: of a device and its arrival window. Nobody makes one who has not been told it.
 * `openedAt`: ms since 1970.
 */
export const windowWord = (tx: Tx, device: number, openedAt: number): string =>
  `${device.toString(36)}-${tx.sealer.fingerprint(`window ${device} ${openedAt}`)}`;
