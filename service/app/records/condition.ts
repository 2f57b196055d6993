/** A condition on a table, as SQL with its values. */
export interface Condition {
  sql: string;
  values: unknown[];
}
