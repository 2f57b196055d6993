import { z } from 'zod';
import { countIs } from './counting.ts';
import type { Role } from './roles.ts';

export interface Route {
  method: 'GET' | 'POST' | 'PATCH' | 'DELETE';
  /** With `{name}` for what varies; below `/api/v1`. */
  path: string;
  /** Who may call it; `anyone` needs no sign-in. */
  role: Role | 'anyone';
  summary: string;
  /** The heading under which it is described. */
  group: string;
  query?: z.ZodObject;
  body?: z.ZodType;
  /** What it answers with; left out for no content. */
  reply?: z.ZodType;
  status?: 200 | 201 | 204;
  /** Set where the answer is not JSON. */
  media?: 'text/event-stream' | 'text/csv';
  /** Its answer has secrets in the clear: it is not kept for a repetition, which is done, and recorded, anew. */
  reveals?: boolean;
  /** People can make it large: it is done in a process that may be ended, not where everybody waits for answers. */
  apart?: boolean;
  /** Not a GET for the sake of its body alone: it saves nothing. */
  onlyReads?: boolean;
  /** Its answer as a table, for whoever asks for CSV. */
  table?(answer: unknown): { heads: string[]; rows: string[][] };
  /** It has more to do with the request than a unit of work: the HTTP part answers it itself. */
  own?: boolean;
  /** What it is sent may be as large as an import. */
  large?: boolean;
  /** It saves no records, and there is nothing to foresee: what it does is seen elsewhere. */
  unforeseen?: boolean;
  /** A write of its own kind that leaves no history and takes no idempotency key: signing in and out. */
  unrecorded?: boolean;
}

export const route = <const R extends Route>(description: R): R => description;

/** One page of a list; `next` is the mark to go on with. */
export const page = <T extends z.ZodType>(item: T) =>
  z.object({
    items: z.array(item),
    next: z.string().nullable(),
    count: z.int().optional(),
    countIs: z.enum(countIs).optional(),
  });
