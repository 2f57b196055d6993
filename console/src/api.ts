import { Client, RefusedError, UnreachedError } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import type { Remark } from '@zpine/contract/remarks';
import { QueryClient } from '@tanstack/react-query';
import { OwnWrites } from './shell/news.ts';

/** Set by the frame of the page, which shows them. */
export const remarks: { hear: (remarks: Remark[]) => void } = { hear: () => undefined };
export const client = new Client({ url: '', via: 'console', onRemarks: (said) => remarks.hear(said) });

/** What this page has saved itself. */
export const own = new OwnWrites();

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      // A refusal stays a refusal; silence may pass.
      retry: (count, error) => !(error instanceof RefusedError && error.problem.status !== 503) && count < 5,
    },
  },
});

/** The words of whatever went wrong. */
export function problemOf(error: unknown): Problem {
  if (error instanceof RefusedError) return error.problem;
  const detail = error instanceof UnreachedError ? 'the service does not answer' : String(error);
  return { type: '', title: 'Not reached', status: 0, code: 'unreached', detail, remedy: 'try again when it is back' };
}

/** Query keys: what is shown of one kind, and what is worked out from many. */
export const keys = {
  list: (kind: string, filters: object) => ['records', kind, 'list', filters] as const,
  record: (kind: string, key: string) => ['records', kind, 'one', key] as const,
  worked: (what: string, ...rest: unknown[]) => ['worked', what, ...rest] as const,
};
