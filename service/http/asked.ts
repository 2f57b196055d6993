/**
 * A request and its answer as plain data, so that the work between them may be done in this process or in another.
 * Nothing in them carries marks of secrets: what is rendered stays where it is rendered, and answers are masked texts.
 */
import type { RouteId } from '@zpine/contract/routes';
import type { User } from '../app/access/who.ts';
import type { Actor } from '../store/store.ts';

export interface Asked {
  id: RouteId;
  path: string;
  /** With its query, for the mark of the next page. */
  url: string;
  params: Record<string, string>;
  query: Record<string, string>;
  /** The body as it came, not looked at yet. */
  text: string;
  version: number | undefined;
  idempotencyKey: string | undefined;
  accept: string;
  user: User;
  via: Actor['via'];
}

export interface Answered {
  status: number;
  headers: Record<string, string>;
  /** Whole, or piece by piece as it is made. */
  body: string | AsyncIterable<string> | null;
}

/** Where work is done that somebody could make large: it may be ended without harm to anything else. */
export interface Apart {
  carryOut: (asked: Asked, signal: AbortSignal) => Promise<Answered>;
}

export interface Log {
  error: (what: object, text: string) => void;
}
