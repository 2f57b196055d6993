/** What comes of a file that is asked for. */

import type { Content } from '../../store/contents.ts';

/** What may be told of a file that holds secrets: as large as it is shown, and a keyed digest. */
interface ShownSize {
  bytes: number;
  fingerprint: string;
}

/**
 * `further`: it is one beside the first file. `device`: null for a stranger. `leg`: which one of its profile it is, from 0; null for the last file. `image`: its key,
 * where it is one; its content lies outside of the database.
 */
export type GivenFile = {
  content: Uint8Array | Content;
  device: number | null;
  leg: number | null;
  shown: ShownSize;
  image?: string;
  further?: boolean;
};

export type FileAnswer =
  | ({ ok: true } & GivenFile)
  /** What the client is told: not found, or no access; and why, for our own record. */
  | { ok: false; code: 'not-found' | 'access'; why: string };
