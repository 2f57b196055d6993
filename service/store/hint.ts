/** That a record changed: whoever shows it, or holds it in memory, asks again. `version`: null when it is gone. */
export type Hint = { kind: string; id: number; version: number | null };
