/** Where a device finds its files by a URL: host and port as it has to write them. */
import type { Transport } from './profiles.ts';

export interface BootHost {
  address: string;
  httpPort: number;
  /** 0 where nothing is served so. */
  httpsPort: number;
}

const STANDARD = { http: 80, https: 443 } as const;

/** `http://10.77.0.10`, `https://10.77.0.10:8443`. */
export function bootOrigin({ address, httpPort, httpsPort }: BootHost, scheme: 'http' | 'https'): string {
  const port = scheme === 'https' ? httpsPort : httpPort;
  return `${scheme}://${address}${port === STANDARD[scheme] ? '' : `:${port}`}`;
}

/** By TFTP, or below a word that is good once. */
export const fileUrl = (host: BootHost, transport: Transport, word: string, name: string): string =>
  transport === 'tftp' ? `tftp://${host.address}/${name}` : `${bootOrigin(host, transport)}/file/${word}/${name}`;
