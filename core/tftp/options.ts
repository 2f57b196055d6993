/** What of a request's options is taken: blksize (RFC 2348), timeout (RFC 2349), windowsize (RFC 7440). */

export interface TransferOptions {
  blockSize: number;
  windowSize: number;
  timeoutSeconds: number;
}

const standard: TransferOptions = { blockSize: 512, windowSize: 1, timeoutSeconds: 2 };

/** A datagram with 1468 bytes of data fits into an Ethernet frame; clients that want more get this: boot loaders put no fragments together. */
const LARGEST_BLOCK = 1468;
/** What is allowed to ask for (RFC 2348, RFC 7440). */
const MOST_BLOCK = 65464;
const MOST_WINDOW = 65535;
const LARGEST_WINDOW = 64;
/** Who asks for more seconds between two tries keeps a place that others need: the option is not taken (RFC 2349 leaves that open). */
const LONGEST_TIMEOUT = 15;
/** Timeouts without progress. */
export const TRIES = 5;

/** What is beyond what is allowed is no value; what is more than we give becomes that. */
const number = (text: string | undefined, least: number, most: number, allowed = most): number | undefined => {
  if (text === undefined || !/^[0-9]{1,10}$/.test(text)) return undefined;
  const value = Number(text);
  return value >= least && value <= allowed ? Math.min(value, most) : undefined;
};

/** Options that we do not know, or whose value is not possible, are left out (RFC 2347). `tsize` is for the caller. */
export function agreeOn(asked: Readonly<Record<string, string>>): {
  options: TransferOptions;
  agreed: Record<string, string>;
} {
  const blockSize = number(asked.blksize, 8, LARGEST_BLOCK, MOST_BLOCK);
  const windowSize = number(asked.windowsize, 1, LARGEST_WINDOW, MOST_WINDOW);
  const timeout = number(asked.timeout, 1, LONGEST_TIMEOUT);
  const agreed: Record<string, string> = {};
  if (blockSize !== undefined) agreed.blksize = String(blockSize);
  // The timeout is the client's to choose: it is repeated as it came, or not at all.
  if (timeout !== undefined && timeout === Number(asked.timeout)) agreed.timeout = String(timeout);
  if (windowSize !== undefined) agreed.windowsize = String(windowSize);
  return {
    agreed,
    options: {
      blockSize: blockSize ?? standard.blockSize,
      windowSize: windowSize ?? standard.windowSize,
      timeoutSeconds: agreed.timeout === undefined ? standard.timeoutSeconds : Number(agreed.timeout),
    },
  };
}
