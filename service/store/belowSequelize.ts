/**
 * The two things that Sequelize has and offers no call for. Its pool, since a unit of work sends several statements one
 * behind the other on one connection, and `sequelize.query` waits for each; and the text of a SELECT that it makes of
 * conditions, since that statement has to go through the same unit of work. Both are declared in its types; nothing else
 * of its inside is touched, and only here.
 */
import type { Sequelize } from 'sequelize';
import type { Connection, Connections } from './connections.ts';
import type { Models } from './models.ts';

export function connectionsOf({ connectionManager }: Sequelize): Connections {
  return {
    take: async () => (await connectionManager.getConnection({ type: 'write' })) as Connection,
    giveBack: (connection) => connectionManager.releaseConnection(connection),
    discard: (connection) => connectionManager.destroyConnection(connection),
  };
}

type SelectWriter = { selectQuery: (table: unknown, options: object, model: unknown) => string };

export function selectText(model: Models[keyof Models], options: object): string {
  const generator = model.sequelize?.getQueryInterface().queryGenerator as SelectWriter;
  return generator.selectQuery(model.getTableName(), options, model).replace(/;\s*$/, '');
}
