import type { SignKind } from '@zpine/contract/signRoutes';

/** One, or the same one several times: when first and last, ms since 1970. */
export interface Sign {
  kind: SignKind;
  /** Whose address it came from; undefined for nobody's. */
  device: number | undefined;
  /** The smallest prefix of ours around it. */
  prefix: number | undefined;
  address: string;
  /** Of log lines (RFC 5424, 6.2.1). */
  severity: number | null;
  text: string;
  at: number;
  lastAt: number;
  times: number;
}
