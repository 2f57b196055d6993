import type { Model, ModelStatic, Sequelize } from 'sequelize';
import { columnsOf, type KindDescription } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';

export type Models = Record<KindName, ModelStatic<Model>>;

const headColumns = {
  id: { type: 'bigint(20)', primaryKey: true, autoIncrement: true, allowNull: false },
  natural_key: { type: 'varchar(255)', allowNull: false },
  sort_key: { type: 'varchar(400)', allowNull: false },
  version: { type: 'int(11)', allowNull: false },
  created_at: { type: 'datetime(3)', allowNull: false },
  updated_at: { type: 'datetime(3)', allowNull: false },
};

/** The columns of a kind's table, with whether they may be empty. */
export function attributesOf(k: KindDescription): Record<string, { type: string; allowNull: boolean }> {
  const own = columnsOf(k).map(({ name, sql, field }) => [
    name,
    { type: sql, allowNull: !(field.required || field.default !== undefined) },
  ]);
  return { ...headColumns, ...(Object.fromEntries(own) as Record<string, { type: string; allowNull: boolean }>) };
}

export function defineModels(sequelize: Sequelize): Models {
  const defined = kindNames.map((name) => [
    name,
    sequelize.define(name, attributesOf(kindOf(name)), { tableName: name }),
  ]);
  return Object.fromEntries(defined) as Models;
}

const columnNames = new Map(kindNames.map((name) => [name, Object.keys(attributesOf(kindOf(name)))]));

/** The columns of a kind's table, as a SELECT lists them; `alias` where the statement calls it otherwise. */
export const columnsFor = (name: KindName, alias?: string): string =>
  (columnNames.get(name) ?? [])
    .map((column) => (alias === undefined ? `\`${column}\`` : `${alias}.\`${column}\``))
    .join(', ');
