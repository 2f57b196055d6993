/** How much of what people send is held at a time, by all of them and by each: who sends slowly holds it for long. */
import type { Context } from 'hono';
import { Refusal } from '@zpine/contract/errors';

/** Below that nobody counts. */
const SMALL = 64 * 1024;

export class BodyRoom {
  private held = 0;
  private readonly most: number;

  constructor(most: number) {
    this.most = most;
  }

  /** Does the work with room for a body of at most so many bytes; the length it was announced with counts, if it was. */
  async during<T>(most: number, c: Context, work: () => Promise<T>): Promise<T> {
    const told = c.req.header('Content-Length');
    const bytes = told !== undefined && /^\d{1,12}$/.test(told) ? Math.min(most, Number(told)) : most;
    if (bytes <= SMALL || c.req.method === 'GET') return work();
    if (this.held + bytes > this.most) throw new Refusal('busy');
    this.held += bytes;
    try {
      return await work();
    } finally {
      this.held -= bytes;
    }
  }
}
