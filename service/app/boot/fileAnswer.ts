/** What comes of a file that is asked for. */

/** What may be told of a file that holds secrets: as large as it is shown, and a keyed digest. */
interface ShownSize {
  bytes: number;
  fingerprint: string;
}

/** `device`: null for a stranger. `leg`: which one of its profile it is, from 0; null for the last file. */
export type GivenFile = { content: Uint8Array; device: number | null; leg: number | null; shown: ShownSize };

export type FileAnswer =
  | ({ ok: true } & GivenFile)
  /** What the client is told: not found, or no access; and why, for our own record. */
  | { ok: false; code: 'not-found' | 'access'; why: string };
