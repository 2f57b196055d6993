/**
 * One transaction on one connection. Statements may be sent one behind the other without waiting; when one of them meets
 * a deadlock, the database ends the transaction and carries out what was sent behind it. With autocommit off that begins
 * a new transaction, which the ROLLBACK takes back; with autocommit on it would stay.
 */
import type { Connection, Connections } from './connections.ts';
import { isDeadlock } from './database.ts';

export class Unit {
  private readonly connections: Connections;
  private readonly connection: Connection;
  private readonly unanswered = new Set<Promise<unknown>>();
  /** A deadlock, or a lock that was waited for too long, even where the work took no notice of it. */
  private lost: { error: Error } | undefined;
  /** From when its end began: what a branch of the work that goes on would still send belongs to nobody any more. */
  private over = false;

  private constructor(connections: Connections, connection: Connection) {
    this.connections = connections;
    this.connection = connection;
  }

  /** Nothing is waited for: a connection that is broken says so at the first statement. */
  static async begin(connections: Connections): Promise<Unit> {
    const unit = new Unit(connections, await connections.take());
    void unit.sent('SET autocommit = 0').catch(() => undefined);
    return unit;
  }

  send(sql: string, values: unknown[]): Promise<unknown> {
    // What would be done from here on would be done in vain.
    if (this.lost) return Promise.reject(this.lost.error);
    if (this.over) return Promise.reject(new Error('this unit of work has ended'));
    return this.sent(sql, values);
  }

  /** Ends it with its changes. Throws where it met a deadlock anywhere, at the COMMIT too; nothing is left of it then. */
  async commit(): Promise<void> {
    await this.answered();
    this.over = true;
    try {
      if (this.lost) throw this.lost.error;
      await this.connection.query('COMMIT');
    } catch (error) {
      await this.rollback();
      throw error;
    }
    this.leave();
  }

  async rollback(): Promise<void> {
    // Of branches that run side by side one has failed: the others may be about to send something, and behind the ROLLBACK
    // that would begin a transaction that nobody takes back.
    this.over = true;
    await this.answered();
    try {
      // Waited for: switching autocommit on would commit what is still open.
      await this.connection.query('ROLLBACK');
    } catch {
      await this.connections.discard(this.connection).catch(() => undefined);
      return;
    }
    this.leave();
  }

  private async sent(sql: string, values: unknown[] = []): Promise<unknown> {
    const answer = this.connection.query(sql, values);
    this.unanswered.add(answer);
    try {
      return await answer;
    } catch (error) {
      if (isDeadlock(error)) this.lost ??= { error: error instanceof Error ? error : new Error(String(error)) };
      throw error;
    } finally {
      this.unanswered.delete(answer);
    }
  }

  private async answered(): Promise<void> {
    while (this.unanswered.size > 0) await Promise.allSettled(this.unanswered);
  }

  /** The next user's statements queue behind this one. */
  private leave(): void {
    const { connection, connections } = this;
    connection.query('SET autocommit = 1').catch(() => connections.discard(connection).catch(() => undefined));
    connections.giveBack(connection);
  }
}
