/** What a session stands on: an SSH connection, or a line without encryption that looks like one. */
import type { ClientChannel, PseudoTtyOptions } from 'ssh2';

type Opened = (error: Error | undefined, channel: ClientChannel) => void;

export interface SignedIn {
  shell: (window: PseudoTtyOptions, opened: Opened) => unknown;
  exec: (command: string, opened: Opened) => unknown;
  /** Left out where nothing goes on from here. */
  forwardOut?: (fromHost: string, fromPort: number, toHost: string, toPort: number, opened: Opened) => unknown;
  end: () => unknown;
  on: (event: 'close', hears: () => void) => unknown;
  once: (event: 'close', hears: () => void) => unknown;
  removeListener: (event: 'close', hears: () => void) => unknown;
}
