/** What the service and its processes apart say to each other; one request at a time, one after the other. */
import type { ErrorCode, Faults, Params } from '@zpine/contract/errors';
import type { Asked } from '../http/asked.ts';
import type { ClaimedJob } from '../store/jobs.ts';

export type ToChild = { asked: Asked } | { job: Pick<ClaimedJob, 'lease' | 'payload'> } | { next: true };

export type FromChild =
  | { ready: true }
  | { answered: { status: number; headers: Record<string, string>; body: string | null } }
  /** The head of an answer that comes in pieces; each is asked for. */
  | { begun: { status: number; headers: Record<string, string> } }
  | { piece: string }
  | { done: true }
  | { refused: { code: ErrorCode; params: Params; faults: Faults; beyond: number; extra: Record<string, unknown> } }
  /** A fault of the service itself, which its log is to have. */
  | { broken: { error: { message: string; stack: string | undefined; sql: string | undefined } } };
